//! Brings frames to one brightness: a gain and an offset for each colour of each frame, measured in
//! patches spread over what it shares with the reference frame.

use jade_frames::lens::Corrected;
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_optics::resample::{self, Scratch};
use jade_optics::space::InReference;
use jade_optics::statistics::median;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use serde::{Deserialize, Serialize};

/// The mapping of one colour of a frame to the reference frame's brightness: `gain * v + offset`.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Normalisation {
    /// Factor.
    pub gain: f32,
    /// Offset, in linear light.
    pub offset: f32,
}

impl Normalisation {
    /// Leaves light as it is.
    pub const NONE: Self = Self { gain: 1.0, offset: 0.0 };

    /// Applies the mapping to samples in place.
    pub fn apply(&self, samples: &mut [f32]) {
        if *self != Self::NONE {
            samples.iter_mut().for_each(|v| *v = self.gain * *v + self.offset);
        }
    }
}

/// Side of a patch in pixels.
const PATCH: u32 = 24;
/// Patches along the longer side.
const ACROSS: u32 = 24;
/// Weight of a gain of one, in patches of the typical brightness. Where all patches are alike, a
/// gain cannot be distinguished from an offset, and none is assumed.
const HOLD: f64 = 0.05;
/// Offsets below this share of the level are ignored, as are gains as near to one.
const ALIKE: f32 = 5e-4;

/// Finds the mapping of a frame with a motion to the reference frame, by a robust fit to the
/// medians of patches.
///
/// # Errors
/// [`PictureError::Io`].
pub fn find(
    frame: &dyn Light,
    motion: &Motion,
    reference: &dyn Light,
) -> Result<[Normalisation; 3], PictureError> {
    let (width, height) = reference.size();
    if width.min(height) < 2 * PATCH {
        return Ok([Normalisation::NONE; 3]);
    }
    let step = (width.max(height) / ACROSS).max(PATCH);
    let backward = motion.backward();
    let mut scratch = Scratch::default();
    let mut planes = [(); 3].map(|()| vec![0.0; (PATCH * PATCH) as usize]);
    let mut pairs: [Vec<(f64, f64)>; 3] = Default::default();
    for y in (step / 2..height - PATCH).step_by(step as usize) {
        for x in (step / 2..width - PATCH).step_by(step as usize) {
            let patch = Region { x, y, width: PATCH, height: PATCH };
            let out = planes.each_mut().map(Vec::as_mut_slice);
            if resample::read(frame, &backward, InReference(patch), out, &mut scratch)?.is_some() {
                continue;
            }
            let there = Corrected(reference).planes(patch)?;
            for ((pairs, mut there), here) in pairs.iter_mut().zip(there).zip(&mut planes) {
                let (from, to) = (median(here) as f64, median(&mut there) as f64);
                // Clipped light says nothing about the gain.
                if from.max(to) < 0.9 {
                    pairs.push((from, to));
                }
            }
        }
    }
    Ok(pairs.map(|pairs| fit(&pairs)))
}

/// Gain and offset from pairs of levels, `(frame, reference)`.
fn fit(pairs: &[(f64, f64)]) -> Normalisation {
    if pairs.len() < 8 {
        return Normalisation::NONE;
    }
    let (mut gain, mut offset) = (1.0, 0.0);
    let mut weights = vec![1.0; pairs.len()];
    for _ in 0..20 {
        let total: f64 = weights.iter().sum();
        let mean = |pick: fn(&(f64, f64)) -> f64| {
            pairs.iter().zip(&weights).map(|(p, w)| w * pick(p)).sum::<f64>() / total
        };
        let (from, to) = (mean(|p| p.0), mean(|p| p.1));
        let (mut both, mut square) = (0.0, 0.0);
        for ((a, b), w) in pairs.iter().zip(&weights) {
            both += w * (a - from) * (b - to);
            square += w * (a - from) * (a - from);
        }
        let hold = total * (HOLD * from).powi(2);
        gain =
            (both + hold * (to / from.max(1e-9)).clamp(0.5, 2.0).sqrt().sqrt()) / (square + hold);
        offset = to - gain * from;
        let off = |(a, b): &(f64, f64)| (gain * a + offset - b).abs();
        let mut far: Vec<f32> = pairs.iter().map(|p| off(p) as f32).collect();
        let typical = 1.4826 * median(&mut far) as f64 + 1e-9;
        for (weight, pair) in weights.iter_mut().zip(pairs) {
            *weight = 1.0 / (1.0 + (off(pair) / (2.0 * typical)).powi(2));
        }
    }
    let mut levels: Vec<f32> = pairs.iter().map(|p| p.1 as f32).collect();
    let level = median(&mut levels);
    let (gain, offset) = (gain as f32, offset as f32);
    let same = (gain - 1.0).abs() < ALIKE && offset.abs() < ALIKE * level;
    if same || !(0.05..20.0).contains(&gain) {
        Normalisation::NONE
    } else {
        Normalisation { gain, offset }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pairs(gain: f64, offset: f64, range: f64) -> Vec<(f64, f64)> {
        (0..200)
            .map(|i| {
                let v = 0.1 + range * (i as f64 / 200.0);
                // Every tenth patch shows something that moved.
                let odd = if i % 10 == 0 { 0.3 } else { 0.0 };
                (v, gain * v + offset + odd)
            })
            .collect()
    }

    #[test]
    fn gain_and_offset_are_told_apart_where_the_scene_has_contrast() {
        let found = fit(&pairs(1.3, 0.02, 0.5));
        assert!((found.gain - 1.3).abs() < 0.01, "{found:?}");
        assert!((found.offset - 0.02).abs() < 0.005, "{found:?}");
    }

    #[test]
    fn the_level_is_met_where_the_scene_has_none() {
        let found = fit(&pairs(1.1, 0.0, 0.002));
        let (from, to) = (0.101, 0.1111);
        assert!((found.gain * from + found.offset - to).abs() < 0.001, "{found:?}");
        assert!((0.98..1.12).contains(&found.gain), "no wild gain: {found:?}");
    }

    #[test]
    fn alike_frames_stay_as_they_are() {
        assert_eq!(fit(&pairs(1.0, 0.0, 0.3)), Normalisation::NONE);
    }
}
