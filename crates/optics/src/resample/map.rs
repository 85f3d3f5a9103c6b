//! Source positions of the pixels of a region.

use super::layout::{FINE, NODES, STRIP};
use super::to_samples::ToSamples;
use jade_pixels::tiled::Region;
use multiversion::multiversion;

/// Spacing in pixels of positions that are mapped exactly.
const COARSE: usize = 32;

/// Source positions of a region on the fine grid.
pub struct Map {
    pub across: usize,
    pub nodes: Vec<[f64; 2]>,
}

impl Map {
    pub fn new(way: &ToSamples, region: Region) -> Self {
        // Cubics go through four exact nodes: one more is needed on either side of the region.
        let exact = |size: u32| (size as usize + 2 * FINE) / COARSE + 4;
        let (width, height) = (exact(region.width), exact(region.height));
        let place = |i: usize| i as f64 * COARSE as f64 - COARSE as f64;
        let coarse: Vec<[f64; 2]> = (0..width * height)
            .map(|i| {
                let x = region.x as f64 + place(i % width);
                let y = region.y as f64 + place(i / width);
                way.to_samples([x, y])
            })
            .collect();
        let across = region.width as usize / FINE + 2;
        let down = region.height as usize / FINE + 2;
        let rows: Vec<[f64; 2]> = (0..height * across)
            .map(|i| cubic(i % across, |node| coarse[i / across * width + node]))
            .collect();
        let nodes = (0..down * across)
            .map(|i| cubic(i / across, |node| rows[node * across + i % across]))
            .collect();
        Self { across, nodes }
    }

    /// Bounds of all source positions as (left, top, right, bottom); `None` where all lie far
    /// outside a picture of this size.
    pub fn bounds(&self, width: u32, height: u32) -> Option<[f64; 4]> {
        let mut bounds = [f64::MAX, f64::MAX, f64::MIN, f64::MIN];
        for [x, y] in &self.nodes {
            if !x.is_finite() || !y.is_finite() {
                return None;
            }
            bounds = [bounds[0].min(*x), bounds[1].min(*y), bounds[2].max(*x), bounds[3].max(*y)];
        }
        let [left, top, right, bottom] = bounds;
        let meets = right >= 0.0 && bottom >= 0.0 && left < width as f64 && top < height as f64;
        meets.then_some(bounds)
    }

    /// The nodes of a strip of `width` columns from column `x` on, a multiple of [`FINE`], relative
    /// to `origin`: for each axis, row after row of nodes.
    pub fn strip(&self, x: usize, width: usize, origin: [i64; 2]) -> [Vec<[f32; NODES]>; 2] {
        let last = width.div_ceil(FINE);
        let rows = self.nodes.chunks_exact(self.across).map(|row| &row[x / FINE..]);
        [0, 1].map(|axis| {
            let place = |at: [f64; 2]| (at[axis] - origin[axis] as f64) as f32;
            let row = |row: &[[f64; 2]]| std::array::from_fn(|node| place(row[node.min(last)]));
            rows.clone().map(row).collect()
        })
    }
}

/// Positions along one axis in row `y` of a strip with these nodes.
pub fn row(nodes: &[[f32; NODES]], y: usize, places: &mut [f32; STRIP]) {
    const ALL: [f32; 2] = [f32::MIN, f32::MAX];
    let part = (y % FINE) as f32 / FINE as f32;
    between(&nodes[y / FINE], &nodes[y / FINE + 1], part, ALL, places);
}

/// Positions between two rows of nodes, `part` of the way from one to the other, clamped to `low`
/// and `high`.
#[multiversion(targets("x86_64+avx512f+avx512bw+avx512dq+avx512vl+fma", "x86_64+avx2+fma"))]
pub fn between(
    here: &[f32; NODES],
    next: &[f32; NODES],
    part: f32,
    [low, high]: [f32; 2],
    places: &mut [f32; STRIP],
) {
    let mut nodes = [0.0f32; NODES];
    for (i, node) in nodes.iter_mut().enumerate() {
        *node = here[i] + (next[i] - here[i]) * part;
    }
    for (i, places) in places.as_chunks_mut::<FINE>().0.iter_mut().enumerate() {
        let (from, step) = (nodes[i], (nodes[i + 1] - nodes[i]) / FINE as f32);
        for (lane, to) in places.iter_mut().enumerate() {
            let place = from + step * lane as f32;
            let place = if place > high { high } else { place };
            *to = if place < low { low } else { place };
        }
    }
}

/// The value at fine node `i` between coarse nodes, by Lagrange's cubic through four of them.
fn cubic(i: usize, coarse: impl Fn(usize) -> [f64; 2]) -> [f64; 2] {
    let (first, t) = (i * FINE / COARSE, (i * FINE % COARSE) as f64 / COARSE as f64);
    let weights = [
        -t * (t - 1.0) * (t - 2.0) / 6.0,
        (t + 1.0) * (t - 1.0) * (t - 2.0) / 2.0,
        -(t + 1.0) * t * (t - 2.0) / 2.0,
        (t + 1.0) * t * (t - 1.0) / 6.0,
    ];
    let mut sum = [0.0; 2];
    for (k, weight) in weights.into_iter().enumerate() {
        let node = coarse(first + k);
        sum = [sum[0] + weight * node[0], sum[1] + weight * node[1]];
    }
    sum
}
