//! Noise of a patch: a robust standard deviation of what remains without the smooth part and the
//! stars.

use crate::sharpness::Sharpness;
use jade_optics::light::Light;
use jade_optics::star::Star;
use jade_optics::statistics::{median, robust_sigma};
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::report::NoiseGain;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// Half the side, in pixels, of the box whose mean is the smooth part.
const SMOOTH: usize = 6;
/// Side of the patches by which a whole picture is measured, in pixels.
const PATCH: u32 = 48;

/// Figures of a patch.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PatchFigures {
    /// Standard deviation of the noise of the mean of colours, in linear light (white is 1).
    pub noise: f32,
    /// Median of the mean of colours, in linear light.
    pub level: f32,
    /// Fine detail including noise: the root of its [`Sharpness`], as a share of the root of white.
    pub detail: f32,
}

/// Measures `region`, which must lie inside the picture; at least 16 pixels in both directions for
/// a reliable figure.
///
/// # Errors
/// [`PictureError::Io`].
pub fn measure(light: &dyn Light, region: Region) -> Result<PatchFigures, PictureError> {
    let values = light.mean(region)?;
    let level = median(&mut values.clone());
    let width = region.width as usize;
    let noise = noise(&values, width);
    Ok(PatchFigures { noise, level, detail: Sharpness::of_patch(values, width).sqrt() })
}

/// The noise of `region`, as in [`measure`].
///
/// # Errors
/// [`PictureError::Io`].
pub fn noise_in(light: &dyn Light, region: Region) -> Result<f32, PictureError> {
    Ok(noise(&light.mean(region)?, region.width as usize))
}

/// Robust standard deviation of the high-pass of values in rows of `width`. What stands out by more
/// than four standard deviations (stars, hot pixels) is removed with its surroundings, and the rest
/// is measured again.
pub fn noise(values: &[f32], width: usize) -> f32 {
    let mut values = values.to_vec();
    let mut sigma = 0.0;
    for _ in 0..4 {
        let rest = high_pass(&values, width);
        sigma = robust_sigma(&rest, median(&mut rest.clone()));
        let out: Vec<usize> = (0..rest.len()).filter(|&i| rest[i].abs() > 4.0 * sigma).collect();
        if out.is_empty() || sigma == 0.0 {
            break;
        }
        let middle = values.clone();
        // A star is replaced by the smooth part, so that it does not lift the mean of its
        // neighbours.
        for i in out {
            values[i] = middle[i] - rest[i];
        }
    }
    sigma
}

/// [`noise`] of the mean of colours of interleaved light.
pub fn of_light(light: &[f32], width: usize) -> f32 {
    let mean = light.as_chunks::<3>().0.iter().map(|p| p.iter().sum::<f32>() / 3.0);
    noise(&mean.collect::<Vec<_>>(), width)
}

fn high_pass(values: &[f32], width: usize) -> Vec<f32> {
    let height = values.len() / width;
    let mut sums = vec![0.0f64; (width + 1) * (height + 1)];
    for y in 0..height {
        let mut row = 0.0;
        for x in 0..width {
            row += values[y * width + x] as f64;
            sums[(y + 1) * (width + 1) + x + 1] = sums[y * (width + 1) + x + 1] + row;
        }
    }
    let mut rest = Vec::with_capacity(values.len());
    for y in 0..height {
        let (top, low) = (y.saturating_sub(SMOOTH), (y + SMOOTH + 1).min(height));
        for x in 0..width {
            let (left, right) = (x.saturating_sub(SMOOTH), (x + SMOOTH + 1).min(width));
            let at = |v: usize, u: usize| sums[v * (width + 1) + u];
            let sum = at(low, right) - at(top, right) - at(low, left) + at(top, left);
            let mean = sum / ((low - top) * (right - left)) as f64;
            rest.push(values[y * width + x] - mean as f32);
        }
    }
    rest
}

/// Decides which patches of a result count.
pub type Within<'a> = &'a dyn Fn(Region) -> bool;

/// Noise of a picture: the median over patches spread over it; 0 when the picture is smaller than a
/// patch.
///
/// # Errors
/// [`PictureError::Io`].
pub fn typical(light: &dyn Light) -> Result<f32, PictureError> {
    let (width, height) = light.size();
    let patches = whole_patches(width, height);
    let step = patches.len().div_ceil(60).max(1);
    let mut figures = Vec::new();
    for patch in patches.into_iter().step_by(step) {
        figures.push(noise_in(light, patch)?);
    }
    Ok(if figures.is_empty() { 0.0 } else { median(&mut figures) })
}

fn whole_patches(width: u32, height: u32) -> Vec<Region> {
    let whole = |p: &Region| p.width == PATCH && p.height == PATCH;
    Region::covering(width, height, [PATCH; 2]).into_iter().filter(whole).collect()
}

/// Up to `most` patches by which a result is measured, in its own pixels. `origin` is its top-left
/// pixel in the reference frame. Patches lie in the sky, near `stars` of the reference frame;
/// without stars they are those with the least detail. Only patches that are `within` count.
///
/// # Errors
/// [`PictureError::Io`].
pub fn patches(
    result: &dyn Light,
    origin: [u32; 2],
    stars: &[Star],
    most: usize,
    within: Within,
) -> Result<Vec<Region>, PictureError> {
    let patches = candidates(result.size(), origin, stars, most, within);
    if !stars.is_empty() {
        return Ok(patches);
    }
    let ranked: Result<Vec<(f32, Region)>, PictureError> =
        patches.into_par_iter().map(|p| Ok((detail(&result.mean(p)?), p))).collect();
    let mut ranked = ranked?;
    ranked.sort_by(|a, b| a.0.total_cmp(&b.0));
    ranked.truncate(ranked.len().div_ceil(4));
    Ok(ranked.into_iter().map(|(_, p)| p).collect())
}

