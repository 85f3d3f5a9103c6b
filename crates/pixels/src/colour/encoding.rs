//! Conversion between encoded 16-bit samples and scene-linear light, by the picture's profile.

use super::profile::{self, PROFILE_DATE};
use crate::PictureError;
use moxcms::{ColorDateTime, ColorProfile, DataColorSpace, ToneReprCurve};
use std::collections::VecDeque;
use std::path::Path;
use std::sync::{Arc, LazyLock, Mutex};

/// One tone curve as a table: linear light in 0..=1 for each of the 65536 codes, rising.
type Curve = Arc<Vec<f32>>;

/// How a picture's samples relate to light: a tone curve for each channel and the primaries.
#[derive(Debug, Clone)]
pub struct Encoding {
    curves: [Curve; 3],
    /// Light half-way between each code and the next; infinite after the last.
    halves: [Curve; 3],
    /// A code at or just below the nearest one for a value, indexed by the square root of the
    /// value.
    starts: [Arc<Vec<u16>>; 3],
    /// Whether codes are proportional to light.
    pub(super) straight: bool,
    to_srgb: [[f32; 3]; 3],
    profile: Arc<Vec<u8>>,
    name: String,
}

static SRGB: LazyLock<Encoding> = LazyLock::new(|| {
    let mut profile = ColorProfile::new_srgb();
    // The date is fixed, because the same plan must give the same bytes.
    profile.creation_date_time =
        ColorDateTime::new_from_slice(&PROFILE_DATE).expect("the date is well formed");
    let bytes = profile.encode().expect("the built-in sRGB profile can be written");
    let mut encoding = Encoding::from_profile(&profile, bytes).expect("sRGB is a matrix profile");
    // The formula of the standard rather than a profile's rounded parameters.
    let curve: Curve =
        Arc::new((0..=65535u32).map(|v| srgb_to_linear(v as f32 / 65535.0)).collect());
    encoding.set_curves([curve.clone(), curve.clone(), curve]);
    encoding.to_srgb = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
    encoding.name = "sRGB".to_owned();
    encoding
});

/// The encodings of the profiles that were read last.
static RECENT: Mutex<VecDeque<Encoding>> = Mutex::new(VecDeque::new());
const RECENT_MOST: usize = 4;

/// About as many as there are codes, so that a search takes one or two steps.
const STARTS: usize = 65_536;

impl Encoding {
    /// Standard sRGB (IEC 61966-2-1), also assumed for files without a profile.
    pub fn srgb() -> Self {
        SRGB.clone()
    }

    /// The encoding that an embedded ICC profile describes; sRGB without a profile.
    ///
    /// # Errors
    /// [`PictureError::Unsupported`] for profiles other than matrix-and-curve RGB and grey ones,
    /// [`PictureError::Damaged`] for bytes that are not a profile.
    pub fn from_icc(path: &Path, icc: Option<&[u8]>) -> Result<Self, PictureError> {
        let Some(icc) = icc.filter(|bytes| !bytes.is_empty()) else {
            return Ok(Self::srgb());
        };
        if icc == SRGB.profile.as_slice() {
            return Ok(Self::srgb());
        }
        // The frames of a shoot have the same profile, so they share its tables.
        let mut recent = RECENT.lock().expect("no thread panics while it holds the profiles");
        if let Some(known) = recent.iter().find(|known| known.icc() == icc) {
            return Ok(known.clone());
        }
        let profile = ColorProfile::new_from_slice(icc)
            .map_err(|_| PictureError::damaged(path, "its colour profile cannot be read"))?;
        let encoding = match profile::of_grey(&profile, &name_of(&profile)) {
            Some(colour) => Some(Self::made(colour)),
            None => Self::from_profile(&profile, icc.to_vec()),
        };
        let encoding = encoding.ok_or_else(|| {
            let what = "a colour profile without a matrix and tone curves";
            let remedy = "convert the picture to sRGB or another profile of three primaries";
            PictureError::unsupported_so(path, what, remedy)
        })?;
        recent.push_back(encoding.clone());
        if recent.len() > RECENT_MOST {
            recent.pop_front();
        }
        Ok(encoding)
    }

    pub(super) fn from_profile(profile: &ColorProfile, bytes: Vec<u8>) -> Option<Self> {
        let DataColorSpace::Rgb = profile.color_space else { return None };
        let red = table(profile.red_trc.as_ref()?)?;
        let green = table(profile.green_trc.as_ref()?)?;
        let blue = table(profile.blue_trc.as_ref()?)?;
        let curves = [red, green, blue];
        let srgb = ColorProfile::new_srgb().rgb_to_xyz_matrix();
        let to = srgb.inverse().mat_mul(profile.rgb_to_xyz_matrix());
        let to_srgb = to.v.map(|row| row.map(|v| v as f32));
        let name = name_of(profile);
        let mut encoding = Self {
            curves: curves.clone(),
            halves: Default::default(),
            starts: Default::default(),
            straight: false,
            to_srgb,
            profile: Arc::new(bytes),
            name,
        };
        encoding.set_curves(curves);
        Some(encoding)
    }

