//! Encodings made here rather than read from a profile: named colour spaces, and those that other
//! entries of a file describe.

use super::encoding::Encoding;
use super::profile::finished;
use crate::PictureError;
use moxcms::{
    Chromaticity, CicpProfile, ColorPrimaries, ColorProfile, MatrixCoefficients, ToneReprCurve,
    TransferCharacteristics, XyY, white_point_d65,
};
use serde::{Deserialize, Serialize};
use std::path::Path;

/// Named colour spaces in which pictures can be written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Space {
    /// sRGB (IEC 61966-2-1).
    Srgb,
    /// Display P3: the primaries of SMPTE RP 431-2 with the white point D65 and sRGB's curve.
    DisplayP3,
    /// A98 RGB: wider greens and cyans, power 563/256.
    A98,
    /// ProPhoto RGB (ISO 22028-2): nearly all surface colours, power 1.8.
    Prophoto,
}

impl Space {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Srgb, Self::DisplayP3, Self::A98, Self::Prophoto];

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Srgb => "sRGB",
            Self::DisplayP3 => "Display P3",
            Self::A98 => "A98 RGB",
            Self::Prophoto => "ProPhoto RGB",
        }
    }
}

/// sRGB's curve as the parameters of a profile.
fn srgb_curve() -> ToneReprCurve {
    ToneReprCurve::Parametric(vec![2.4, 1. / 1.055, 0.055 / 1.055, 1. / 12.92, 0.04045])
}

/// Primaries of A98 RGB (CIE 1931).
const A98: ColorPrimaries = ColorPrimaries {
    red: Chromaticity { x: 0.64, y: 0.33 },
    green: Chromaticity { x: 0.21, y: 0.71 },
    blue: Chromaticity { x: 0.15, y: 0.06 },
};

/// A profile of these primaries and this white point, with sRGB's curve.
fn of_colours(primaries: ColorPrimaries, white: XyY) -> ColorProfile {
    let mut profile = ColorProfile::new_srgb();
    profile.update_rgb_colorimetry(white, primaries);
    profile
}

impl Encoding {
    /// A named colour space.
    pub fn of_space(space: Space) -> Self {
        let (profile, curve) = match space {
            Space::Srgb => return Self::srgb(),
            Space::DisplayP3 => (ColorProfile::new_display_p3(), srgb_curve()),
            // Curves write powers in steps of 1/256: 563/256 and 1.8.
            Space::A98 => (of_colours(A98, white_point_d65()), ToneReprCurve::Lut(vec![563])),
            Space::Prophoto => (ColorProfile::new_pro_photo_rgb(), ToneReprCurve::Lut(vec![461])),
        };
        Self::made(finished(profile, curve, space.name()))
    }

    /// Linear light in sRGB's primaries, assumed for floating-point numbers without a profile.
    pub fn linear_srgb() -> Self {
        Self::srgb().linear()
    }

    /// The same primaries with linear codes.
    pub fn linear(&self) -> Self {
        let name = format!("{}, linear light", self.name());
        Self::made(finished(self.parsed(), ToneReprCurve::Lut(vec![]), &name))
    }

    /// The encoding for integers: this one, or sRGB's curve instead of linear codes, whose dark
    /// steps would be too coarse.
    pub fn for_whole_numbers(&self) -> Self {
        if !self.straight {
            return self.clone();
        }
        if self.same_primaries(&Self::srgb()) {
            return Self::srgb();
        }
        let name = self.name().trim_end_matches(", linear light");
        Self::made(finished(self.parsed(), srgb_curve(), &format!("{name}, sRGB's curve")))
    }

    /// The encoding that primaries, a white point and a power describe: each `[x, y]` of red,
    /// green, blue and white (CIE 1931), sRGB's if there are none, and light as that power of a
    /// code.
    ///
    /// # Errors
    /// [`PictureError::Damaged`] if no colours can be made of them.
    pub fn of_primaries(
        path: &Path,
        primaries: Option<[[f32; 2]; 4]>,
        power: f32,
    ) -> Result<Self, PictureError> {
        let wrong = || PictureError::damaged(path, "its colours have no possible primaries");
        if !(0.1..=10.0).contains(&power) {
            return Err(PictureError::damaged(path, "its codes have no possible gamma"));
        }
        let mut profile = ColorProfile::new_srgb();
        if let Some(all) = primaries {
            let in_range = |[x, y]: &[f32; 2]| (0.0..=1.0).contains(x) && (0.01..=1.0).contains(y);
            let point = |[x, y]: [f32; 2]| Chromaticity::new(x, y);
            if !all.iter().all(in_range) {
                return Err(wrong());
            }
            let [red, green, blue, white] = all.map(point);
            profile = of_colours(ColorPrimaries { red, green, blue }, white.to_xyyb());
        }
        let curve = ToneReprCurve::Parametric(vec![power]);
        let name = if primaries.is_some() { "colours of its own" } else { "sRGB's colours" };
        let name = format!("{name}, gamma {power:.2}");
        let made = Self::made(finished(profile, curve, &name));
        made.to_srgb().iter().flatten().all(|v| v.is_finite()).then_some(made).ok_or_else(wrong)
    }

