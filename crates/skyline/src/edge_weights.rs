//! Weights of the connections between neighbouring cells: high where they are alike, low across an
//! edge.

use super::appearance::Feature;
use jade_optics::grid::Grid;
use jade_optics::statistics::median;
use rayon::prelude::*;

/// The features that show edges: brightness, red and blue.
const COLOURS: [usize; 3] = [0, 1, 2];
/// Cells on either side over which an edge is distinguished from noise.
const SIDE: usize = 3;
/// Cells on either side over which the light of a cloud changes.
const WIDE: usize = 9;
/// Share of the difference over that distance that an edge must exceed: the skyline is sharp in any
/// light, and the edges of clouds are not.
const SOFT: f32 = 0.2;

/// Weights of the connections from a cell to its neighbours on the right and below: 1 where nothing
/// changes, near 0 across an edge.
#[derive(Clone)]
pub struct EdgeWeights {
    pub right: Vec<f32>,
    pub down: Vec<f32>,
}

impl EdgeWeights {
    /// Weights from the features of cells.
    pub fn of(grid: Grid, features: &[Feature]) -> Self {
        let plane = |f: usize| -> Vec<f32> { features.iter().map(|feature| feature[f]).collect() };
        let all: Vec<[Vec<f32>; 2]> =
            COLOURS.into_par_iter().map(|f| strengths(grid, &plane(f))).collect();
        let sum = |k: usize| -> Vec<f32> {
            (0..grid.cells()).map(|i| all.iter().map(|planes| planes[k][i]).sum()).collect()
        };
        Self::new(grid, &sum(0), &sum(1))
    }

    /// Weights from the strength of the edge, 1 for the effect of noise, between each cell and its
    /// neighbours on the right and below.
    fn new(grid: Grid, right: &[f32], down: &[f32]) -> Self {
        let way = |edge: f32| (-0.5 * edge).exp() + 1e-3;
        let last = |i: usize| (i + 1).is_multiple_of(grid.across);
        let right =
            right.iter().enumerate().map(|(i, edge)| if last(i) { 0.0 } else { way(*edge) });
        let low = |i: usize| i + grid.across >= grid.cells();
        let down = down.iter().enumerate().map(|(i, edge)| if low(i) { 0.0 } else { way(*edge) });
        Self { right: right.collect(), down: down.collect() }
    }

    /// How well a border of sky and ground follows edges, 0 to 1, and its length in cells.
    pub fn parted(&self, grid: Grid, sky: &[f32]) -> (f32, f32) {
        let (mut sum, mut count) = (0.0, 0.0f32);
        for i in 0..grid.cells() {
            let mut look = |way: f32, other: usize| {
                if other < grid.cells() && (sky[i] > 0.5) != (sky[other] > 0.5) {
                    sum += 1.0 - way;
                    count += 1.0;
                }
            };
            if (i + 1) % grid.across != 0 {
                look(self.right[i], i + 1);
            }
            look(self.down[i], i + grid.across);
        }
        (sum / count.max(1.0), count)
    }

    /// The weights for cells twice as large.
    pub fn halved(&self, grid: Grid, small: Grid) -> Self {
        let mut half = Self { right: vec![0.0; small.cells()], down: vec![0.0; small.cells()] };
        for (i, (right, down)) in self.right.iter().zip(&self.down).enumerate() {
            let (x, y) = (i % grid.across, i / grid.across);
            let to = y / 2 * small.across + x / 2;
            // The connection between two larger cells.
            if x % 2 == 1 {
                half.right[to] += 0.5 * right;
            }
            if y % 2 == 1 {
                half.down[to] += 0.5 * down;
            }
        }
        half
    }
}

/// Strength of the edges of one colour between each cell and its neighbours on the right and below;
/// 1 is the effect of noise.
fn strengths(grid: Grid, plane: &[f32]) -> [Vec<f32>; 2] {
    let right = Line { step: 1, length: grid.across, values: grid.blurred_along(plane, 1, false) };
    let down =
        Line { step: grid.across, length: grid.down, values: grid.blurred_along(plane, 1, true) };
    let both = [right, down].map(|line| (line.edges(), line.differences(WIDE)));
    let mut all: Vec<f32> = both[0].0.iter().step_by(7).copied().collect();
    let usual = 3.0 * 1.4826 * median(&mut all).max(1e-4);
    both.map(|(edges, width)| {
        let strength =
            |(edge, width): (&f32, &f32)| edge.powi(2) / (usual.powi(2) + (SOFT * width).powi(2));
        edges.iter().zip(&width).map(strength).collect()
    })
}

/// Values along the lines of a grid.
struct Line {
    /// Distance from one value to the next.
    step: usize,
    /// Number of values in a line.
    length: usize,
    values: Vec<f32>,
}

impl Line {
    /// Difference between the means of `side` cells before and after each connection.
    fn differences(&self, side: usize) -> Vec<f32> {
        let one = |i: usize| {
            let at = i / self.step % self.length;
            let (before, behind) = (side.min(at + 1), side.min(self.length - at - 1));
            if behind == 0 {
                return 0.0;
            }
            let mean = |from: usize, count: usize| {
                (0..count).map(|k| self.values[from + k * self.step]).sum::<f32>() / count as f32
            };
            mean(i + self.step, behind) - mean(i + self.step - before * self.step, before)
        };
        (0..self.values.len()).into_par_iter().map(one).collect()
    }

    /// The part of that difference that is an edge of a few cells; a slope that continues on both
    /// sides is none.
    fn edges(&self) -> Vec<f32> {
        let all = self.differences(SIDE);
        let one = |i: usize| {
            let at = i / self.step % self.length;
            let before = all[i - SIDE.min(at) * self.step];
            let behind = all[i + SIDE.min((self.length - 1 - at).saturating_sub(1)) * self.step];
            let sign = all[i].signum();
            let slope = 0.5 * ((sign * before).max(0.0) + (sign * behind).max(0.0));
            (all[i].abs() - slope).max(0.0)
        };
        (0..all.len()).into_par_iter().map(one).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A plane of cells with some noise, of the given light in each column.
    fn columns(grid: Grid, light: impl Fn(usize) -> f32) -> Vec<f32> {
        let noise = |i: usize| ((i * 7919 % 101) as f32 / 101.0 - 0.5) * 0.01;
        (0..grid.cells()).map(|i| light(i % grid.across) + noise(i)).collect()
    }

    #[test]
    fn a_faint_sharp_edge_is_one_and_a_soft_one_of_much_light_is_none() {
        let grid = Grid { step: 8, across: 120, down: 60 };
        // A step, and beside it a slope over twelve cells with twenty times the light.
        let light = |x: usize| {
            let step = if x > 30 { 0.05 } else { 0.0 };
            let t = ((x as f32 - 80.0) / 12.0).clamp(0.0, 1.0);
            step + t * t * (3.0 - 2.0 * t)
        };
        let [right, down] = strengths(grid, &columns(grid, light));
        for y in 5..55 {
            let row = &right[y * grid.across..(y + 1) * grid.across];
            assert!(row[30] > 8.0, "the step in row {y}: {}", row[30]);
            let soft = row[70..110].iter().copied().fold(0.0, f32::max);
            assert!(soft < 4.0, "the slope in row {y}: {soft}");
        }
        let mut level = down[10 * grid.across..50 * grid.across].to_vec();
        assert!(median(&mut level) < 1.0);
    }
}