    /// Sets the curves and the tables derived from them. Equal curves share their memory, so that
    /// the processor's cache holds one table only.
    fn set_curves(&mut self, mut curves: [Curve; 3]) {
        for channel in 0..3 {
            let same = curves[..channel].iter().position(|c| *c == curves[channel]);
            if let Some(same) = same {
                curves[channel] = curves[same].clone();
                self.halves[channel] = self.halves[same].clone();
                self.starts[channel] = self.starts[same].clone();
                continue;
            }
            let curve = &curves[channel];
            let mut halves: Vec<f32> = curve.windows(2).map(|w| 0.5 * (w[0] + w[1])).collect();
            halves.push(f32::INFINITY);
            let starts = (0..=STARTS).map(|i| {
                // One slot of slack takes up rounding of the square root.
                let value = (i.saturating_sub(1) as f32 / STARTS as f32).powi(2);
                halves.partition_point(|&half| half < value) as u16
            });
            self.starts[channel] = Arc::new(starts.collect());
            self.halves[channel] = Arc::new(halves);
        }
        let straight = |(code, light): (usize, &f32)| (light - code as f32 / 65_535.0).abs() < 1e-6;
        self.straight = curves.iter().all(|curve| curve.iter().enumerate().all(straight));
        self.curves = curves;
    }

    /// Linear light of every code of a channel (0 red, 1 green, 2 blue): 65536 values in 0..=1.
    pub fn curve(&self, channel: usize) -> &[f32] {
        &self.curves[channel]
    }

    /// Linear light of a floating-point sample of a channel, whose white is 1. Beyond black and
    /// white the curve is extended linearly; infinite numbers and NaN become black.
    pub fn decode_float(&self, channel: usize, value: f32) -> f32 {
        if !value.is_finite() {
            return 0.0;
        }
        if self.straight {
            return value;
        }
        let curve = &self.curves[channel];
        // The steps of the table are too fine to show the slope at its ends.
        const ENDS: usize = 256;
        const LAST: usize = 65_535;
        let at = value * LAST as f32;
        let inside = at.clamp(0.0, LAST as f32);
        let low = (inside as usize).min(LAST - 1);
        let (beyond, steep) = match at < 0.0 {
            true => (at, curve[ENDS] - curve[0]),
            false => (at - inside, curve[LAST] - curve[LAST - ENDS]),
        };
        let light = curve[low] + (curve[low + 1] - curve[low]) * (inside - low as f32);
        light + beyond * steep / ENDS as f32
    }

    /// Linear light of interleaved red, green and blue codes, into three planes of as many values
    /// as there are pixels.
    pub fn decode_pixels(&self, codes: &[u16], planes: [&mut [f32]; 3]) {
        let [of_red, of_green, of_blue] = self.tables();
        let [red, green, blue] = planes;
        let out = red.iter_mut().zip(green).zip(blue);
        for (((r, g), b), pixel) in out.zip(codes.as_chunks::<3>().0) {
            *r = of_red[pixel[0] as usize];
            *g = of_green[pixel[1] as usize];
            *b = of_blue[pixel[2] as usize];
        }
    }

    /// The mean of each pixel's three colours in linear light.
    pub fn decode_means(&self, codes: &[u16], means: &mut [f32]) {
        let [of_red, of_green, of_blue] = self.tables();
        for (mean, &[r, g, b]) in means.iter_mut().zip(codes.as_chunks::<3>().0) {
            let light = of_red[r as usize] + of_green[g as usize] + of_blue[b as usize];
            *mean = light * (1.0 / 3.0);
        }
    }

    fn tables(&self) -> [&[f32; 65536]; 3] {
        [0, 1, 2].map(|c| self.curve(c).try_into().expect("a value for every code"))
    }

    /// The code whose linear light is nearest to `linear`; values outside 0..=1 are clipped.
    pub fn encode(&self, channel: usize, linear: f32) -> u16 {
        encode(&self.starts[channel], &self.halves[channel], linear)
    }

