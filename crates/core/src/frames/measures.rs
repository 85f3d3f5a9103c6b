//! What a frame alone shows: how many stars and how sharp, how bright, how sharp its details.

use crate::align::background::median;
use crate::align::stars::{Star, StarList};
use crate::frames::Frame;
use crate::frames::Light;
use crate::measure::noise;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Figures of one frame, by which it is compared with those beside it.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
pub struct Measures {
    /// Stars found; lamps and hot pixels may be among them.
    pub stars: u32,
    /// Median full width at half maximum of well measured stars in pixels.
    pub star_width_px: Option<f32>,
    /// Standard error of that in pixels.
    #[serde(default)]
    pub star_width_error_px: Option<f32>,
    /// Median of shorter by longer axis of bright stars, 0 to 1.
    pub roundness: Option<f32>,
    /// Median background in linear light; white is 1.
    pub level: f32,
    /// Contrast of the sharpest tenth of the picture over two pixels, less what noise makes of it,
    /// as a share of the brightness there.
    pub sharpness: f32,
    /// Share of pixels with a colour at the white point, 0 to 1.
    pub clipped: f32,
    /// Share of stars that have a second one beside them, all in the same direction and as far
    /// away, 0 to 1.
    #[serde(default)]
    pub doubled: f32,
    /// Light in red and in blue, each over that in green, of a typical patch; `None` where there is
    /// too little to tell.
    #[serde(default)]
    pub colour: Option<[f32; 2]>,
}

/// Side of the patches by which sharpness is judged, in pixels.
const PATCH: u32 = 48;
/// Patches along the longer side.
const ACROSS: u32 = 20;
/// Light from which on a colour counts as clipped.
const WHITE: f32 = 0.998;
/// Less light has no colour.
const COLOURED: f32 = 0.004;
/// Stars this near to each other in pixels may be one twice.
const TWICE: f64 = 16.0;
/// How well the directions of such pairs agree, in pixels.
const AGREE: f64 = 0.8;
/// Stars that are looked at for pairs.
const PAIRED: usize = 600;
/// Fewer bright stars tell no roundness.
const FEWEST: usize = 8;

