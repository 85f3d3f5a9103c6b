//! Which places the focus of a sweep reached, and how sharp each frame is there.

use jade_align::sharpness::Sharpness;
use jade_optics::grid::Grid;
use jade_optics::statistics::median;

/// In focus, a place has this many times its energy far out of focus, where noise does not hide it.
const TELLS: f32 = 2.0;
/// Out of focus, a place has less than this share of its additional energy in focus.
const OUT: f32 = 0.25;
/// A place that takes more than this many times the usual number of frames to get out of focus was
/// never in focus.
const BEYOND: f32 = 1.5;

/// Sharpness of frames at each place, relative to the sharpest frame; 0 where the focus did not
/// reach.
pub(super) struct FocusWeights {
    grid: Grid,
    cells: Vec<Vec<f64>>,
}

impl FocusWeights {
    pub(super) fn of(frames: &[Sharpness]) -> Self {
        let frames: Vec<Sharpness> = frames.iter().map(Sharpness::compared).collect();
        let grid = frames[0].grid;
        let most = |cell: usize| frames.iter().map(|frame| frame.cells[cell]).fold(0.0, f32::max);
        let mut most: Vec<f32> = (0..grid.cells()).map(most).collect();
        for (most, reached) in most.iter_mut().zip(reached(&frames)) {
            if !reached {
                *most = f32::INFINITY;
            }
        }
        let one = |frame: &Sharpness| {
            let share = |(value, most): (&f32, &f32)| f64::from(value / most.max(1e-12)).powi(2);
            frame.cells.iter().zip(&most).map(share).collect()
        };
        Self { grid, cells: frames.iter().map(one).collect() }
    }

    /// Sum over a whole frame.
    pub(super) fn whole(&self, frame: usize) -> f64 {
        self.cells[frame].iter().sum()
    }

    /// Value at a position of a frame, in pixels; 0 outside.
    pub(super) fn at(&self, frame: usize, at: [f64; 2]) -> f64 {
        self.grid.cell(at).map_or(0.0, |cell| self.cells[frame][cell])
    }
}

/// Whether the focus of a sweep reached each cell. Beyond the ends of the sweep, cells are sharpest
/// in the frame at that end but hardly less sharp in the next ones. Where there is little detail,
/// or all is blurred, noise decides nothing.
fn reached(frames: &[Sharpness]) -> Vec<bool> {
    let last = frames.len() - 1;
    // The sharpest frame, and how many frames further the cell is out of focus.
    let falls = |cell: usize| {
        let energy_of = |frame: usize| frames[frame].cells[cell];
        let peak = (0..=last).max_by(|a, b| energy_of(*a).total_cmp(&energy_of(*b))).unwrap_or(0);
        let least = (0..=last).map(energy_of).fold(f32::INFINITY, f32::min);
        if energy_of(peak) < TELLS * least {
            return (peak, f32::INFINITY);
        }
        let out = least + OUT * (energy_of(peak) - least);
        let fall = |way: &mut dyn Iterator<Item = usize>| {
            let mut before = energy_of(peak);
            for (steps, energy) in way.map(energy_of).enumerate() {
                if energy <= out {
                    return steps as f32 + (before - out) / (before - energy);
                }
                before = energy;
            }
            f32::INFINITY
        };
        (peak, fall(&mut (0..peak).rev()).min(fall(&mut (peak + 1..=last))))
    };
    let cells: Vec<(usize, f32)> = (0..frames[0].grid.cells()).map(falls).collect();
    let within = cells.iter().filter(|(peak, _)| (1..last).contains(peak));
    let mut within: Vec<f32> =
        within.map(|(_, fall)| *fall).filter(|fall| fall.is_finite()).collect();
    if within.is_empty() {
        return vec![true; cells.len()];
    }
    let usual = median(&mut within);
    cells.into_iter().map(|(_, fall)| fall <= BEYOND * usual).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_focus_came_to_what_is_out_of_it_before_and_after() {
        // Cells in rows: in focus in the third frame of five, in focus in the last, beyond the
        // last, and noise.
        let grid = Grid { step: 1, across: 4, down: 1 };
        let frame = |cells: [f32; 4]| Sharpness { grid, cells: cells.to_vec(), light: vec![] };
        let sweep = [
            frame([0.1, 0.1, 0.4, 0.11]),
            frame([0.2, 0.1, 0.5, 0.12]),
            frame([1.0, 0.1, 0.6, 0.15]),
            frame([0.2, 0.2, 0.8, 0.10]),
            frame([0.1, 1.0, 1.0, 0.11]),
        ];
        assert_eq!(reached(&sweep), [true, true, false, false]);
        // Where nothing was in focus between the ends, everything may have been.
        assert_eq!(reached(&sweep[3..]), [true; 4]);
    }
}
