//! Which frame of a sweep is the sharpest at each place.

use jade_align::sharpness::{Sharpness, on_reference};
use jade_optics::grid::Grid;
use jade_optics::motion::Motion;
use jade_optics::space::InReference;
use jade_pixels::tiled::Region;
use rayon::prelude::*;

/// Energy, relative to that of noise, from which on a place is known to be sharp in a frame.
const KNOWN: f32 = 3.0;
/// Standard deviation, in frames, with which neighbours of the sharpest frame count, where that is
/// known.
const BESIDE: f32 = 1.5;
/// Exponent of the energy when frames are weighted by it.
const POWER: i32 = 4;
/// Energy above that of the least sharp frame, relative to that of noise, at which the sharpest
/// frame is half certain.
const HALF: f32 = 12.0;
/// Energy above that of noise, relative to it, of detail that is clearly present.
const CLEAR: f32 = 8.0;
/// Where a plane is missing, the frame on one side of the gap has less than this share of the
/// detail of the frame on the other side, if the place is sharp in that one.
const AWAY: f32 = 0.5;
/// Noise that was smoothed away or compressed is assumed to be this share of the most detailed
/// cells: the remaining detail says nothing.
const SMOOTHED: f32 = 0.001;
/// One cell in this many is assumed to contain only noise in some frame.
const PLAIN: usize = 10;

/// Which frame is sharp in which cell of the reference frame.
pub struct DepthMap {
    grid: Grid,
    /// For each frame in the order of focus, the energy of each cell relative to that of noise; 0
    /// where the frame does not cover it.
    energy: Vec<Vec<f32>>,
    /// The sharpest frame of each cell, with a fraction between frames; meaningless where none is
    /// known.
    depth: Vec<f32>,
    /// Whether the sharpest frame is known.
    known: Vec<bool>,
    /// Whether a plane is missing between each frame and the next.
    gaps: Vec<bool>,
}

/// The code of places where a plane is missing.
pub const BETWEEN: u16 = u16::MAX;

impl DepthMap {
    /// From the sharpness of frames in the order of focus, and their motions.
    pub fn of(frames: &[Sharpness], motions: &[Motion]) -> Self {
        let grid = frames[0].grid;
        let mut energy: Vec<Vec<f32>> = frames
            .par_iter()
            .zip(motions)
            .map(|(frame, motion)| on_reference(grid, &evened(grid, &frame.cells), motion))
            .collect();
        let cells = grid.cells();
        let least = |cell: usize| energy.iter().map(|frame| frame[cell]).fold(f32::MAX, f32::min);
        let mut least: Vec<f32> = (0..cells).map(least).filter(|v| *v > 0.0).collect();
        let most = |cell: usize| energy.iter().map(|frame| frame[cell]).fold(0.0, f32::max);
        let mut most: Vec<f32> = (0..cells).map(most).filter(|v| *v > 0.0).collect();
        let plain = least.len() / PLAIN;
        let noise = match least.is_empty() || most.is_empty() {
            true => 1.0,
            false => {
                let top = most.len() - 1 - most.len() / 100;
                let top = *most.select_nth_unstable_by(top, f32::total_cmp).1;
                let noise = *least.select_nth_unstable_by(plain, f32::total_cmp).1;
                noise.max(SMOOTHED * top)
            }
        };
        energy.iter_mut().flatten().for_each(|value| *value /= noise.max(1e-12));
        let one = |cell: usize| {
            let values = energy.iter().map(|frame| frame[cell]);
            let (low, high) = values
                .clone()
                .filter(|v| *v > 0.0)
                .fold((f32::MAX, 0.0f32), |(low, high), v| (low.min(v), high.max(v)));
            let (mut sum, mut weights) = (0.0, 1e-12);
            for (i, v) in values.enumerate() {
                let weight = (v / high.max(1e-12)).powi(POWER);
                sum += weight * i as f32;
                weights += weight;
            }
            (sum / weights, high - low > KNOWN)
        };
        let (depth, known) = (0..cells).into_par_iter().map(one).unzip();
        let gaps = vec![false; frames.len().saturating_sub(1)];
        Self { grid, energy, depth, known, gaps }
    }

