//! Noise reduction of single frames: brightness and colour apart, before anything is combined.
//!
//! Each picture is split into details of one pixel, two, four and eight (the undecimated wavelets
//! of Starck & Murtagh, "Astronomical Image and Data Analysis", 2002). At each scale a detail is
//! kept by the share of the details' energy around it that is above the noise (a local Wiener
//! filter, Mihcak et al. 1999). Around stars everything is kept, including their faint rims, so
//! that they keep their light. The noise at each scale is measured in the frame itself, as
//! interpolated colours make noise coarser; it grows with light as photon noise does.

use jade_optics::light::Light;
use jade_optics::statistics::{median, robust_sigma};
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::Denoise;
use multiversion::multiversion;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// Scales of details: one pixel, two, four, eight.
const SCALES: usize = 4;
/// Standard deviations that count as noise at the full amount: for brightness, whose coarsest scale
/// is not touched, and for colour.
const BRIGHT: [f32; SCALES] = [1.3, 1.3, 1.1, 0.0];
const COLOUR: [f32; SCALES] = [1.6, 1.6, 1.6, 1.5];
/// Side of the patches in which noise is measured, in pixels, without margins.
const PATCH: u32 = 48;
/// Patches along the longer side.
const ACROSS: u32 = 12;

/// Planes of a region: brightness, red minus blue, green minus both.
type Planes = [Vec<f32>; 3];

/// Reduces the noise of one frame.
pub struct Denoiser {
    amount: Denoise,
    grain: Grain,
}

/// The noise of a frame.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Grain {
    /// Standard deviation of each plane's noise at each scale, where light plus `floor` is 1.
    sigma: [[f32; SCALES]; 3],
    /// Light whose photon noise equals the sensor's own noise.
    floor: f32,
}

/// Pixels around a pixel that influence it, from a scale on.
fn reach(first: usize) -> u32 {
    let scales = SCALES - first.min(SCALES);
    // Each scale smooths the one before, and then the energy of its details.
    let smoothed: u32 = (0..scales).map(|scale| 2 << scale).sum();
    smoothed + (1 << scales)
}

/// Fills planes with the light of a region; the last argument is the distance from one row to the
/// next.
pub type Fill<'a> = &'a (dyn Fn(Region, [&mut [f32]; 3], usize) -> Result<(), PictureError> + Sync);

impl Grain {
    /// Measures a frame; `None` where it is too small.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn of(light: &dyn Light) -> Result<Option<Self>, PictureError> {
        Self::within(light, &|_| true)
    }

    /// Measures the regions of a picture that count.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn within(
        light: &dyn Light,
        counts: &(dyn Fn(Region) -> bool + Sync),
    ) -> Result<Option<Self>, PictureError> {
        let (width, height) = light.size();
        let side = PATCH + 2 * reach(0);
        if width < side || height < side {
            return Ok(None);
        }
        let step = (width.max(height) / ACROSS).max(PATCH);
        let places: Vec<Region> = (0..=height - side)
            .step_by(step as usize)
            .flat_map(|y| (0..=width - side).step_by(step as usize).map(move |x| (x, y)))
            .map(|(x, y)| Region { x, y, width: side, height: side })
            .filter(|place| counts(*place))
            .collect();
        if places.is_empty() {
            return Ok(None);
        }
        let patches: Result<Vec<NoisePatch>, PictureError> =
            places.par_iter().map(|place| NoisePatch::of(light, *place)).collect();
        let patches = patches?;
        let floor = floor(&patches);
        // Details only ever add energy, so the plainer patches show the noise.
        let sigma = [0, 1, 2].map(|plane| {
            [0, 1, 2, 3].map(|scale| {
                let mut all: Vec<f32> = patches
                    .iter()
                    .map(|patch| patch.sigma[plane][scale] / (patch.level + floor).max(1e-6).sqrt())
                    .collect();
                all.sort_by(f32::total_cmp);
                all[all.len() / 3]
            })
        });
        Ok(Some(Self { sigma, floor }))
    }

    /// How noise grows with light: its standard deviation, up to a factor.
    pub fn noise(&self, light: f32) -> f32 {
        (light.max(0.0) + self.floor).sqrt()
    }
}