impl Measures {
    /// Measures a frame whose stars were found.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] when `stop` says so.
    pub fn of(
        frame: &Frame,
        stars: &StarList,
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Self, PictureError> {
        let (width, height) = frame.size();
        let side = PATCH.min(width).min(height);
        let step = (width.max(height) / ACROSS).max(side);
        let places: Vec<Region> = (0..=height - side)
            .step_by(step as usize)
            .flat_map(|y| (0..=width - side).step_by(step as usize).map(move |x| (x, y)))
            .map(|(x, y)| Region { x, y, width: side, height: side })
            .collect();
        let patches: Result<Vec<Patch>, PictureError> = places
            .par_iter()
            .map(|place| match stop() {
                true => Err(PictureError::Cancelled),
                false => Patch::of(frame, *place),
            })
            .collect();
        let patches = patches?;
        let mut contrasts: Vec<f32> = patches.iter().map(|p| p.contrast).collect();
        contrasts.sort_by(|a, b| b.total_cmp(a));
        let clipped: usize = patches.iter().map(|p| p.clipped).sum();
        let bright = stars.stars.iter().filter(|s| s.snr > 20.0 && !s.saturated);
        let mut round: Vec<f32> = bright.map(|s| s.roundness).take(400).collect();
        Ok(Self {
            stars: stars.stars.len() as u32,
            star_width_px: stars.star_width,
            star_width_error_px: stars.star_width_error(),
            roundness: (round.len() >= FEWEST).then(|| median(&mut round)),
            level: stars.sky_level,
            sharpness: contrasts[contrasts.len() / 10],
            clipped: clipped as f32 / (patches.len() as f32 * (side * side) as f32),
            doubled: doubled(&stars.stars),
            colour: colour(&patches),
        })
    }
}

/// Share of the brighter stars that take part in pairs which are all alike.
fn doubled(stars: &[Star]) -> f32 {
    let mut all: Vec<&Star> = stars.iter().collect();
    all.sort_by(|a, b| b.flux.total_cmp(&a.flux));
    all.truncate(PAIRED);
    // Of faint ones the second may be lost in the noise.
    let bright = all.len() / 3;
    if bright < FEWEST {
        return 0.0;
    }
    let mut pairs: Vec<[f64; 2]> = Vec::new();
    for (i, star) in all[..bright].iter().enumerate() {
        for (j, other) in all.iter().enumerate() {
            let away = [other.x - star.x, other.y - star.y];
            // Either of two bright ones may be the first.
            if i != j && away.iter().all(|d| d.abs() < TWICE) {
                pairs.push(away);
                pairs.push(away.map(|d| -d));
            }
        }
    }
    let alike = |pair: &[f64; 2]| {
        pairs.iter().filter(|p| (p[0] - pair[0]).hypot(p[1] - pair[1]) < AGREE).count()
    };
    let most = pairs.iter().take(PAIRED).map(alike).max().unwrap_or(0);
    (most as f32 / bright as f32).min(1.0)
}

fn colour(patches: &[Patch]) -> Option<[f32; 2]> {
    let [red, green, blue] = [0, 1, 2].map(|channel| {
        median(&mut patches.iter().map(|patch| patch.colour[channel]).collect::<Vec<f32>>())
    });
    (green > COLOURED).then(|| [red / green, blue / green])
}

struct Patch {
    contrast: f32,
    clipped: usize,
    /// Mean red, green and blue.
    colour: [f32; 3],
}

impl Patch {
    fn of(frame: &Frame, place: Region) -> Result<Self, PictureError> {
        let planes = frame.planes(place)?;
        let pixels = 0..place.area();
        let grey: Vec<f32> =
            pixels.clone().map(|i| planes.iter().map(|p| p[i]).sum::<f32>() / 3.0).collect();
        let clipped = pixels.filter(|&i| planes.iter().any(|plane| plane[i] >= WHITE)).count();
        let width = place.width as usize;
        let sigma = noise::noise(&grey, width);
        let (mut squares, mut count) = (0.0f64, 0usize);
        for row in grey.chunks_exact(width) {
            for (a, b) in row.iter().zip(&row[2.min(width)..]) {
                squares += f64::from(b - a).powi(2);
                count += 1;
            }
        }
        for (above, below) in grey.chunks_exact(width).zip(grey.chunks_exact(width).skip(2)) {
            for (a, b) in above.iter().zip(below) {
                squares += f64::from(b - a).powi(2);
                count += 1;
            }
        }
        let own = (squares / count.max(1) as f64 - 2.0 * f64::from(sigma).powi(2)).max(0.0).sqrt();
        let level = grey.iter().sum::<f32>() / grey.len() as f32;
        let colour = planes.each_ref().map(|plane| plane.iter().sum::<f32>() / plane.len() as f32);
        Ok(Self { contrast: own as f32 / level.max(1e-4), clipped, colour })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn star(x: f64, y: f64, flux: f32) -> Star {
        Star { x, y, flux, width: 2.2, roundness: 0.9, snr: 30.0, saturated: false }
    }

    /// Places all over a picture that have nothing in common.
    fn sky(count: usize) -> Vec<Star> {
        let at = |i: usize, by: usize| ((i * i + 17 * i) * by % 9973) as f64 / 9973.0;
        (0..count).map(|i| star(900.0 * at(i, 7919), 600.0 * at(i, 5347), i as f32)).collect()
    }

    #[test]
    fn stars_that_are_all_there_twice_are_doubled() {
        let once = sky(300);
        assert!(doubled(&once) < 0.15, "{}", doubled(&once));
        let beside = once.iter().map(|s| star(s.x + 5.2, s.y - 3.1, 0.8 * s.flux));
        let twice: Vec<Star> = once.iter().copied().chain(beside).collect();
        assert!(doubled(&twice) > 0.9, "{}", doubled(&twice));
    }
}
