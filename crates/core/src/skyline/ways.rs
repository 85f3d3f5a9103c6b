//! How near neighbouring cells are to each other: what lies between them is an edge or not.

use super::appearance::Feature;
use super::grid::Grid;
use crate::align::background::median;
use rayon::prelude::*;

/// The features that tell edges: brightness, red and blue.
const COLOURS: [usize; 3] = [0, 1, 2];
/// Cells on either side of an edge that tell it from noise.
const SIDE: usize = 3;

/// How far it is from one cell to its neighbours to the right and below: 1 where nothing changes,
/// near 0 across an edge.
#[derive(Clone)]
pub struct Ways {
    pub right: Vec<f32>,
    pub down: Vec<f32>,
}

impl Ways {
    /// From what cells look like.
    pub fn of(grid: Grid, features: &[Feature]) -> Self {
        let plane = |f: usize| -> Vec<f32> { features.iter().map(|own| own[f]).collect() };
        let all: Vec<[Vec<f32>; 2]> =
            COLOURS.into_par_iter().map(|f| strengths(grid, &plane(f))).collect();
        let sum = |k: usize| -> Vec<f32> {
            (0..grid.cells()).map(|i| all.iter().map(|own| own[k][i]).sum()).collect()
        };
        Self::new(grid, &sum(0), &sum(1))
    }

    /// From the strength of the edge, 1 for what noise does, between each cell and its neighbour to
    /// the right, and to the one below.
    fn new(grid: Grid, right: &[f32], down: &[f32]) -> Self {
        let way = |edge: f32| (-0.5 * edge).exp() + 1e-3;
        let last = |i: usize| (i + 1).is_multiple_of(grid.across);
        let right =
            right.iter().enumerate().map(|(i, edge)| if last(i) { 0.0 } else { way(*edge) });
        let low = |i: usize| i + grid.across >= grid.cells();
        let down = down.iter().enumerate().map(|(i, edge)| if low(i) { 0.0 } else { way(*edge) });
        Self { right: right.collect(), down: down.collect() }
    }

    /// How well a border of sky and ground keeps to edges, 0 to 1, and how many cells long it is.
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

    /// The same for cells twice as large.
    pub fn halved(&self, grid: Grid, small: Grid) -> Self {
        let mut half = Self { right: vec![0.0; small.cells()], down: vec![0.0; small.cells()] };
        for (i, (right, down)) in self.right.iter().zip(&self.down).enumerate() {
            let (x, y) = (i % grid.across, i / grid.across);
            let to = y / 2 * small.across + x / 2;
            // What leads from one larger cell to the next.
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

/// How strong the edges of one colour are between each cell and its neighbours to the right and below,
/// 1 for what noise does.
fn strengths(grid: Grid, plane: &[f32]) -> [Vec<f32>; 2] {
    let right = edges(&grid.blurred_along(plane, 1, false), 1, grid, grid.across);
    let down = edges(&grid.blurred_along(plane, 1, true), grid.across, grid, grid.down);
    let mut all: Vec<f32> = right.iter().step_by(7).copied().collect();
    let usual = 3.0 * 1.4826 * median(&mut all).max(1e-4);
    [right, down].map(|edges| edges.iter().map(|v| (v / usual).powi(2)).collect())
}

/// How much the means of some cells before and behind each way along lines of `long` cells differ.
fn edges(values: &[f32], step: usize, grid: Grid, long: usize) -> Vec<f32> {
    let one = |i: usize| {
        let at = i / step % long;
        let (before, behind) = (SIDE.min(at + 1), SIDE.min(long - at - 1));
        if behind == 0 {
            return 0.0;
        }
        let mean = |from: usize, count: usize| {
            (0..count).map(|k| values[from + k * step]).sum::<f32>() / count as f32
        };
        mean(i + step, behind) - mean(i + step - before * step, before)
    };
    let all: Vec<f32> = (0..grid.cells()).into_par_iter().map(one).collect();
    // What goes on in the same way before and behind is no edge.
    let bend = |i: usize| {
        let at = i / step % long;
        let before = all[i - SIDE.min(at) * step];
        let behind = all[i + SIDE.min((long - 1 - at).saturating_sub(1)) * step];
        let sign = all[i].signum();
        let slope = 0.5 * ((sign * before).max(0.0) + (sign * behind).max(0.0));
        (all[i].abs() - 1.0 * slope).max(0.0)
    };
    (0..grid.cells()).into_par_iter().map(bend).collect()
}
