//! Smoothing of the sky between the stars. Stars are separated from the background by morphology:
//! what an opening removes (Serra 1982) beyond the noise is a star, with its surroundings. The
//! background is interpolated behind them and denoised as in frames ([`jade_frames::denoise`]);
//! then the stars are added back unchanged.

use crate::adjustment::{Adjustment, Layer};
use jade_align::noise;
use jade_combine::backdrop::extend;
use jade_frames::denoise::{Denoiser, Grain};
use jade_optics::light::Light;
use jade_optics::statistics::{median, robust_sigma};
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::report::FinishReport;
use jade_plan::{CoreError, Denoise, FinishPlan};
use rayon::prelude::*;

/// Half side of the opening's square, in pixels; stars are narrower than its side.
const OPENING: usize = 3;
/// Pixels around a star's bright part that belong to the star too.
const RIM: usize = 2;
/// Standard deviations of an opened noise by which a star exceeds it.
const CLEAR: f32 = 4.5;
/// Pixels around a region that affect it.
const REACH: u32 = 64;
/// Side of the patches in which an opening of noise alone is measured.
const PATCH: u32 = 64;
/// Patches along the longer side.
const ACROSS: u32 = 16;

/// Patches by which the noise is measured.
const PATCHES: usize = 12;

/// Fits smoothing to a sky. Fails with [`CoreError::Frames`] if there is too little sky.
pub fn fit(
    plan: &FinishPlan,
    sky: &Layer,
    _: &(dyn Fn() -> bool + Sync),
) -> Result<Option<Box<dyn Adjustment>>, CoreError> {
    if plan.smoothing == 0.0 {
        return Ok(None);
    }
    let smoothing = Smoothing::of(sky.light, plan.smoothing, &|region| sky.is_alone(region))?;
    let smoothing = smoothing.ok_or_else(|| {
        CoreError::Frames(
            "This picture shows too little sky to see its noise; set sky smoothing to 0."
                .to_owned(),
        )
    })?;
    Ok(Some(Box::new(smoothing)))
}

impl Adjustment for Smoothing {
    fn reads_around(&self) -> bool {
        true
    }

    fn planes(&self, before: &dyn Light, region: Region) -> Result<[Vec<f32>; 3], PictureError> {
        Smoothing::planes(self, before, region)
    }

    fn report(
        &self,
        before: &Layer,
        after: &dyn Light,
        report: &mut FinishReport,
    ) -> Result<(), PictureError> {
        report.noise = noise_of(before, after)?;
        Ok(())
    }
}

/// Smooths one sky.
pub struct Smoothing {
    denoiser: Denoiser,
    grain: Grain,
    /// Least light of a star that an opening removes, relative to the noise there.
    limit: f32,
}