/// The patches that [`patches`] chooses from, for a result of this size.
pub fn candidates(
    (width, height): (u32, u32),
    origin: [u32; 2],
    stars: &[Star],
    most: usize,
    within: Within,
) -> Vec<Region> {
    let mut patches = whole_patches(width, height);
    patches.retain(|patch| within(*patch));
    if !stars.is_empty() {
        let clear = stars.iter().filter(|s| s.snr > 8.0);
        let mut places: Vec<[f64; 2]> = clear.map(|s| [s.x, s.y]).collect();
        places.sort_by(|a, b| a[1].total_cmp(&b[1]));
        patches.retain(|p| near_stars(*p, origin, &places));
    }
    let few = if stars.is_empty() { 4 * most } else { most };
    let step = patches.len().div_ceil(few).max(1);
    patches.into_iter().step_by(step).collect()
}

/// How much a patch varies between squares of 6 x 6 pixels, relative to its level; noise of single
/// pixels hardly influences it.
fn detail(values: &[f32]) -> f32 {
    const SQUARE: usize = 6;
    let side = PATCH as usize;
    let across = side / SQUARE;
    let mut squares = vec![0.0f32; across * across];
    for (i, v) in values.iter().enumerate() {
        squares[i / side / SQUARE * across + i % side / SQUARE] += v;
    }
    let sum: f32 = squares.iter().sum();
    let mut steps = 0.0;
    for (i, v) in squares.iter().enumerate() {
        let next = |at: usize, inside: bool| if inside { (squares[at] - v).abs() } else { 0.0 };
        steps += next((i + 1).min(squares.len() - 1), i % across + 1 < across);
        steps += next((i + across).min(squares.len() - 1), i + across < squares.len());
    }
    steps / sum.max(1e-6)
}

/// The noise gain of a whole picture: the median over patches in the sky, near `stars` of the
/// reference frame, or over all patches without stars. `origin` is the result's top-left pixel in
/// the reference frame. `None` when the result is smaller than a patch.
///
/// # Errors
/// [`PictureError::Io`].
pub fn gain(
    reference: &dyn Light,
    result: &dyn Light,
    origin: [u32; 2],
    stars: &[Star],
    ideal_gain: f32,
    within: Within,
) -> Result<Option<NoiseGain>, PictureError> {
    // About two hundred patches give the same figure as all of them.
    let patches = patches(result, origin, stars, 200, within)?;
    let measured: Result<Vec<[f32; 3]>, PictureError> = patches
        .into_par_iter()
        .map(|patch| {
            let there = patch.moved(origin);
            // Measured as the lens imaged it: a corrected picture has less noise, as its pixels are
            // means.
            let there = match reference.lens() {
                Some(lens) => lens.shifted(there, reference.size()),
                None => there,
            };
            let single = noise_in(reference, there)?;
            let result = noise_in(result, patch)?;
            Ok([single, result, single / result])
        })
        .collect();
    let mut figures = measured?;
    figures.retain(|[single, result, _]| *single > 0.0 && *result > 0.0);
    if figures.is_empty() {
        return Ok(None);
    }
    let middle = |i: usize| median(&mut figures.iter().map(|f| f[i]).collect::<Vec<_>>());
    Ok(Some(NoiseGain { single: middle(0), result: middle(1), gain: middle(2), ideal_gain }))
}

/// Whether stars, sorted from top to bottom, lie on at least three of the patch's four sides, so
/// that it lies in the sky.
fn near_stars(patch: Region, origin: [u32; 2], stars: &[[f64; 2]]) -> bool {
    const NEAR: f64 = 3.0 * PATCH as f64;
    let half = PATCH as f64 / 2.0;
    let x = (patch.x + origin[0]) as f64 + half;
    let y = (patch.y + origin[1]) as f64 + half;
    let from = stars.partition_point(|star| star[1] <= y - NEAR);
    let mut sides = [false; 4];
    for star in stars[from..].iter().take_while(|star| star[1] < y + NEAR) {
        let (dx, dy) = (star[0] - x, star[1] - y);
        if dx.abs() < NEAR {
            sides[usize::from(dx > 0.0) + 2 * usize::from(dy > 0.0)] = true;
        }
    }
    sides.iter().filter(|s| **s).count() >= 3
}

#[cfg(test)]
mod tests {
    use super::*;

    fn normal(i: u32) -> f32 {
        let hash = blake3::hash(&i.to_le_bytes());
        hash.as_bytes()[..24].iter().map(|&b| b as f32 / 255.0 - 0.5).sum::<f32>() / 1.414
    }

    /// Noise of known sigma on a slope, with a star on it.
    fn patch(sigma: f32, star: f32) -> Vec<f32> {
        (0..48 * 48)
            .map(|i| {
                let (x, y) = ((i % 48) as f32, (i / 48) as f32);
                let r2 = (x - 20.0).powi(2) + (y - 30.0).powi(2);
                0.1 + 0.001 * x + sigma * normal(i) + star * (-r2 / 3.0).exp()
            })
            .collect()
    }

    #[test]
    fn sigma_is_found_on_a_slope_and_beside_a_star() {
        for star in [0.0, 0.5] {
            let found = noise(&patch(0.01, star), 48);
            assert!((found / 0.01 - 1.0).abs() < 0.06, "sigma {found} with a star of {star}");
        }
    }

    #[test]
    fn an_even_patch_has_no_noise() {
        assert_eq!(noise(&[0.25; 48 * 48], 48), 0.0);
    }
}
