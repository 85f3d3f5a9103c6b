//! Which frame is sharp where.

use super::Sharpness;
use crate::align::Motion;
use jade_pixels::tiled::Region;
use rayon::prelude::*;

/// Energy against that of noise from which on a place is told to be sharp in a frame.
const TOLD: f32 = 3.0;
/// Frames beside the sharpest that count where one is told, as a standard deviation.
const BESIDE: f32 = 1.5;
/// Energy is raised so far where frames are weighed by it.
const POWER: i32 = 4;
/// Share of the cells that hold noise alone in some frame.
const PLAIN: usize = 10;

/// What is sharp in which frame, in cells of the reference frame.
pub struct FocusMap {
    size: [usize; 2],
    side: u32,
    /// For each frame in the order of focus, the energy of each cell against that of noise alone;
    /// none where the frame does not show it.
    energy: Vec<Vec<f32>>,
    /// The sharpest frame of each cell, between frames too; meaningless where none is told.
    depth: Vec<f32>,
    /// Whether one is told.
    told: Vec<bool>,
}

impl FocusMap {
    /// Finds it from frames in the order of focus and their motions.
    pub fn of(frames: &[Sharpness], motions: &[Motion]) -> Self {
        let Sharpness { size, side, .. } = frames[0];
        let place = |cell: usize| {
            let at = |i: usize| f64::from(side) * (i as f64 + 0.5) - 0.5;
            [at(cell % size[0]), at(cell / size[0])]
        };
        let mut energy: Vec<Vec<f32>> = frames
            .par_iter()
            .zip(motions)
            .map(|(frame, motion)| {
                let (even, backward) = (smoothed(&frame.cells, size), motion.backward());
                let read = |cell| read(&even, size, side, backward.to_reference(place(cell)));
                (0..even.len()).map(read).collect()
            })
            .collect();
        let cells = size[0] * size[1];
        let least = |cell: usize| energy.iter().map(|own| own[cell]).fold(f32::MAX, f32::min);
        let mut least: Vec<f32> = (0..cells).map(least).filter(|v| *v > 0.0).collect();
        let plain = least.len() / PLAIN;
        let noise = match least.is_empty() {
            true => 1.0,
            false => *least.select_nth_unstable_by(plain, f32::total_cmp).1,
        };
        energy.iter_mut().flatten().for_each(|own| *own /= noise.max(1e-12));
        let one = |cell: usize| {
            let own = energy.iter().map(|frame| frame[cell]);
            let (low, high) = own
                .clone()
                .filter(|v| *v > 0.0)
                .fold((f32::MAX, 0.0f32), |(low, high), v| (low.min(v), high.max(v)));
            let (mut sum, mut weights) = (0.0, 1e-12);
            for (i, v) in own.enumerate() {
                let weight = (v / high.max(1e-12)).powi(POWER);
                sum += weight * i as f32;
                weights += weight;
            }
            (sum / weights, high - low > TOLD)
        };
        let (depth, told) = (0..cells).into_par_iter().map(one).unzip();
        Self { size, side, energy, depth, told }
    }

    /// How much a frame may count in each cell for where it is in the sweep: one where it is the
    /// sharpest or none is, little where it is far from that.
    pub fn near(&self, frame: usize) -> Vec<f32> {
        let all = self.energy.len() as f32;
        let cells = self.depth.iter().zip(&self.told);
        let one = |(depth, told): (&f32, &bool)| {
            let reach = if *told { BESIDE } else { all };
            (-0.5 * ((frame as f32 - depth) / reach).powi(2)).exp()
        };
        cells.map(one).collect()
    }

    /// The energy of each cell of a frame against that of noise alone.
    pub fn energy(&self, frame: usize) -> &[f32] {
        &self.energy[frame]
    }