impl Smoothing {
    /// Fits smoothing to a picture's sky, where `is_sky` says whether a region shows sky alone;
    /// `None` if there is nothing to do, or too little sky to measure its noise.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn of(
        light: &dyn Light,
        amount: f32,
        is_sky: &(dyn Fn(Region) -> bool + Sync),
    ) -> Result<Option<Self>, PictureError> {
        let denoise = Denoise { luminance: amount, colour: amount };
        let Some(grain) = Grain::within(light, is_sky)? else { return Ok(None) };
        let Some(denoiser) = Denoiser::new(denoise, Some(grain.clone())) else { return Ok(None) };
        let (width, height) = light.size();
        let step = (width.max(height) / ACROSS).max(PATCH) as usize;
        let patches: Vec<Region> = (0..height.saturating_sub(PATCH))
            .step_by(step)
            .flat_map(|y| (0..width.saturating_sub(PATCH)).step_by(step).map(move |x| (x, y)))
            .map(|(x, y)| Region { x, y, width: PATCH, height: PATCH })
            .filter(|patch| is_sky(*patch))
            .collect();
        let limits: Result<Vec<f32>, PictureError> = patches
            .into_par_iter()
            .map(|patch| {
                let (mut opened, mut rest) =
                    opened(&brightness(&light.planes(patch)?), PATCH as usize);
                let level = median(&mut opened);
                let middle = median(&mut rest);
                Ok((middle + CLEAR * robust_sigma(&rest, middle)) / grain.noise(level))
            })
            .collect();
        let mut limits = limits?;
        if limits.is_empty() {
            return Ok(None);
        }
        // Stars only add light, so the plainer patches show the effect of noise alone.
        limits.sort_by(f32::total_cmp);
        let limit = limits[limits.len() / 3];
        Ok(Some(Self { denoiser, grain, limit }))
    }

    /// The light of a region, smoothed between the stars, as three planes.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn planes(&self, light: &dyn Light, region: Region) -> Result<[Vec<f32>; 3], PictureError> {
        let outer = region.widened(REACH, light.size());
        let width = outer.width as usize;
        let planes = light.planes(outer)?;
        let stars = self.stars(&planes, width);
        let mut behind: Vec<[f32; 3]> =
            (0..stars.len()).map(|i| planes.each_ref().map(|plane| plane[i])).collect();
        let weights: Vec<f32> = stars.iter().map(|share| 1.0 - share).collect();
        extend(&mut behind, &weights, width, outer.height as usize);
        let inner = Region { x: region.x - outer.x, y: region.y - outer.y, ..region };
        let fill = |part: Region, out: [&mut [f32]; 3], stride: usize| {
            for (c, out) in out.into_iter().enumerate() {
                for y in 0..part.height as usize {
                    let from = (part.y as usize + y) * width + part.x as usize;
                    let row = &mut out[y * stride..][..part.width as usize];
                    row.iter_mut().zip(&behind[from..]).for_each(|(out, pixel)| *out = pixel[c]);
                }
            }
            Ok(())
        };
        let size = (outer.width, outer.height);
        let mut smooth = self.denoiser.planes((size, 0), inner, &fill)?;
        for (smooth, plane) in smooth.iter_mut().zip(&planes) {
            for (y, row) in smooth.chunks_exact_mut(inner.width as usize).enumerate() {
                let from = (inner.y as usize + y) * width + inner.x as usize;
                for ((out, light), share) in row.iter_mut().zip(&plane[from..]).zip(&stars[from..])
                {
                    *out = share * light + (1.0 - share) * *out;
                }
            }
        }
        Ok(smooth)
    }

    /// Share of each pixel that belongs to a star: 0 or 1, with a soft border.
    fn stars(&self, planes: &[Vec<f32>; 3], width: usize) -> Vec<f32> {
        let (opened, rest) = opened(&brightness(planes), width);
        let stands_out = |(rest, level): (&f32, &f32)| -> f32 {
            f32::from(u8::from(*rest > self.limit * self.grain.noise(*level)))
        };
        let stars: Vec<f32> = rest.iter().zip(&opened).map(stands_out).collect();
        averaged(&most(&stars, width, RIM), width)
    }
}

fn brightness([red, green, blue]: &[Vec<f32>; 3]) -> Vec<f32> {
    red.iter().zip(green).zip(blue).map(|((r, g), b)| (r + g + b) / 3.0).collect()
}

/// A plane averaged over 3 x 3 pixels and opened, and what the opening removed.
fn opened(plane: &[f32], width: usize) -> (Vec<f32>, Vec<f32>) {
    let smooth = averaged(plane, width);
    let negative: Vec<f32> = smooth.iter().map(|v| -v).collect();
    let least: Vec<f32> = most(&negative, width, OPENING).into_iter().map(|v| -v).collect();
    let opened = most(&least, width, OPENING);
    let rest = smooth.iter().zip(&opened).map(|(value, opened)| value - opened).collect();
    (opened, rest)
}

/// The largest value in a square of `reach` pixels to each side.
fn most(plane: &[f32], width: usize, reach: usize) -> Vec<f32> {
    let height = plane.len() / width;
    let mut rows = plane.to_vec();
    for (out, from) in rows.chunks_exact_mut(width).zip(plane.chunks_exact(width)) {
        for by in 1..=reach.min(width - 1) {
            out[by..].iter_mut().zip(from).for_each(|(out, value)| *out = larger(*out, *value));
            out.iter_mut().zip(&from[by..]).for_each(|(out, value)| *out = larger(*out, *value));
        }
    }
    let mut all = rows.clone();
    for (y, out) in all.chunks_exact_mut(width).enumerate() {
        for row in y.saturating_sub(reach)..(y + reach + 1).min(height) {
            let from = &rows[row * width..][..width];
            out.iter_mut().zip(from).for_each(|(out, value)| *out = larger(*out, *value));
        }
    }
    all
}

/// The larger of two numbers, in a form that vectorises.
fn larger(a: f32, b: f32) -> f32 {
    if a > b { a } else { b }
}

/// The mean of 3 x 3 pixels; edges repeat.
fn averaged(plane: &[f32], width: usize) -> Vec<f32> {
    let height = plane.len() / width;
    let mut rows = vec![0.0; plane.len()];
    for (out, row) in rows.chunks_exact_mut(width).zip(plane.chunks_exact(width)) {
        for x in 0..width {
            out[x] = (row[x.saturating_sub(1)] + row[x] + row[(x + 1).min(width - 1)]) / 3.0;
        }
    }
    let row = |y: usize| &rows[y * width..][..width];
    let mut out = Vec::with_capacity(plane.len());
    for y in 0..height {
        let (above, here, below) = (row(y.saturating_sub(1)), row(y), row((y + 1).min(height - 1)));
        out.extend((0..width).map(|x| (above[x] + here[x] + below[x]) / 3.0));
    }
    out
}