    /// Notes between which frames planes are missing.
    pub fn with_gaps(self, gaps: Vec<bool>) -> Self {
        Self { gaps, ..self }
    }

    /// Whether a cell lies where a plane is missing and so is sharp in no frame: the frames on both
    /// sides of the gap have much of its detail, and one of them the most.
    fn is_between(&self, cell: usize) -> bool {
        let beyond = |frame: usize| (self.energy[frame][cell] - 1.0).max(0.0);
        let ends = |before: usize| (beyond(before), beyond(before + 1));
        let gaps = self.gaps.iter().enumerate().filter(|(_, gaps)| **gaps);
        let mut near =
            gaps.map(|(before, _)| ends(before)).filter(|(a, b)| a.min(*b) > AWAY * a.max(*b));
        near.any(|(a, b)| {
            let most = a.max(b);
            most > CLEAR && (0..self.energy.len()).all(|frame| beyond(frame) <= most)
        })
    }

    /// Share of the cells that lie where a plane is missing.
    pub fn between(&self) -> f32 {
        let cells = 0..self.known.len();
        let count = cells.filter(|cell| self.is_between(*cell)).count();
        count as f32 / self.known.len().max(1) as f32
    }

    /// Certainty of the sharpest frame for each pixel, from 0 to 65534; [`BETWEEN`] where a plane
    /// is missing.
    pub fn certainty(&self, InReference(region): InReference<Region>) -> Vec<u16> {
        let (mut sure, mut between) = (vec![], vec![]);
        self.lay(&self.sureness(), region, &mut sure);
        let cells: Vec<f32> =
            (0..self.known.len()).map(|cell| f32::from(u8::from(self.is_between(cell)))).collect();
        self.lay(&cells, region, &mut between);
        let code = |(sure, between): (&f32, &f32)| match *between > 0.5 {
            true => BETWEEN,
            false => (sure.clamp(0.0, 1.0) * 65_534.0).round() as u16,
        };
        sure.iter().zip(&between).map(code).collect()
    }

    /// Certainty of the sharpest frame in each cell, 0 to 1.
    fn sureness(&self) -> Vec<f32> {
        let one = |cell: usize| {
            let all = self.energy.iter().map(|frame| frame[cell]).filter(|v| *v > 0.0);
            let (low, high) =
                all.fold((f32::MAX, 0.0f32), |(low, high), v| (low.min(v), high.max(v)));
            let beyond = (high - low).max(0.0);
            beyond / (beyond + HALF)
        };
        (0..self.known.len()).into_par_iter().map(one).collect()
    }

    /// How much a frame may count in each cell by its place in the sweep: 1 where it is the
    /// sharpest frame or none is known, little where it is far from the sharpest.
    pub fn near(&self, frame: usize) -> Vec<f32> {
        let all = self.energy.len() as f32;
        let cells = self.depth.iter().zip(&self.known);
        let one = |(depth, known): (&f32, &bool)| {
            let reach = if *known { BESIDE } else { all };
            (-0.5 * ((frame as f32 - depth) / reach).powi(2)).exp()
        };
        cells.map(one).collect()
    }

    /// The energy of each cell of a frame, relative to that of noise.
    pub fn energy(&self, frame: usize) -> &[f32] {
        &self.energy[frame]
    }

    /// Interpolates values of cells at pixels of the reference frame, into `out`.
    pub fn lay(&self, values: &[f32], region: Region, out: &mut Vec<f32>) {
        out.clear();
        self.grid.lay(region, values, out);
    }

