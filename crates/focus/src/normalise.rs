//! Relative brightness of the frames of a sweep.

use jade_align::sharpness::{Sharpness, on_reference};
use jade_optics::motion::Motion;
use jade_optics::statistics::median;

/// Frames that differ by a smaller share count as equally bright.
const EQUAL: f32 = 0.01;
/// Cells darker than this share of the mean are ignored.
const DARK: f32 = 0.1;

/// Factors that bring each frame's light to that of the frame at `reference`, for frames in the
/// order of focus with their motions; all 1 unless some frames differ. Neighbours are compared, as
/// they are similarly blurred.
pub fn levels(frames: &[Sharpness], motions: &[Motion], reference: usize) -> Vec<f32> {
    let frames: Vec<Sharpness> = frames.iter().map(Sharpness::coarse).collect();
    let lay =
        |(frame, motion): (&Sharpness, &Motion)| on_reference(frame.grid, &frame.light, motion);
    let lights: Vec<Vec<f32>> = frames.iter().zip(motions).map(lay).collect();
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

#[cfg(test)]
mod tests {
    use super::*;
    use jade_optics::grid::Grid;

    /// Frames of one scene with different amounts of light.
    fn frames(shares: &[f32]) -> (Vec<Sharpness>, Vec<Motion>) {
        let grid = Grid { step: 2, across: 96, down: 96 };
        let scene = |cell: usize| 0.1 + 0.3 * ((cell * 7919) % 101) as f32 / 101.0;
        let one = |share: &f32| {
            let light = (0..grid.cells()).map(|cell| share * scene(cell)).collect();
            Sharpness { grid, cells: vec![1.0; grid.cells()], light }
        };
        (shares.iter().map(one).collect(), vec![Motion::Still; shares.len()])
    }

    #[test]
    fn frames_are_brought_to_the_light_of_one_of_them() {
        let shares = [0.5, 0.52, 1.0, 2.0, 0.7];
        let (frames, motions) = frames(&shares);
        for reference in 0..shares.len() {
            let gains = levels(&frames, &motions, reference);
            for (gain, share) in gains.iter().zip(shares) {
                assert!((gain * share / shares[reference] - 1.0).abs() < 1e-4, "{gains:?}");
            }
        }
    }

    #[test]
    fn frames_that_hardly_differ_are_left_as_they_are() {
        let (frames, motions) = frames(&[1.0, 1.004, 0.995]);
        assert_eq!(levels(&frames, &motions, 1), [1.0; 3]);
    }
}