/// Noise of the plainest patches of the sky, before and after.
fn noise_of(sky: &Layer, after: &dyn Light) -> Result<Option<[f32; 2]>, PictureError> {
    let patches = noise::patches(sky.light, [0, 0], &[], PATCHES, &|region| sky.is_alone(region))?;
    let middle = |mut all: Vec<f32>| {
        all.sort_by(f32::total_cmp);
        all.get(all.len() / 2).copied()
    };
    let of = |light: &dyn Light| -> Result<Option<f32>, PictureError> {
        let all: Result<Vec<f32>, PictureError> =
            patches.iter().map(|patch| noise::noise_in(light, *patch)).collect();
        Ok(middle(all?))
    };
    Ok(of(sky.light)?.zip(of(after)?).map(|(was, now)| [was, now]))
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_align::noise::noise;
    use jade_optics::drawn::Drawn;

    const SIZE: (u32, u32) = (512, 384);

    /// Stars of a width of 2.4 pixels: where, and how bright.
    fn stars() -> impl Iterator<Item = ([f32; 2], f32)> {
        (0..60).map(|i| {
            let at = [(i * 83 % 480 + 16) as f32 + 0.3, (i * 131 % 350 + 16) as f32 - 0.2];
            (at, [0.012, 0.05, 0.4][i % 3])
        })
    }

    fn truth([x, y]: [u32; 2]) -> f32 {
        let near = |[a, b]: [f32; 2]| (x as f32 - a).powi(2) + (y as f32 - b).powi(2);
        let light: f32 = stars()
            .filter(|(at, _)| near(*at) < 100.0)
            .map(|(at, value)| value * (-near(at) / 2.0).exp())
            .sum();
        0.03 + 0.00002 * y as f32 + light
    }

    fn grain([x, y]: [u32; 2], c: usize) -> f32 {
        let mut state = u64::from(x) << 40 ^ u64::from(y) << 20 ^ c as u64;
        let mut draw = || {
            state = state.wrapping_add(0x9e37_79b9_7f4a_7c15);
            let mut v = (state ^ state >> 30).wrapping_mul(0xbf58_476d_1ce4_e5b9);
            v = (v ^ v >> 27).wrapping_mul(0x94d0_49bb_1331_11eb);
            ((v ^ v >> 31) >> 40) as f32 / (1u64 << 24) as f32 - 0.5
        };
        (0..6).map(|_| draw()).sum::<f32>() * std::f32::consts::SQRT_2
    }

    fn light(at: [u32; 2], c: usize) -> f32 {
        truth(at) + 0.002 * grain(at, c)
    }

    fn smoothed(region: Region) -> [Vec<f32>; 3] {
        let sky = Drawn { size: SIZE, of: light };
        let smoothing = Smoothing::of(&sky, 1.0, &|_| true).unwrap().unwrap();
        smoothing.planes(&sky, region).unwrap()
    }

    #[test]
    fn noise_between_stars_goes_and_stars_stay_as_they_are() {
        let whole = Region { x: 0, y: 0, width: SIZE.0, height: SIZE.1 };
        let planes = smoothed(whole);
        let before = Drawn { size: SIZE, of: light }.planes(whole).unwrap();
        let of = |planes: &[Vec<f32>; 3]| noise(&brightness(planes), SIZE.0 as usize);
        let (now, was) = (of(&planes), of(&before));
        assert!(now < 0.4 * was, "{now} of {was}");
        for ([x, y], bright) in stars() {
            // Also the faintest, of ten times the noise of the mean of colours.
            let at = y.round() as usize * SIZE.0 as usize + x.round() as usize;
            for (plane, was) in planes.iter().zip(&before) {
                assert_eq!(plane[at], was[at], "a star of {bright} at {x}, {y}");
            }
        }
    }

    #[test]
    fn regions_fit_together() {
        let whole = smoothed(Region { x: 0, y: 0, width: SIZE.0, height: SIZE.1 });
        let part = Region { x: 150, y: 100, width: 90, height: 70 };
        let alone = smoothed(part);
        for (i, value) in alone[1].iter().enumerate() {
            let at = (100 + i / 90) * SIZE.0 as usize + 150 + i % 90;
            let off = (value - whole[1][at]).abs();
            // The interpolation behind a star depends a little on where the region ends.
            assert!(off < 0.0004, "{off} at {}, {}", i % 90, i / 90);
        }
    }

    #[test]
    fn a_picture_without_sky_is_not_smoothed() {
        let sky = Drawn { size: SIZE, of: light };
        assert!(Smoothing::of(&sky, 1.0, &|_| false).unwrap().is_none());
        assert!(Smoothing::of(&sky, 0.0, &|_| true).unwrap().is_none());
    }
}