    /// The sharpest frame of each pixel, from 0 for the first to 65534 for the last; 65535 where
    /// none is known.
    pub fn codes(&self, InReference(region): InReference<Region>) -> Vec<u16> {
        let last = (self.energy.len() - 1).max(1) as f32;
        let (mut depth, mut known) = (vec![], vec![]);
        let shares: Vec<f32> = self.known.iter().map(|known| f32::from(u8::from(*known))).collect();
        let weighed: Vec<f32> = self.depth.iter().zip(&shares).map(|(d, t)| d * t).collect();
        self.lay(&weighed, region, &mut depth);
        self.lay(&shares, region, &mut known);
        let code = |(depth, known): (&f32, &f32)| match *known < 0.5 {
            true => u16::MAX,
            false => (depth / known / last * 65_534.0).round() as u16,
        };
        depth.iter().zip(&known).map(code).collect()
    }

    /// For each frame, the share of the cells in which it is known to be the sharpest.
    pub fn shares(&self) -> Vec<f32> {
        let mut counts = vec![0usize; self.energy.len()];
        for (depth, _) in self.depth.iter().zip(&self.known).filter(|(_, known)| **known) {
            counts[depth.round() as usize] += 1;
        }
        counts.into_iter().map(|n| n as f32 / self.known.len().max(1) as f32).collect()
    }

    /// Share of the cells in which the sharpest frame is known.
    pub fn known(&self) -> f32 {
        self.known.iter().filter(|known| **known).count() as f32 / self.known.len().max(1) as f32
    }
}

/// Smoothed by about a Gaussian of 1.4 cells.
fn evened(grid: Grid, cells: &[f32]) -> Vec<f32> {
    let once = grid.blurred(cells, 1);
    grid.blurred(&grid.blurred(&once, 1), 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Frames that do not move; the sharpest frame goes from the first to the last across the grid,
    /// and the lower half shows nothing.
    fn map(frames: usize) -> (Grid, DepthMap) {
        let grid = Grid { step: 3, across: 60, down: 40 };
        let one = |frame: usize| {
            let energy = |cell: usize| {
                let depth = (cell % 60) as f32 / 59.0 * (frames - 1) as f32;
                let sharp = 50.0 * (-(frame as f32 - depth).powi(2)).exp();
                1e-4 * if cell / 60 < 20 { 1.0 + sharp } else { 1.0 }
            };
            let cells = (0..grid.cells()).map(energy).collect();
            Sharpness { grid, cells, light: vec![0.2; grid.cells()] }
        };
        let all: Vec<Sharpness> = (0..frames).map(one).collect();
        (grid, DepthMap::of(&all, &vec![Motion::Still; frames]))
    }

    #[test]
    fn the_sharpest_frame_is_found_between_frames_too_and_told_where_there_is_one() {
        let (grid, map) = map(7);
        for cell in 0..grid.cells() {
            let (x, y) = (cell % 60, cell / 60);
            let truth = x as f32 / 59.0 * 6.0;
            if y < 16 && (6..54).contains(&x) {
                assert!(
                    map.known[cell] && (map.depth[cell] - truth).abs() < 0.25,
                    "{x}: {}",
                    map.depth[cell]
                );
            }
            assert!(y < 24 || !map.known[cell]);
        }
        assert!((0.45..0.6).contains(&map.known()));
        let codes = map.codes(InReference(Region { x: 88, y: 20, width: 1, height: 1 }));
        assert!((i32::from(codes[0]) - 32_767).abs() < 2500, "{codes:?}");
        assert_eq!(
            map.codes(InReference(Region { x: 88, y: 100, width: 1, height: 1 })),
            [u16::MAX]
        );
    }

    #[test]
    fn frames_are_near_by_their_place_in_the_sweep_and_all_where_none_is_told() {
        let (_, map) = map(7);
        let near: Vec<Vec<f32>> = (0..7).map(|frame| map.near(frame)).collect();
        let at = |cell: usize| -> Vec<f32> { near.iter().map(|frame| frame[cell]).collect() };
        // In the middle of the first rows, and below.
        let (sharp, plain) = (at(5 * 60 + 30), at(35 * 60 + 30));
        assert!(sharp[3] > 0.98 && sharp[0] < 0.2 && sharp[6] < 0.2, "{sharp:?}");
        assert!(plain.iter().all(|share| *share > 0.6), "{plain:?}");
    }
}
