//! Measures of a single frame: number and width of stars, brightness, sharpness of details.

use jade_align::noise;
use jade_align::stars::StarList;
use jade_frames::Frame;
use jade_optics::light::Light;
use jade_optics::star::Star;
use jade_optics::statistics::median;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// Measures of one frame, by which it is compared with its neighbours.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
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
    /// Contrast of the sharpest tenth of the picture over two pixels, minus the share of noise,
    /// relative to the brightness there.
    pub sharpness: f32,
    /// Share of pixels with a colour at the white point, 0 to 1.
    pub clipped: f32,
    /// Share of stars that have a second one beside them, all in the same direction and at the same
    /// distance, 0 to 1.
    #[serde(default)]
    pub doubled: f32,
    /// Light in red and in blue relative to green, of a typical patch; `None` if there is too
    /// little light.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Option<(f32, f32)>))]
    pub colour: Option<[f32; 2]>,
    /// Light of a ring around bright stars relative to their brightest pixel; below 0 if the frame
    /// was sharpened.
    #[serde(default)]
    pub rim: Option<f32>,
    /// Additional correlation of noise between adjacent pixels, compared to pixels further apart,
    /// as a share of its variance where the picture is smoothest: above 0 if colours were
    /// interpolated or noise was reduced, below 0 if the frame was sharpened.
    #[serde(default)]
    pub grain: Option<f32>,
    /// Contrast over two pixels, including noise, of the most detailed patch in each of [`CELLS`]
    /// parts of the picture, row by row, relative to the brightness there.
    #[serde(default)]
    pub detail: Vec<f32>,
}

/// Parts of the picture, across and down, whose sharpness is measured separately.
pub const CELLS: [usize; 2] = [6, 4];

/// Side of the patches by which sharpness is judged, in pixels.
const PATCH: u32 = 48;
/// Patches along the longer side.
const ACROSS: u32 = 20;
/// Light above which a colour counts as clipped.
const WHITE: f32 = 0.998;
/// Light below which no colour is measured.
const COLOURED: f32 = 0.004;
/// Distance in pixels within which two stars may be one star twice.
const TWICE: f64 = 16.0;
/// Largest disagreement of the directions of such pairs, in pixels.
const AGREE: f64 = 0.8;
/// Most stars that are searched for pairs.
const PAIRED: usize = 600;
/// Fewest bright stars whose roundness is measured.
const FEWEST: usize = 8;

impl Measures {
    /// Measures a frame whose stars were found.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] once `stop` returns true.
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
        let patches: Result<Vec<MeasuredPatch>, PictureError> = places
            .par_iter()
            .map(|place| match stop() {
                true => Err(PictureError::Cancelled),
                false => MeasuredPatch::of(frame, *place),
            })
            .collect();
        let patches = patches?;
        let mut contrasts: Vec<f32> = patches.iter().map(|p| p.contrast).collect();
        contrasts.sort_by(|a, b| b.total_cmp(a));
        let clipped: usize = patches.iter().map(|p| p.clipped).sum();
        let bright = stars.stars.iter().filter(|s| s.snr > 20.0 && !s.saturated);
        let mut round: Vec<f32> = bright.map(|s| s.roundness).take(400).collect();
        let measures = Self {
            stars: stars.stars.len() as u32,
            star_width_px: stars.star_width,
            star_width_error_px: stars.star_width_error(),
            roundness: (round.len() >= FEWEST).then(|| median(&mut round)),
            level: stars.sky_level,
            sharpness: contrasts[contrasts.len() / 10],
            clipped: clipped as f32 / (patches.len() as f32 * (side * side) as f32),
            doubled: doubled(&stars.stars),
            colour: colour(&patches),
            rim: rim(frame, stars)?,
            grain: grain(&patches),
            detail: detail(&patches, &places, (width, height)),
        };
        Ok(measures.finite())
    }

    /// The measures without infinite numbers and NaN, which extreme light causes: absent if
    /// allowed, otherwise 0. Only finite numbers can be stored and read back.
    fn finite(self) -> Self {
        let number = |v: f32| if v.is_finite() { v } else { 0.0 };
        let some = |v: Option<f32>| v.filter(|v| v.is_finite());
        Self {
            stars: self.stars,
            star_width_px: some(self.star_width_px),
            star_width_error_px: some(self.star_width_error_px),
            roundness: some(self.roundness),
            level: number(self.level),
            sharpness: number(self.sharpness),
            clipped: number(self.clipped),
            doubled: number(self.doubled),
            colour: self.colour.filter(|colour| colour.iter().all(|v| v.is_finite())),
            rim: some(self.rim),
            grain: some(self.grain),
            detail: self.detail.into_iter().map(number).collect(),
        }
    }
}