impl Denoiser {
    /// For a frame with this noise; `None` where there is nothing to do.
    pub fn new(amount: Denoise, grain: Option<Grain>) -> Option<Self> {
        let grain = grain.filter(|_| amount != Denoise::default())?;
        Some(Self { amount, grain })
    }

    /// Fills `planes` with the denoised light of `region` of a picture of a size. A picture that
    /// was halved `halved` times has the noise of the frame at coarser scales.
    ///
    /// # Errors
    /// The error of `fill`.
    pub fn fill(
        &self,
        (size, halved): ((u32, u32), usize),
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
        fill: Fill,
    ) -> Result<(), PictureError> {
        if halved >= SCALES {
            return fill(region, planes, stride);
        }
        let around = around(region, size, reach(halved));
        let (width, height) = (around.width as usize, around.height as usize);
        let mut light: Planes = [(); 3].map(|()| vec![0.0; around.area()]);
        fill(around, light.each_mut().map(Vec::as_mut_slice), width)?;
        let mut parts = apart(light);
        self.reduce(&mut parts, width, halved);
        debug_assert_eq!(parts[0].len(), width * height);
        let (left, top) = ((region.x - around.x) as usize, (region.y - around.y) as usize);
        let [red, green, blue] = planes;
        for y in 0..region.height as usize {
            let from = (top + y) * width + left;
            for x in 0..region.width as usize {
                let [r, g, b] = together([0, 1, 2].map(|plane: usize| parts[plane][from + x]));
                let to = y * stride + x;
                (red[to], green[to], blue[to]) = (r, g, b);
            }
        }
        Ok(())
    }

    /// The denoised light of a region as three planes, as [`Denoiser::fill`].
    ///
    /// # Errors
    /// The error of `fill`.
    pub fn planes(
        &self,
        picture: ((u32, u32), usize),
        region: Region,
        fill: Fill,
    ) -> Result<[Vec<f32>; 3], PictureError> {
        let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
        let out = planes.each_mut().map(Vec::as_mut_slice);
        self.fill(picture, region, out, region.width as usize, fill)?;
        Ok(planes)
    }

    /// Denoises planes of a region of this width.
    fn reduce(&self, parts: &mut Planes, width: usize, halved: usize) {
        let brightness = smoothed(&parts[0], width, SCALES - halved);
        // The variance of noise follows the light around; the smoothest brightness shows it.
        let around = brightness.last().expect("there is one scale");
        let noise: Vec<f32> =
            around.iter().map(|light| light.max(0.0) + self.grain.floor).collect();
        let Denoise { luminance, colour } = self.amount;
        let [bright, red_blue, green] = parts;
        if luminance > 0.0 {
            self.reduce_plane((0, luminance, BRIGHT), bright, &brightness, &noise, width, halved);
        }
        drop(brightness);
        if colour > 0.0 {
            for (plane, part) in [(1, red_blue), (2, green)] {
                let scales = smoothed(part, width, SCALES - halved);
                self.reduce_plane((plane, colour, COLOUR), part, &scales, &noise, width, halved);
            }
        }
    }

    /// Denoises one plane, given with its smoothed versions in `scales`, by an amount, with a limit
    /// in standard deviations at each scale; `noise` is its variance up to a factor.
    fn reduce_plane(
        &self,
        (plane, amount, within): (usize, f32, [f32; SCALES]),
        part: &mut [f32],
        scales: &[Vec<f32>],
        noise: &[f32],
        width: usize,
        halved: usize,
    ) {
        let unreduced = part.to_vec();
        let mut squares = vec![0.0; part.len()];
        for (scale, coarser) in scales.iter().enumerate() {
            let level = scale + halved;
            let limit = amount * within[level] * self.grain.sigma[plane][level];
            if limit > 0.0 {
                let finer = if scale == 0 { &unreduced } else { &scales[scale - 1] };
                squared(finer, coarser, &mut squares);
                let energy = smoother(&squares, width, 1 << scale);
                shrink([finer, coarser, &energy, noise], limit * limit, part);
            }
        }
    }
}

/// A region with its surroundings, as far as they lie inside the picture.
fn around(region: Region, (width, height): (u32, u32), reach: u32) -> Region {
    let (x, y) = (region.x.saturating_sub(reach), region.y.saturating_sub(reach));
    let (right, low) = (region.x + region.width + reach, region.y + region.height + reach);
    Region { x, y, width: right.min(width) - x, height: low.min(height) - y }
}

