//! The kernel along both axes at once: for any motion.

use super::lanes::{WHOLE, fused, parted, weights};
use super::layout::{FINE, SLACK};
use super::row_scratch::RowScratch;
use super::strip::Strip;
use crate::kernel::{Kernel, LANCZOS, RUN, TAPS};
use multiversion::multiversion;
use multiversion::target::target_cfg_f;

impl Strip<'_> {
    /// The light of the row whose positions are in `scratch`, where the whole source lies too.
    pub fn direct(&self, scratch: &RowScratch, out: [&mut [f32]; 3]) {
        let planes = scratch.planes.each_ref().map(Vec::as_slice);
        let length = self.width.next_multiple_of(RUN);
        let (xs, ys) = (&scratch.xs[..length], &scratch.ys[..length]);
        resample(planes, self.source.stride, xs, ys, out, &LANCZOS);
    }
}

/// The most steps to a next source row that a run may cross on its way to be done at once.
const STEPS: usize = 3;

/// The taps of one run: the sums over `$taps` columns and the rows of `$down` of three planes.
macro_rules! weigh {
    ($taps:literal, $across:expr, $down:expr, $from:expr, $planes:expr, $stride:expr) => {{
        let across: &[[f32; RUN]; $taps] = &$across;
        let mut sums = [[0.0f32; RUN]; 3];
        for (j, down) in $down.iter().enumerate() {
            let from = $from + j * $stride;
            for c in 0..3 {
                let row: &[f32; RUN + TAPS] =
                    $planes[c][from..from + RUN + TAPS].try_into().expect("as long");
                let mut part = [0.0f32; RUN];
                for lane in 0..RUN {
                    part[lane] = across[0][lane] * row[lane];
                }
                for i in 1..$taps {
                    for lane in 0..RUN {
                        part[lane] = fused!(across[i][lane], row[i + lane], part[lane]);
                    }
                }
                for lane in 0..RUN {
                    sums[c][lane] = fused!(down[lane], part[lane], sums[c][lane]);
                }
            }
        }
        sums
    }};
}

/// One row of resampled light. `xs` and `ys` are positions in the planes, a whole number of runs,
/// along straight lines of [`FINE`] positions; rows of the planes are `stride` apart and begin
/// after [`SLACK`].
///
/// Neighbouring pixels read neighbouring sources nearly everywhere, so the taps of a run are plain
/// vectors. Where a run crosses a step to the next column or rows, there are more taps, and each
/// lane has weights of zero for those that are not its own; where it crosses too many, as when a
/// frame stands on its side, it is done once for each.
#[multiversion(targets("x86_64+avx512f+avx512bw+avx512dq+avx512vl+fma", "x86_64+avx2+fma"))]
#[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
fn resample(
    planes: [&[f32]; 3],
    stride: usize,
    xs: &[f32],
    ys: &[f32],
    out: [&mut [f32]; 3],
    kernel: &Kernel,
) {
    let width = out[0].len();
    let runs = xs.as_chunks::<RUN>().0.iter().zip(ys.as_chunks::<RUN>().0);
    for (run, (xs, ys)) in runs.enumerate() {
        let start = run * RUN;
        let length = RUN.min(width - start);
        let (columns, tx, left, right) = parted!(xs, 1.0);
        let (rows, ty, top, bottom) = parted!(ys, 0.0);
        let (across, down) = (weights!(tx, kernel), weights!(ty, kernel));
        let steps = (bottom - top) as usize;
        if right - left <= 1.0 && steps <= STEPS {
            let from = (top as usize * stride + SLACK).wrapping_add_signed(left as isize);
            let from = from - 2 * stride - 2;
            let mut shifted_rows = [[0.0f32; RUN]; TAPS + STEPS];
            // Not copied where it is the same: a vector that was just stored in two halves is slow
            // to load.
            let rows: &[[f32; RUN]] = if steps == 0 {
                &down
            } else {
                let mut late = [0.0f32; RUN];
                for lane in 0..RUN {
                    late[lane] = rows[lane] - top;
                }
                for step in 0..=steps {
                    let mut step_weight = [0.0f32; RUN];
                    for lane in 0..RUN {
                        step_weight[lane] = (1.0 - (late[lane] - step as f32).abs()).max(0.0);
                    }
                    for tap in 0..TAPS {
                        for lane in 0..RUN {
                            let sum = shifted_rows[tap + step][lane];
                            shifted_rows[tap + step][lane] =
                                fused!(step_weight[lane], down[tap][lane], sum);
                        }
                    }
                }
                &shifted_rows[..TAPS + steps]
            };
            let sums = if left == right {
                weigh!(6, across, rows, from, planes, stride)
            } else {
                let mut shifted = [[0.0f32; RUN]; TAPS + 1];
                for lane in 0..RUN {
                    let late = columns[lane] - left;
                    shifted[0][lane] = across[0][lane] * (1.0 - late);
                    for tap in 1..TAPS {
                        let step = across[tap - 1][lane] - across[tap][lane];
                        shifted[tap][lane] = fused!(late, step, across[tap][lane]);
                    }
                    shifted[TAPS][lane] = across[TAPS - 1][lane] * late;
                }
                weigh!(7, shifted, rows, from, planes, stride)
            };
            for c in 0..3 {
                out[c][start..start + length].copy_from_slice(&sums[c][..length]);
            }
            continue;
        }
        let mut todo = [true; RUN];
        let mut next = 0;
        while next < length {
            let here = (columns[next], rows[next]);
            let from = (here.1 as usize * stride + SLACK).wrapping_add_signed(here.0 as isize);
            let from = from - 2 * stride - 2;
            let sums = weigh!(6, across, down, from, planes, stride);
            for c in 0..3 {
                for lane in 0..length {
                    if (columns[lane], rows[lane]) == here {
                        out[c][start + lane] = sums[c][lane];
                    }
                }
            }
            for lane in next..RUN {
                todo[lane] &= (columns[lane], rows[lane]) != here;
            }
            next = todo.iter().position(|t| *t).unwrap_or(RUN);
        }
    }
}