/// Share of the brighter stars that belong to pairs of the same direction and distance.
fn doubled(stars: &[Star]) -> f32 {
    let mut all: Vec<&Star> = stars.iter().collect();
    all.sort_by(|a, b| b.flux.total_cmp(&a.flux));
    all.truncate(PAIRED);
    // Of two faint stars, the second may be lost in noise.
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

fn colour(patches: &[MeasuredPatch]) -> Option<[f32; 2]> {
    let [red, green, blue] = [0, 1, 2].map(|channel| {
        median(&mut patches.iter().map(|patch| patch.colour[channel]).collect::<Vec<f32>>())
    });
    (green > COLOURED).then(|| [red / green, blue / green])
}

/// Light around isolated stars.
fn rim(frame: &Frame, list: &StarList) -> Result<Option<f32>, PictureError> {
    const HALF: u32 = 12;
    const LOOKED_AT: usize = 60;
    let Some(columns) = list.star_width.map(f64::from).filter(|columns| *columns < 4.0) else {
        return Ok(None);
    };
    let (width, height) = frame.size();
    let alone = |star: &Star| {
        let near = |other: &&Star| {
            (other.x - star.x).hypot(other.y - star.y) < f64::from(HALF)
                && other.flux > 0.03 * star.flux
        };
        list.stars.iter().filter(near).count() == 1
    };
    let good = list.stars.iter().filter(|s| s.snr > 50.0 && !s.saturated && s.roundness > 0.7);
    let mut rims = Vec::new();
    for star in good.filter(|star| alone(star)).take(LOOKED_AT) {
        let (x, y) =
            (star.x.round() as i64 - i64::from(HALF), star.y.round() as i64 - i64::from(HALF));
        let side = 2 * HALF + 1;
        let (right, low) = (x + i64::from(side), y + i64::from(side));
        if x < 0 || y < 0 || right > i64::from(width) || low > i64::from(height) {
            continue;
        }
        let square = Region { x: x as u32, y: y as u32, width: side, height: side };
        let light = frame.mean(square)?;
        let within = |from: f64, to: f64| -> Vec<f32> {
            let far = |i: usize| {
                let (dx, dy) =
                    ((i as u32 % side) as f64 + x as f64, (i as u32 / side) as f64 + y as f64);
                (dx - star.x).hypot(dy - star.y)
            };
            (0..light.len()).filter(|i| (from..to).contains(&far(*i))).map(|i| light[i]).collect()
        };
        let mean = |values: Vec<f32>| values.iter().sum::<f32>() / values.len().max(1) as f32;
        let around = median(&mut within(0.7 * f64::from(HALF), f64::from(HALF)));
        let peak = within(0.0, 1.5).into_iter().fold(0.0, f32::max) - around;
        rims.push((mean(within(1.4 * columns, 2.2 * columns)) - around) / peak.max(1e-6));
    }
    Ok((rims.len() >= FEWEST).then(|| median(&mut rims)))
}

/// The most detailed patch of each cell.
fn detail(patches: &[MeasuredPatch], places: &[Region], (width, height): (u32, u32)) -> Vec<f32> {
    let mut cells = vec![0.0f32; CELLS[0] * CELLS[1]];
    for (patch, place) in patches.iter().zip(places) {
        let part = |from: u32, length: u32, size: u32, count: usize| {
            ((from + length / 2) as usize * count / size as usize).min(count - 1)
        };
        let column = part(place.x, place.width, width, CELLS[0]);
        let row = part(place.y, place.height, height, CELLS[1]);
        let cell = &mut cells[row * CELLS[0] + column];
        *cell = cell.max(patch.detail);
    }
    cells
}

/// Measured in the smoothest quarter of the patches, which show little but noise.
fn grain(patches: &[MeasuredPatch]) -> Option<f32> {
    let mut smooth: Vec<&MeasuredPatch> = patches.iter().filter(|p| p.clipped == 0).collect();
    smooth.sort_by(|a, b| a.restless.total_cmp(&b.restless));
    smooth.truncate(patches.len() / 4);
    let mut grains: Vec<f32> = smooth.iter().filter_map(|patch| patch.grain).collect();
    (grains.len() >= FEWEST).then(|| median(&mut grains))
}

struct MeasuredPatch {
    contrast: f32,
    /// Variance over four pixels relative to light, because noise grows with light.
    restless: f32,
    grain: Option<f32>,
    /// Contrast including noise, because fine texture may not be separable from it.
    detail: f32,
    clipped: usize,
    /// Mean red, green and blue.
    colour: [f32; 3],
}

impl MeasuredPatch {
    fn of(frame: &Frame, place: Region) -> Result<Self, PictureError> {
        let planes = frame.planes(place)?;
        let pixels = 0..place.area();
        let grey: Vec<f32> =
            pixels.clone().map(|i| planes.iter().map(|p| p[i]).sum::<f32>() / 3.0).collect();
        let clipped = pixels.filter(|&i| planes.iter().any(|plane| plane[i] >= WHITE)).count();
        let width = place.width as usize;
        let sigma = noise::noise(&grey, width);
        let [beside, squares, apart] = [1, 2, 4].map(|step| differences(&grey, width, step));
        let texture = (squares - 2.0 * f64::from(sigma).powi(2)).max(0.0).sqrt();
        let level = grey.iter().sum::<f32>() / grey.len() as f32;
        let colour = planes.each_ref().map(|plane| plane.iter().sum::<f32>() / plane.len() as f32);
        let level = level.max(1e-4);
        let (contrast, detail) = (texture as f32 / level, squares.sqrt() as f32 / level);
        let restless = apart as f32 / level;
        let grain = (apart > 0.0).then(|| (1.0 - beside.max(squares) / apart) as f32);
        Ok(Self { contrast, restless, grain, detail, clipped, colour })
    }
}

/// Mean square of the differences between pixels at this distance along rows and columns.
fn differences(grey: &[f32], width: usize, step: usize) -> f64 {
    let squares = |here: &[f32], there: &[f32]| -> f64 {
        here.iter().zip(there).map(|(a, b)| f64::from(b - a).powi(2)).sum()
    };
    let along: f64 =
        grey.chunks_exact(width).map(|row| squares(row, &row[step.min(width)..])).sum();
    let down = squares(grey, &grey[(step * width).min(grey.len())..]);
    let height = grey.len() / width;
    let count = height * width.saturating_sub(step) + width * height.saturating_sub(step);
    (along + down) / count.max(1) as f64
}

#[cfg(test)]
mod tests {
    use super::*;

    fn star(x: f64, y: f64, flux: f32) -> Star {
        Star { x, y, flux, width: 2.2, roundness: 0.9, snr: 30.0, saturated: false }
    }

    /// Positions all over the picture without a common displacement.
    fn sky(count: usize) -> Vec<Star> {
        let at = |i: usize, by: usize| ((i * i + 17 * i) * by % 9973) as f64 / 9973.0;
        (0..count).map(|i| star(900.0 * at(i, 7919), 600.0 * at(i, 5347), i as f32)).collect()
    }

    #[test]
    fn what_is_no_number_is_absent_and_the_rest_is_read_again() {
        let measures = Measures {
            star_width_px: Some(2.2),
            roundness: Some(f32::NAN),
            level: f32::INFINITY,
            colour: Some([1.0, f32::NAN]),
            detail: vec![0.5, f32::NEG_INFINITY],
            ..Measures::default()
        };
        let finite = measures.finite();
        let text = serde_json::to_string(&finite).unwrap();
        assert_eq!(serde_json::from_str::<Measures>(&text).unwrap(), finite);
        let kept =
            Measures { star_width_px: Some(2.2), detail: vec![0.5, 0.0], ..Measures::default() };
        assert_eq!(finite, kept);
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