    /// The encoding that code points describe (ITU-T H.273): of primaries, curve and matrix, and
    /// whether codes use the full range.
    ///
    /// # Errors
    /// [`PictureError::Unsupported`] for those of video alone, such as high dynamic range.
    pub fn of_code_points(
        path: &Path,
        [primaries, curve, matrix]: [u8; 3],
        full_range: bool,
    ) -> Result<Self, PictureError> {
        let refuse = |what: String| PictureError::unsupported(path, what);
        if matches!(curve, 16 | 18) {
            return Err(refuse("a PNG of high dynamic range".to_owned()));
        }
        if matrix != 0 || !full_range {
            return Err(refuse("a PNG with colours coded as a film's".to_owned()));
        }
        if (primaries, curve) == (1, 13) {
            return Ok(Self::srgb());
        }
        let unknown = || refuse(format!("a PNG with colours of code points {primaries}, {curve}"));
        let profile = ColorProfile::new_from_cicp(CicpProfile {
            color_primaries: primaries.try_into().map_err(|_| unknown())?,
            transfer_characteristics: TransferCharacteristics::try_from(curve)
                .map_err(|_| unknown())?,
            matrix_coefficients: MatrixCoefficients::Identity,
            full_range: true,
        });
        let curve = profile.red_trc.clone().ok_or_else(unknown)?;
        let name = match primaries {
            1 => "BT.709 primaries".to_owned(),
            9 => "BT.2020 primaries".to_owned(),
            11 | 12 => "P3 primaries".to_owned(),
            other => format!("primaries {other}"),
        };
        Ok(Self::made(finished(profile, curve, &name)))
    }

    /// The encoding of a profile that was just made, by writing and reading it.
    fn parsed(&self) -> ColorProfile {
        ColorProfile::new_from_slice(self.icc()).unwrap_or_else(|_| ColorProfile::new_srgb())
    }

    /// The encoding of a profile of three colours with a matrix and curves.
    pub(super) fn made(profile: ColorProfile) -> Self {
        let bytes = profile.encode().unwrap_or_default();
        Self::from_profile(&profile, bytes).unwrap_or_else(Self::srgb)
    }

    /// Converts linear light in its primaries to those of another encoding: rows are the red, green
    /// and blue that come out. `None` if they are the same.
    pub fn to(&self, other: &Self) -> Option<[[f32; 3]; 3]> {
        if self.same_primaries(other) {
            return None;
        }
        let back = crate::mosaic::inverse(other.to_srgb())?;
        Some(crate::mosaic::product(back, self.to_srgb()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn named_spaces_keep_white_and_are_read_again_as_they_are() {
        for space in Space::ALL {
            let made = Encoding::of_space(space);
            for row in made.to_srgb() {
                assert!((row.iter().sum::<f32>() - 1.0).abs() < 2e-3, "{space:?} {row:?}");
            }
            let again = Encoding::from_icc(Path::new("a.tif"), Some(made.icc())).unwrap();
            assert!(again.same_primaries(&made), "{space:?}");
            for code in [0, 100, 9_000, 40_000, 65_535] {
                let (a, b) = (again.curve(1)[code], made.curve(1)[code]);
                assert!((a - b).abs() < 1e-5, "{space:?} {code}: {a} {b}");
            }
            assert_eq!(again.name(), space.name());
        }
        // Light of the middle code, as the standards give it.
        let middle = |space| Encoding::of_space(space).curve(0)[32_768];
        assert!((middle(Space::A98) - 0.5f32.powf(563.0 / 256.0)).abs() < 1e-4);
        assert!((middle(Space::Prophoto) - 0.5f32.powf(1.8)).abs() < 2e-3);
    }

    #[test]
    fn whole_numbers_of_linear_light_get_a_curve_and_the_same_primaries() {
        let linear = Encoding::of_space(Space::DisplayP3).linear();
        assert!(linear.is_straight() && linear.name() == "Display P3, linear light");
        let whole = linear.for_whole_numbers();
        assert!(!whole.is_straight() && whole.same_primaries(&linear));
        assert_eq!(Encoding::linear_srgb().for_whole_numbers().icc(), Encoding::srgb().icc());
        let a98 = Encoding::of_space(Space::A98);
        assert_eq!(a98.for_whole_numbers().icc(), a98.icc());
    }

    #[test]
    fn light_is_turned_from_one_space_to_another_and_back() {
        let (srgb, width) = (Encoding::srgb(), Encoding::of_space(Space::Prophoto));
        let (there, back) = (srgb.to(&width).unwrap(), width.to(&srgb).unwrap());
        let by = |m: [[f32; 3]; 3], v: [f32; 3]| m.map(|r| r[0] * v[0] + r[1] * v[1] + r[2] * v[2]);
        let light = [0.3, 0.02, 0.7];
        let turned = by(there, light);
        assert!(turned.iter().all(|v| (0.0..1.0).contains(v)), "{turned:?}");
        for (a, b) in by(back, turned).iter().zip(light) {
            assert!((a - b).abs() < 1e-4);
        }
        assert!(srgb.to(&Encoding::linear_srgb()).is_none());
    }

    #[test]
    fn primaries_and_powers_of_other_files_are_taken() {
        let path = Path::new("a.png");
        let srgb = [[0.64, 0.33], [0.30, 0.60], [0.15, 0.06], [0.3127, 0.3290]];
        let made = Encoding::of_primaries(path, Some(srgb), 2.2).unwrap();
        assert!(made.same_primaries(&Encoding::srgb()));
        assert!((made.curve(2)[32_768] - 0.5f32.powf(2.2)).abs() < 1e-4);
        assert!(Encoding::of_primaries(path, Some([[0.0; 2]; 4]), 2.2).is_err());
        assert!(Encoding::of_primaries(path, None, f32::NAN).is_err());
        let p3 = Encoding::of_code_points(path, [12, 13, 0], true).unwrap();
        assert!(p3.same_primaries(&Encoding::of_space(Space::DisplayP3)));
        assert!(Encoding::of_code_points(path, [9, 16, 0], true).is_err());
    }
}