/// Brightness and two differences of colour.
fn apart([mut red, mut green, mut blue]: Planes) -> Planes {
    for ((r, g), b) in red.iter_mut().zip(&mut green).zip(&mut blue) {
        let bright = (*r + *g + *b) / 3.0;
        (*r, *g, *b) = (bright, (*r - *b) / 2.0, (2.0 * *g - *r - *b) / 4.0);
    }
    [red, green, blue]
}

/// Red, green and blue again.
fn together([bright, red_blue, green]: [f32; 3]) -> [f32; 3] {
    let both = bright - green * 2.0 / 3.0;
    [both + red_blue, bright + green * 4.0 / 3.0, both - red_blue]
}

/// A plane, smoothed more and more by the cubic spline 1 4 6 4 1, with taps one, two, four ...
/// pixels apart.
fn smoothed(plane: &[f32], width: usize, scales: usize) -> Vec<Vec<f32>> {
    let mut all: Vec<Vec<f32>> = Vec::with_capacity(scales);
    for scale in 0..scales {
        let next = smoother(all.last().map_or(plane, Vec::as_slice), width, 1 << scale);
        all.push(next);
    }
    all
}

const SPLINE: [f32; 3] = [6.0 / 16.0, 4.0 / 16.0, 1.0 / 16.0];

fn smoother(plane: &[f32], width: usize, step: usize) -> Vec<f32> {
    let height = plane.len() / width;
    let row = |y: isize| {
        let y = y.clamp(0, height as isize - 1) as usize;
        &plane[y * width..(y + 1) * width]
    };
    let mut out = vec![0.0; plane.len()];
    // Edge pixels are repeated beyond the edge.
    let mut padded = vec![0.0f32; width + 4 * step];
    for (y, out) in out.chunks_exact_mut(width).enumerate() {
        let at = |by: isize| row(y as isize + by * step as isize);
        weigh([at(-2), at(-1), at(0), at(1), at(2)], &mut padded[2 * step..2 * step + width]);
        let (first, last) = (padded[2 * step], padded[2 * step + width - 1]);
        padded[..2 * step].fill(first);
        padded[2 * step + width..].fill(last);
        weigh([0, 1, 2, 3, 4].map(|by| &padded[by * step..by * step + width]), out);
    }
    out
}

/// Squares of details.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
fn squared(finer: &[f32], coarser: &[f32], out: &mut [f32]) {
    for ((out, fine), coarse) in out.iter_mut().zip(finer).zip(coarser) {
        *out = (fine - coarse) * (fine - coarse);
    }
}

/// Removes from details the share that is noise, by the energy around them.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
fn shrink([finer, coarser, energy, noise]: [&[f32]; 4], limit: f32, part: &mut [f32]) {
    let length = part.len();
    let (finer, coarser) = (&finer[..length], &coarser[..length]);
    let (energy, noise) = (&energy[..length], &noise[..length]);
    for i in 0..length {
        let share = limit * noise[i] / energy[i].max(1e-30);
        part[i] -= (finer[i] - coarser[i]) * if share > 1.0 { 1.0 } else { share };
    }
}

/// The spline's weighted sum of five rows, which are as long as `out`.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
fn weigh([a, b, c, d, e]: [&[f32]; 5], out: &mut [f32]) {
    // Lengths that are visibly equal let the compiler vectorise.
    let length = out.len();
    let (a, b, c, d, e) = (&a[..length], &b[..length], &c[..length], &d[..length], &e[..length]);
    for i in 0..length {
        out[i] = SPLINE[0] * c[i] + SPLINE[1] * (b[i] + d[i]) + SPLINE[2] * (a[i] + e[i]);
    }
}

/// The noise in a patch.
struct NoisePatch {
    level: f32,
    sigma: [[f32; SCALES]; 3],
}