    /// [`Encoding::encode`] of interleaved red, green and blue; `codes` is as long as `linear`.
    pub fn encode_pixels(&self, linear: &[f32], codes: &mut [u16]) {
        let [(of_red, red), (of_green, green), (of_blue, blue)] =
            [0, 1, 2].map(|c| (self.starts[c].as_slice(), self.halves[c].as_slice()));
        let pixels = linear.as_chunks::<3>().0.iter().zip(codes.as_chunks_mut::<3>().0);
        for (light, codes) in pixels {
            *codes = [
                encode(of_red, red, light[0]),
                encode(of_green, green, light[1]),
                encode(of_blue, blue, light[2]),
            ];
        }
    }

    /// Linear light in this encoding's primaries to linear light in sRGB primaries; rows are the
    /// red, green and blue outputs. Values may leave 0..=1 for colours outside sRGB.
    pub fn to_srgb(&self) -> [[f32; 3]; 3] {
        self.to_srgb
    }

    /// The ICC profile to embed in files of this encoding.
    pub fn icc(&self) -> &[u8] {
        &self.profile
    }

    /// Whether it is sRGB, curve and primaries.
    pub fn is_srgb(&self) -> bool {
        self.profile == SRGB.profile
    }

    /// Whether codes are proportional to light.
    pub fn is_straight(&self) -> bool {
        self.straight
    }

    /// The name that the profile contains.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Whether linear light of the two can be mixed without conversion.
    pub fn same_primaries(&self, other: &Self) -> bool {
        let pairs = self.to_srgb.iter().flatten().zip(other.to_srgb.iter().flatten());
        pairs.into_iter().all(|(a, b)| (a - b).abs() < 2e-3)
    }
}

/// The name that a profile contains.
fn name_of(profile: &ColorProfile) -> String {
    let name = match &profile.description {
        Some(moxcms::ProfileText::PlainString(s)) => s.clone(),
        Some(moxcms::ProfileText::Description(d)) => d.ascii_string.clone(),
        Some(moxcms::ProfileText::Localizable(all)) => {
            all.first().map(|s| s.value.clone()).unwrap_or_default()
        }
        None => String::new(),
    };
    match name.trim_matches(['\0', ' ']) {
        "" => "unnamed profile".to_owned(),
        name => name.to_owned(),
    }
}

/// sRGB's curve from an encoded value in 0..=1 to linear light.
pub fn srgb_to_linear(v: f32) -> f32 {
    if v <= 0.04045 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
}

/// Evaluates a profile's curve for every code; makes it rising where rounding broke that.
fn table(curve: &ToneReprCurve) -> Option<Curve> {
    let value: Box<dyn Fn(f32) -> f32> = match curve {
        ToneReprCurve::Lut(points) if points.is_empty() => Box::new(|x| x),
        ToneReprCurve::Lut(points) if points.len() == 1 => {
            let gamma = points[0] as f32 / 256.0;
            Box::new(move |x| x.powf(gamma))
        }
        ToneReprCurve::Lut(points) => {
            let points: Vec<f32> = points.iter().map(|&p| p as f32 / 65535.0).collect();
            Box::new(move |x| {
                let at = x * (points.len() - 1) as f32;
                let low = (at as usize).min(points.len() - 2);
                points[low] + (points[low + 1] - points[low]) * (at - low as f32)
            })
        }
        ToneReprCurve::Parametric(p) => parametric(p)?,
    };
    let mut last = 0.0f32;
    let table = (0..=65535u32).map(|code| {
        last = value(code as f32 / 65535.0).clamp(0.0, 1.0).max(last);
        last
    });
    Some(Arc::new(table.collect()))
}

/// The parametric curve types of ICC.1:2010, 10.16.
fn parametric(p: &[f32]) -> Option<Box<dyn Fn(f32) -> f32>> {
    let at = |i: usize| p.get(i).copied().unwrap_or(0.0);
    let (g, a, b, c, d, e, f) = match p.len() {
        1 => (at(0), 1.0, 0.0, 0.0, -1.0, 0.0, 0.0),
        3 => (at(0), at(1), at(2), 0.0, -at(2) / at(1), 0.0, 0.0),
        4 => (at(0), at(1), at(2), 0.0, -at(2) / at(1), at(3), at(3)),
        5 => (at(0), at(1), at(2), at(3), at(4), 0.0, 0.0),
        7 => (at(0), at(1), at(2), at(3), at(4), at(5), at(6)),
        _ => return None,
    };
    Some(Box::new(move |x| if x >= d { (a * x + b).max(0.0).powf(g) + e } else { c * x + f }))
}

