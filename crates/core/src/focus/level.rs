//! How bright frames of a sweep are against each other.

use super::Sharpness;
use super::map::read;
use crate::align::Motion;
use crate::align::background::median;

/// Frames that differ by less than this share are taken to be equally bright.
const EQUAL: f32 = 0.01;
/// Cells that are darker than this share of the mean do not tell.
const DARK: f32 = 0.1;

/// What brings each frame's light to that of one of them, for frames in the order of focus and their
/// motions; 1 for all unless some differ. Neighbours are compared, as they are blurred alike.
pub fn levels(frames: &[Sharpness], motions: &[Motion], reference: usize) -> Vec<f32> {
    let frames: Vec<Sharpness> = frames.iter().map(Sharpness::coarse).collect();
    let Sharpness { size, side, .. } = frames[0];
    let place = |cell: usize| {
        let at = |i: usize| f64::from(side) * (i as f64 + 0.5) - 0.5;
        [at(cell % size[0]), at(cell / size[0])]
    };
    let lights: Vec<Vec<f32>> = frames
        .iter()
        .zip(motions)
        .map(|(frame, motion)| {
            let backward = motion.backward();
            let one = |cell| read(&frame.light, size, side, backward.to_reference(place(cell)));
            (0..frame.light.len()).map(one).collect()
        })
        .collect();
    // From each frame to the next.
    let step = |pair: &[Vec<f32>]| -> f32 {
        let mean = pair[0].iter().sum::<f32>() / pair[0].len() as f32;
        let both = pair[0].iter().zip(&pair[1]).filter(|(a, b)| **a > DARK * mean && **b > 0.0);
        let mut ratios: Vec<f32> = both.map(|(a, b)| a / b).collect();
        if ratios.is_empty() { 1.0 } else { median(&mut ratios) }
    };
    let steps: Vec<f32> = lights.windows(2).map(step).collect();
    let gain = |frame: usize| -> f32 {
        match frame < reference {
            true => steps[frame..reference].iter().map(|step| 1.0 / step).product(),
            false => steps[reference..frame].iter().product(),
        }
    };
    let gains: Vec<f32> = (0..frames.len()).map(gain).collect();
    match gains.iter().all(|gain| (gain - 1.0).abs() < EQUAL) {
        true => vec![1.0; frames.len()],
        false => gains,
    }
}
