//! Where the pixels of a region lie in a frame.

use super::{FINE, RUN, STRIP};
use crate::align::Motion;
use jade_pixels::tiled::Region;

/// Distance of exactly mapped positions in pixels.
const COARSE: usize = 32;

/// Source positions of a region on the fine grid.
pub struct Map {
    pub across: usize,
    pub nodes: Vec<[f64; 2]>,
}

impl Map {
    pub fn new(backward: &Motion, region: Region) -> Self {
        // Cubics between four exact nodes: one more on either side of the region.
        let exact = |size: u32| (size as usize + 2 * FINE) / COARSE + 4;
        let (wide, tall) = (exact(region.width), exact(region.height));
        let place = |i: usize| i as f64 * COARSE as f64 - COARSE as f64;
        let coarse: Vec<[f64; 2]> = (0..wide * tall)
            .map(|i| {
                let x = region.x as f64 + place(i % wide);
                let y = region.y as f64 + place(i / wide);
                backward.to_reference([x, y])
            })
            .collect();
        let across = region.width as usize / FINE + 2;
        let down = region.height as usize / FINE + 2;
        let rows: Vec<[f64; 2]> = (0..tall * across)
            .map(|i| cubic(i % across, |node| coarse[i / across * wide + node]))
            .collect();
        let nodes = (0..down * across)
            .map(|i| cubic(i / across, |node| rows[node * across + i % across]))
            .collect();
        Self { across, nodes }
    }

    /// Bounds of all source positions as (left, top, right, bottom), unless all lie far outside a
    /// picture of this size.
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

    /// Positions of `wide` columns from column `x` on, a multiple of [`FINE`], in row `y` of the
    /// region, counted from `origin`; and as many more as make a whole number of runs, which stand
    /// below the last column.
    pub fn row(
        &self,
        y: usize,
        x: usize,
        wide: usize,
        origin: [i64; 2],
        xs: &mut [f32; STRIP],
        ys: &mut [f32; STRIP],
    ) {
        let (gy, fy) = (y / FINE, (y % FINE) as f64 / FINE as f64);
        let (top, low) = (&self.nodes[gy * self.across..], &self.nodes[(gy + 1) * self.across..]);
        let first = x / FINE;
        let node = |gx: usize| {
            [0, 1].map(|axis| {
                (top[gx][axis] + (low[gx][axis] - top[gx][axis]) * fy - origin[axis] as f64) as f32
            })
        };
        let lanes: [f32; FINE] = std::array::from_fn(|i| i as f32);
        let mut from = node(first);
        let parts = xs.as_chunks_mut::<FINE>().0.iter_mut().zip(ys.as_chunks_mut::<FINE>().0);
        for (i, (xs, ys)) in parts.enumerate().take(wide.div_ceil(FINE)) {
            let to = node(first + i + 1);
            let step = [0, 1].map(|axis| (to[axis] - from[axis]) / FINE as f32);
            *xs = lanes.map(|i| from[0] + step[0] * i);
            *ys = lanes.map(|i| from[1] + step[1] * i);
            from = to;
        }
        for i in wide..wide.next_multiple_of(RUN) {
            xs[i] = xs[wide - 1] + (i + 1 - wide) as f32;
            ys[i] = ys[wide - 1];
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