/// The code whose light is nearest, searched from the start for its value by the light half-way to
/// each next code.
#[inline(always)]
fn encode(starts: &[u16], halves: &[f32], linear: f32) -> u16 {
    let value = linear.clamp(0.0, 1.0);
    let slot = (value.sqrt() * STARTS as f32) as usize;
    let mut code = starts[slot] as usize;
    // Mostly one to three codes lie between; adding the comparison's outcome avoids a branch.
    for _ in 0..3 {
        code += usize::from(value > halves[code]);
    }
    while value > halves[code] {
        code += 1;
    }
    code as u16
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn every_code_survives_the_way_to_light_and_back() {
        let srgb = Encoding::srgb();
        for code in 0..=65535u16 {
            assert_eq!(srgb.encode(1, srgb.curve(1)[code as usize]), code);
        }
    }

    #[test]
    fn pixels_decode_as_their_curves_say() {
        let width = ColorProfile::new_bt2020().encode().unwrap();
        let width = Encoding::from_icc(Path::new("wide.tif"), Some(&width)).unwrap();
        let codes: Vec<u16> = (0..300u32).map(|i| (i * 40_503 % 65_536) as u16).collect();
        for encoding in [Encoding::srgb(), width] {
            let mut planes = [(); 3].map(|()| vec![0.0; 100]);
            encoding.decode_pixels(&codes, planes.each_mut().map(Vec::as_mut_slice));
            let mut means = vec![0.0; 100];
            encoding.decode_means(&codes, &mut means);
            for (i, pixel) in codes.as_chunks::<3>().0.iter().enumerate() {
                let light = [0, 1, 2].map(|c| encoding.curve(c)[pixel[c] as usize]);
                for c in 0..3 {
                    assert!((planes[c][i] - light[c]).abs() < 1e-6, "{} {i}", encoding.name());
                }
                assert!((means[i] - light.iter().sum::<f32>() / 3.0).abs() < 1e-6);
            }
        }
    }

    #[test]
    fn floating_point_samples_follow_the_curve_and_go_on_beyond_it() {
        let srgb = Encoding::srgb();
        for value in [0.0, 0.01, 0.2, 0.5, 0.9, 1.0f32] {
            let light = srgb.decode_float(1, value);
            assert!((light - srgb_to_linear(value)).abs() < 1e-5, "{light} for {value}");
        }
        // sRGB ends with a slope of 2.4 / 1.055, and begins with one of 1 / 12.92.
        assert!((srgb.decode_float(0, 1.1) - (1.0 + 0.24 / 1.055)).abs() < 2e-3);
        assert!((srgb.decode_float(0, -0.1) + 0.1 / 12.92).abs() < 1e-4);
        assert_eq!(srgb.decode_float(2, f32::NAN), 0.0);
        let linear = srgb.linear();
        assert_eq!(linear.decode_float(0, 3.25), 3.25);
    }

    #[test]
    fn the_embedded_profile_is_the_same_at_any_time() {
        assert_eq!(Encoding::srgb().icc()[24..36], PROFILE_DATE);
    }

    #[test]
    fn profile_of_another_space_is_read_and_its_white_stays_white() {
        let p3 = ColorProfile::new_display_p3().encode().unwrap();
        let encoding = Encoding::from_icc(Path::new("p3.tif"), Some(&p3)).unwrap();
        assert!(!encoding.same_primaries(&Encoding::srgb()));
        for row in encoding.to_srgb() {
            assert!((row.iter().sum::<f32>() - 1.0).abs() < 2e-3, "white must stay white: {row:?}");
        }
        assert!((encoding.curve(0)[32768] - srgb_to_linear(0.5)).abs() < 1e-3);
    }

    #[test]
    fn a_profile_that_is_none_is_refused_with_the_file_name() {
        let error = Encoding::from_icc(Path::new("odd.tif"), Some(b"not a profile")).unwrap_err();
        assert!(error.to_string().starts_with("odd.tif: "), "{error}");
    }

    #[test]
    fn the_linear_profile_keeps_the_primaries_and_has_straight_curves() {
        let p3 = ColorProfile::new_display_p3().encode().unwrap();
        let encoding = Encoding::from_icc(Path::new("p3.tif"), Some(&p3)).unwrap();
        let linear = encoding.linear();
        let linear = Encoding::from_icc(Path::new("light.tif"), Some(linear.icc())).unwrap();
        assert!(linear.same_primaries(&encoding));
        assert!((linear.curve(1)[32768] - 0.5).abs() < 1e-3, "{}", linear.curve(1)[32768]);
    }

    proptest! {
        #[test]
        fn encode_gives_the_nearest_code(value in -0.2f32..1.2) {
            let srgb = Encoding::srgb();
            let code = srgb.encode(0, value) as usize;
            let gap = |c: usize| (srgb.curve(0)[c] - value.clamp(0.0, 1.0)).abs();
            // Half-way between two codes rounding decides.
            prop_assert!(code == 0 || gap(code) <= gap(code - 1) + f32::EPSILON);
            prop_assert!(code == 65535 || gap(code) <= gap(code + 1) + f32::EPSILON);
        }
    }
}
