//! Resampling along rows first, then along columns: for frames that are nearly unrotated against
//! the reference frame.
//!
//! Each source row is resampled where it crosses the region's columns; then each column of the
//! result is resampled where the region's rows lie (Catmull & Smith 1980). Each source pixel is
//! weighted once along each axis, as when both axes are resampled at once, but the sums along rows
//! serve all rows that read them.

use super::lanes::{WHOLE, fused, parted, weights};
use super::layout::{FINE, NODES, STRIP};
use super::map;
use super::row_scratch::{RING, RowScratch, WIDE};
use super::strip::Strip;
use crate::kernel::{Kernel, LANCZOS, RUN, TAPS};
use multiversion::multiversion;
use multiversion::target::target_cfg_f;

/// Steepest lean of rows and columns. Beyond it the sums along rows would lose fine detail along
/// the diagonals, and a row would need more source rows than are kept.
const LEAN: f64 = 0.15;
/// Largest stretch along rows: a run of pixels crosses one step at most.
const STRETCH: f64 = 0.06;
/// Steps to a next source row that a run crosses at most.
const STEPS: usize = 3;
/// Where source rows cross a strip's columns.
pub struct Upright {
    /// For every [`FINE`]-th source row from `first` on, the place of each node along it.
    crossings: Vec<[f32; NODES]>,
    first: i64,
    limits: [f32; 2],
}

impl Upright {
    /// The crossings, where the strip is upright throughout.
    pub fn of(strip: &Strip) -> Option<Self> {
        let Strip { map, source, x, width, last, .. } = strip;
        let (column, nodes) = (x / FINE, width.div_ceil(FINE) + 1);
        let length = map.nodes.len() / map.across;
        let at = |node: usize, piece: usize| map.nodes[piece * map.across + column + node];
        let slope = |a: [f64; 2], b: [f64; 2]| [0, 1].map(|axis| (b[axis] - a[axis]) / FINE as f64);
        let (mut top, mut bottom) = (f64::MAX, f64::MIN);
        for node in 0..nodes {
            for piece in 0..length {
                let here = at(node, piece);
                (top, bottom) = (top.min(here[1]), bottom.max(here[1]));
                let [stretch, lean] = slope(here, at((node + 1).min(nodes - 1), piece));
                let along = node + 1 == nodes || (stretch - 1.0).abs() <= STRETCH;
                let [slant, stretch] = slope(here, at(node, (piece + 1).min(length - 1)));
                let down = piece + 1 == length || (0.7..1.4).contains(&stretch);
                if !(along && down && lean.abs() <= LEAN && slant.abs() <= LEAN) {
                    return None;
                }
            }
        }
        let first = top.floor() as i64 - source.top - TAPS as i64;
        let lines = (bottom - top) as usize / FINE + 4;
        let mut crossings = vec![[0.0; NODES]; lines];
        for node in 0..nodes {
            let mut piece = 0;
            for (line, crossings) in crossings.iter_mut().enumerate() {
                let row = (source.top + first + (line * FINE) as i64) as f64;
                // The last piece is extended beyond its end.
                while piece + 2 < length && at(node, piece + 1)[1] <= row {
                    piece += 1;
                }
                let (here, next) = (at(node, piece), at(node, piece + 1));
                let lean = (next[0] - here[0]) / (next[1] - here[1]);
                crossings[node] = (here[0] + (row - here[1]) * lean - source.left as f64) as f32;
            }
        }
        // Columns inside the frame whose kernel lies inside the source.
        let left = (-source.left).max(2) as f32;
        let right = (last[0] - source.left as f32).min(source.stride as f32 - 4.01);
        Some(Self { crossings, first, limits: [left, right] })
    }

    /// The light of the row whose positions are in `scratch`. Rows must follow one another, from
    /// the first row of the strip on.
    pub fn row(&self, strip: &Strip, first: bool, scratch: &mut RowScratch, out: [&mut [f32]; 3]) {
        let RowScratch { ys, upright: rows, .. } = scratch;
        let ys = &ys[..strip.width.next_multiple_of(RUN)];
        let (mut top, mut bottom) = (f32::MAX, f32::MIN);
        for line in ys.as_chunks::<FINE>().0 {
            // On a straight line the extremes are at the ends.
            for end in [line[0], line[FINE - 1]] {
                top = if end < top { end } else { top };
                bottom = if end > bottom { end } else { bottom };
            }
        }
        let (top, bottom) = (top as usize - 2, bottom as usize + TAPS - 3);
        if first {
            rows.next = top;
        }
        for k in rows.next.max(top)..=bottom {
            let line = (k as i64 - self.first) as usize;
            let [here, next] = [0, 1].map(|i| &self.crossings[line / FINE + i]);
            let part = (line % FINE) as f32 / FINE as f32;
            map::between(here, next, part, self.limits, &mut rows.xs);
            let width = strip.width;
            let edge = rows.xs[width - 1];
            rows.xs[width..ys.len()].fill(edge);
            let at = k % RING * STRIP;
            let out = rows.rings.each_mut().map(|ring| &mut ring[at..at + ys.len()]);
            // One column more than the kernel has: a run that ends in a step begins there, with a
            // weight of zero.
            let first = rows.xs[0] as i64 - TAPS as i64 / 2 - 1;
            let from = first.max(0) as usize;
            let end = (edge as usize + TAPS / 2 + 2).min(strip.source.stride);
            let at = (from as i64 - first) as usize;
            let target = rows.source.each_mut().map(|row| &mut row[at..at + end - from]);
            strip.source.row(k, from, target);
            along(&rows.source, first as i32, &rows.xs[..ys.len()], out, &LANCZOS);
        }
        rows.next = bottom + 1;
        down(rows.rings.each_ref().map(Vec::as_slice), ys, out, &LANCZOS);
    }
}