impl NoisePatch {
    fn of(light: &dyn Light, place: Region) -> Result<Self, PictureError> {
        let (width, edge) = (place.width as usize, reach(0) as usize);
        let parts = apart(light.planes(place)?);
        let inner: Vec<usize> = (edge..edge + PATCH as usize)
            .flat_map(|y| (edge..edge + PATCH as usize).map(move |x| y * width + x))
            .collect();
        let sigma = parts.each_ref().map(|plane| {
            let scales = smoothed(plane, width, SCALES);
            let mut finer: &[f32] = plane;
            let mut sigma = [0.0; SCALES];
            for (sigma, coarser) in sigma.iter_mut().zip(&scales) {
                let details: Vec<f32> = inner.iter().map(|&i| finer[i] - coarser[i]).collect();
                *sigma = robust_sigma(&details, 0.0);
                finer = coarser;
            }
            sigma
        });
        let mut bright: Vec<f32> = inner.iter().map(|&i| parts[0][i]).collect();
        Ok(Self { level: median(&mut bright).max(0.0), sigma })
    }
}

/// The light whose photon noise equals the sensor's noise: where the line of variance over light,
/// through the darker and the lighter half of the patches, reaches zero.
fn floor(patches: &[NoisePatch]) -> f32 {
    let mut all: Vec<(f32, f32)> =
        patches.iter().map(|patch| (patch.level, patch.sigma[0][0].powi(2))).collect();
    all.sort_by(|a, b| a.0.total_cmp(&b.0));
    let middle = |half: &[(f32, f32)]| {
        let (mut levels, mut variances): (Vec<f32>, Vec<f32>) = half.iter().copied().unzip();
        (median(&mut levels), median(&mut variances))
    };
    let (dark, bright) = all.split_at(all.len() / 2);
    if dark.is_empty() {
        return 0.01;
    }
    let ((low, quiet), (high, loud)) = (middle(dark), middle(bright));
    let slope = (loud - quiet) / (high - low).max(1e-6);
    // Where noise does not grow with light, it is the same everywhere.
    if slope <= 0.0 { 10.0 } else { (quiet / slope - low).clamp(1e-4, 10.0) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Light with stars on a slope, and photon noise.
    struct Noisy {
        planes: Planes,
        size: (u32, u32),
    }

    const STARS: [(usize, usize); 3] = [(60, 70), (130, 100), (200, 160)];

    impl Noisy {
        fn new(seed: u64, noise: f32) -> Self {
            let size = (256u32, 224u32);
            let mut state = seed;
            let mut draw = || {
                let mut sum = 0.0;
                for _ in 0..6 {
                    state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
                    sum += (state >> 40) as f32 / (1u64 << 24) as f32 - 0.5;
                }
                sum * std::f32::consts::SQRT_2
            };
            let planes = [0.9, 1.0, 1.2].map(|tone: f32| {
                (0..size.0 as usize * size.1 as usize)
                    .map(|i| {
                        let (x, y) = (i % size.0 as usize, i / size.0 as usize);
                        let truth = tone * truth(x, y);
                        truth + noise * truth.sqrt() * draw()
                    })
                    .collect()
            });
            Self { planes, size }
        }
    }

    fn truth(x: usize, y: usize) -> f32 {
        let stars = STARS.iter().map(|&(sx, sy)| {
            let far = (x as f32 - sx as f32).powi(2) + (y as f32 - sy as f32).powi(2);
            0.4 * (-far / 2.0).exp()
        });
        0.02 + 0.08 * y as f32 / 224.0 + stars.sum::<f32>()
    }

    impl Light for Noisy {
        fn size(&self) -> (u32, u32) {
            self.size
        }
        fn fill(
            &self,
            region: Region,
            planes: [&mut [f32]; 3],
            stride: usize,
        ) -> Result<(), PictureError> {
            for (out, plane) in planes.into_iter().zip(&self.planes) {
                for y in 0..region.height as usize {
                    let from = (y + region.y as usize) * self.size.0 as usize + region.x as usize;
                    let width = region.width as usize;
                    out[y * stride..y * stride + width].copy_from_slice(&plane[from..from + width]);
                }
            }
            Ok(())
        }
    }

    fn reduced(light: &Noisy, amount: Denoise, region: Region) -> Planes {
        let grain = Grain::of(light).unwrap();
        let denoiser = Denoiser::new(amount, grain).expect("there is something to do");
        let fill = |region: Region, planes: [&mut [f32]; 3], stride: usize| {
            light.fill(region, planes, stride)
        };
        denoiser.planes((light.size, 0), region, &fill).unwrap()
    }

    const WHOLE: Region = Region { x: 0, y: 0, width: 256, height: 224 };
    const FULL: Denoise = Denoise { luminance: 1.0, colour: 1.0 };

    /// Root mean square of the difference to the truth in plain sky.
    fn error(planes: &Planes, of: impl Fn([f32; 3]) -> f32) -> f32 {
        let plain = (0..WHOLE.area()).filter(|i| {
            let (x, y) = (i % 256, i / 256);
            STARS.iter().all(|&(sx, sy)| x.abs_diff(sx).max(y.abs_diff(sy)) > 12)
        });
        let squares: Vec<f32> = plain
            .map(|i| {
                let tone = [0.9, 1.0, 1.2].map(|tone: f32| tone * truth(i % 256, i / 256));
                let pixel = [0, 1, 2].map(|c: usize| planes[c][i] - tone[c]);
                of(pixel).powi(2)
            })
            .collect();
        (squares.iter().sum::<f32>() / squares.len() as f32).sqrt()
    }

    #[test]
    fn noise_goes_by_the_amount_and_stars_and_levels_stay() {
        let light = Noisy::new(11, 0.03);
        let bright = |p: [f32; 3]| p.iter().sum::<f32>() / 3.0;
        let colour = |p: [f32; 3]| (p[0] - p[2]) / 2.0;
        let before = (error(&light.planes, bright), error(&light.planes, colour));
        let half = reduced(&light, Denoise { luminance: 0.5, colour: 0.0 }, WHOLE);
        let full = reduced(&light, FULL, WHOLE);
        assert!(error(&half, bright) < 0.75 * before.0, "{} {}", error(&half, bright), before.0);
        assert!((error(&half, colour) / before.1 - 1.0).abs() < 0.02, "colour was left alone");
        assert!(error(&full, bright) < 0.35 * before.0, "{} {}", error(&full, bright), before.0);
        assert!(error(&full, colour) < 0.25 * before.1, "{} {}", error(&full, colour), before.1);
        let flux = |planes: &Planes| -> f32 {
            let of = |(sx, sy): (usize, usize)| {
                let square = (sy - 5..=sy + 5).flat_map(|y| (sx - 5..=sx + 5).map(move |x| (x, y)));
                let light: f32 = square.map(|(x, y)| planes[1][y * 256 + x]).sum();
                light - 121.0 * truth(20, sy)
            };
            STARS.into_iter().map(of).sum()
        };
        // The faint dark rings that smoothing leaves around stars go with the noise.
        for (planes, within) in [(&half, 0.02), (&full, 0.06)] {
            let (now, was) = (flux(planes), flux(&light.planes));
            assert!((now / was - 1.0).abs() < within, "the stars' light: {now} of {was}");
        }
        let mean = |planes: &Planes| planes[1].iter().sum::<f32>();
        assert!((mean(&full) / mean(&light.planes) - 1.0).abs() < 0.002);
    }

    #[test]
    fn nothing_to_do_is_nothing() {
        let light = Noisy::new(6, 0.03);
        let grain = Grain::of(&light).unwrap();
        assert!(grain.is_some() && Denoiser::new(Denoise::default(), grain).is_none());
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(12))]

        /// A part equals the same part of the whole: tiles show no seams.
        #[test]
        fn parts_are_as_in_the_whole(
            x in 0u32..250, y in 0u32..220, width in 1u32..90, height in 1u32..90,
        ) {
            let light = Noisy::new(7, 0.03);
            let whole = reduced(&light, FULL, WHOLE);
            let region =
                Region { x, y, width: width.min(256 - x), height: height.min(224 - y) };
            let part = reduced(&light, FULL, region);
            for (i, value) in part[0].iter().enumerate() {
                let at = (i as u32 / region.width + y) * 256 + i as u32 % region.width + x;
                prop_assert!((value - whole[0][at as usize]).abs() < 1e-6);
            }
        }

        /// Colours are the same after splitting and joining.
        #[test]
        fn colours_come_back(pixel in prop::array::uniform3(-0.5f32..4.0)) {
            let [bright, red_blue, green] = apart(pixel.map(|v| vec![v]));
            let back = together([bright[0], red_blue[0], green[0]]);
            for (value, was) in back.iter().zip(pixel) {
                prop_assert!((value - was).abs() < 1e-5);
            }
        }
    }
}