    /// Lays values of the cells over pixels of the reference frame, by straight lines between the
    /// middles of cells; beyond the outermost middles the nearest ones.
    pub fn lay(&self, values: &[f32], region: Region, out: &mut Vec<f32>) {
        let columns: Vec<Between> = (region.x..region.x + region.width)
            .map(|x| Between::of(f64::from(x), self.side, self.size[0]))
            .collect();
        out.clear();
        for y in region.y..region.y + region.height {
            let rows = Between::of(f64::from(y), self.side, self.size[1]);
            let row = |y: usize| &values[y * self.size[0]..(y + 1) * self.size[0]];
            let (top, low) = (row(rows.first), row(rows.next));
            out.extend(columns.iter().map(|own| {
                let (top, low) = (own.mix(top), own.mix(low));
                top + (low - top) * rows.part
            }));
        }
    }

    /// The sharpest frame of each pixel, from 0 for the first to 65534 for the last one, and 65535
    /// where none is told.
    pub fn codes(&self, region: Region) -> Vec<u16> {
        let last = (self.energy.len() - 1).max(1) as f32;
        let (mut depth, mut told) = (vec![], vec![]);
        let shares: Vec<f32> = self.told.iter().map(|told| f32::from(u8::from(*told))).collect();
        let weighed: Vec<f32> = self.depth.iter().zip(&shares).map(|(d, t)| d * t).collect();
        self.lay(&weighed, region, &mut depth);
        self.lay(&shares, region, &mut told);
        let code = |(depth, told): (&f32, &f32)| match *told < 0.5 {
            true => u16::MAX,
            false => (depth / told / last * 65_534.0).round() as u16,
        };
        depth.iter().zip(&told).map(code).collect()
    }

    /// Share of the cells for which a frame is told to be sharp.
    pub fn told(&self) -> f32 {
        self.told.iter().filter(|told| **told).count() as f32 / self.told.len().max(1) as f32
    }
}

/// Two cells beside each other, and how far it is from the first to the next.
struct Between {
    first: usize,
    next: usize,
    part: f32,
}

impl Between {
    fn of(at: f64, side: u32, count: usize) -> Self {
        let at = ((at + 0.5) / f64::from(side) - 0.5).clamp(0.0, (count - 1) as f64);
        let first = (at as usize).min(count.saturating_sub(2));
        Self { first, next: (first + 1).min(count - 1), part: (at - first as f64) as f32 }
    }

    fn mix(&self, row: &[f32]) -> f32 {
        row[self.first] + (row[self.next] - row[self.first]) * self.part
    }
}

/// The value of cells at a place in pixels; none outside.
pub fn read(values: &[f32], size: [usize; 2], side: u32, at: [f64; 2]) -> f32 {
    let inside =
        |axis: usize| (0.0..f64::from(side) * size[axis] as f64).contains(&(at[axis] + 0.5));
    if !inside(0) || !inside(1) {
        return 0.0;
    }
    let [columns, rows] = [0, 1].map(|axis| Between::of(at[axis], side, size[axis]));
    let row = |y: usize| columns.mix(&values[y * size[0]..(y + 1) * size[0]]);
    let (top, low) = (row(rows.first), row(rows.next));
    top + (low - top) * rows.part
}

/// A Gaussian of 1.4 cells: twice (1 4 6 4 1) along rows and columns.
fn smoothed(values: &[f32], [wide, tall]: [usize; 2]) -> Vec<f32> {
    const WEIGHTS: [f32; 5] = [0.0625, 0.25, 0.375, 0.25, 0.0625];
    let mut own = values.to_vec();
    for _ in 0..2 {
        let along = |from: &[f32], at: &dyn Fn(usize, usize, i64) -> usize| -> Vec<f32> {
            let one = |i: usize| {
                let (x, y) = (i % wide, i / wide);
                (-2..=2).map(|d: i64| WEIGHTS[(d + 2) as usize] * from[at(x, y, d)]).sum()
            };
            (0..from.len()).map(one).collect()
        };
        let kept = |at: usize, d: i64, count: usize| (at as i64 + d).clamp(0, count as i64 - 1);
        own = along(&own, &|x, y, d| y * wide + kept(x, d, wide) as usize);
        own = along(&own, &|x, y, d| kept(y, d, tall) as usize * wide + x);
    }
    own
}