/// A source row at the positions `xs`, a whole number of runs along straight lines of [`FINE`].
/// The source's values begin at column `first`.
#[multiversion(targets("x86_64+avx512f+avx512bw+avx512dq+avx512vl+fma", "x86_64+avx2+fma"))]
#[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
fn along(
    sources: &[[f32; WIDE]; 3],
    first: i32,
    xs: &[f32],
    out: [&mut [f32]; 3],
    kernel: &Kernel,
) {
    for (run, xs) in xs.as_chunks::<RUN>().0.iter().enumerate() {
        let (columns, t, left, right) = parted!(xs, 1.0);
        let weights = weights!(t, kernel);
        let start = run * RUN;
        if right - left > 1.0 {
            // Positions at the frame's edge.
            for lane in 0..RUN {
                let from = (columns[lane] as i32 + lane as i32 - first) as usize - 2;
                for c in 0..3 {
                    let taps = sources[c][from..from + TAPS].iter().zip(&weights);
                    out[c][start + lane] = taps.map(|(v, weight)| v * weight[lane]).sum();
                }
            }
            continue;
        }
        let mut shifted = [[0.0f32; RUN]; TAPS + 1];
        for lane in 0..RUN {
            let late = columns[lane] - left;
            shifted[0][lane] = weights[0][lane] * (1.0 - late);
            for tap in 1..TAPS {
                let step = weights[tap - 1][lane] - weights[tap][lane];
                shifted[tap][lane] = fused!(late, step, weights[tap][lane]);
            }
            shifted[TAPS][lane] = weights[TAPS - 1][lane] * late;
        }
        let from = (left as i32 - first) as usize - 2;
        for c in 0..3 {
            let row: &[f32; RUN + TAPS] =
                sources[c][from..from + RUN + TAPS].try_into().expect("as long");
            let mut sum = [0.0f32; RUN];
            for tap in 0..=TAPS {
                for lane in 0..RUN {
                    sum[lane] = fused!(shifted[tap][lane], row[tap + lane], sum[lane]);
                }
            }
            let to: &mut [f32; RUN] =
                (&mut out[c][start..start + RUN]).try_into().expect("whole runs");
            *to = sum;
        }
    }
}

/// The weights with space for `$steps` steps: each lane's weights begin at its own row.
macro_rules! shifted {
    ($steps:expr, $weights:expr, $rows:expr, $top:expr) => {{
        let mut late = [0.0f32; RUN];
        for lane in 0..RUN {
            late[lane] = $rows[lane] - $top;
        }
        let mut shifted = [[0.0f32; RUN]; TAPS + $steps];
        for step in 0..=$steps {
            let mut kept = [0.0f32; RUN];
            for lane in 0..RUN {
                let off = (late[lane] - step as f32).abs();
                kept[lane] = if off < 0.5 { 1.0 } else { 0.0 };
            }
            for tap in 0..TAPS {
                for lane in 0..RUN {
                    let sum = shifted[tap + step][lane];
                    shifted[tap + step][lane] = fused!(kept[lane], $weights[tap][lane], sum);
                }
            }
        }
        shifted
    }};
}

/// The first `$taps` weights applied to the rows that begin at `$at`.
macro_rules! sums {
    ($taps:expr, $weights:expr, $at:expr, $rings:expr) => {{
        let mut sums = [[0.0f32; RUN]; 3];
        for (ring, to) in $rings.iter().zip(&mut sums) {
            let mut sum = [0.0f32; RUN];
            for tap in 0..$taps {
                let row: &[f32; RUN] = ring[$at[tap]..$at[tap] + RUN].try_into().expect("as long");
                for lane in 0..RUN {
                    sum[lane] = fused!($weights[tap][lane], row[lane], sum[lane]);
                }
            }
            *to = sum;
        }
        sums
    }};
}

/// Columns of kept rows at the positions `ys`, a whole number of runs along straight lines of
/// [`FINE`].
#[multiversion(targets("x86_64+avx512f+avx512bw+avx512dq+avx512vl+fma", "x86_64+avx2+fma"))]
#[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
fn down(rings: [&[f32]; 3], ys: &[f32], out: [&mut [f32]; 3], kernel: &Kernel) {
    let width = out[0].len();
    for (run, ys) in ys.as_chunks::<RUN>().0.iter().enumerate() {
        let (rows, t, top, bottom) = parted!(ys, 0.0);
        let weights = weights!(t, kernel);
        let steps = ((bottom - top) as usize).min(STEPS);
        let start = run * RUN;
        let at: [usize; TAPS + STEPS] =
            std::array::from_fn(|tap| (top as usize - 2 + tap) % RING * STRIP + start);
        // With a constant number of taps, each sum stays in one vector register.
        let sums = match steps {
            0 => sums!(TAPS, weights, at, rings),
            1 => {
                let shifted = shifted!(1, weights, rows, top);
                sums!(TAPS + 1, shifted, at, rings)
            }
            _ => {
                let shifted = shifted!(STEPS, weights, rows, top);
                sums!(TAPS + STEPS, shifted, at, rings)
            }
        };
        let length = RUN.min(width - start);
        for c in 0..3 {
            match <&mut [f32; RUN]>::try_from(&mut out[c][start..start + length]) {
                Ok(to) => *to = sums[c],
                Err(_) => out[c][start..].copy_from_slice(&sums[c][..length]),
            }
        }
    }
}
