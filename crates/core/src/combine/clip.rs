//! The clipped mean: samples far from the median of their position are rejected, together with
//! what lies close around where many are, and the rest averaged.
//!
//! The expected spread comes from the middle order statistics of each position and of its
//! neighbours, so that few frames are enough; the three colours decide together, so that a sample
//! is kept or rejected whole and colours stay true. A streak is brightest along its middle and
//! fades to its sides below any threshold: positions with several rejected neighbours in the same
//! frame are rejected too.

use super::network::{LANES, Network, Row};
use super::ordered::{Held, middle};
use super::reduce::Reduced;
use jade_pixels::tiled::Region;
use multiversion::multiversion;

/// Half the side of the square whose rejections are counted, in pixels.
const NEAR: usize = 2;
/// So many rejections in that square reject its middle.
const MANY: u8 = 4;
/// A position that keeps fewer than this share of its samples takes the median instead.
const LEAST_KEPT: f32 = 0.34;
/// How much of a position's own spread counts where it exceeds that of its neighbours.
const OWN: f32 = 0.8;

const KEPT: u8 = 0;
const REJECTED: u8 = 1;
const ABSENT: u8 = 2;

/// Clips and averages.
pub struct Clip {
    network: Network,
    median: [usize; 2],
    /// Rows of the order statistics between which the spread is taken, and its factor to sigma.
    spread: ([usize; 2], f32),
    /// Squared distance, summed over the colours, beyond which a sample is rejected.
    limit: f32,
    own: f32,
}

/// Memory of one thread that is used again for every region.
#[derive(Default)]
pub struct Marks {
    expected: Expected,
    /// One plane for each frame.
    state: Vec<u8>,
    furthest: Vec<f32>,
    whose: Vec<u16>,
    near: Near,
}

/// What is expected at each position: median and one over sigma, three planes each.
#[derive(Default)]
struct Expected {
    middle: [Vec<f32>; 3],
    inverse: [Vec<f32>; 3],
    rows: Vec<Row>,
}

/// How many rejections lie in the square around each position.
#[derive(Default)]
struct Near {
    counts: Vec<u8>,
    across: Vec<u8>,
    padded: Vec<u8>,
}

impl Clip {
    /// Pixels around a region that have a say in it.
    pub const MARGIN: u32 = NEAR as u32;

    /// Clips `frames` frames beyond `sigma` standard deviations. With three colours deciding
    /// together the limit is where chance rejects as many as `sigma` would for one.
    pub fn new(frames: usize, sigma: f32) -> Self {
        let low = frames / 5;
        let high = frames - 1 - low;
        let median = Network::median_rows(frames);
        // The expected place of an order statistic of normal noise (Blom 1958).
        let share = (high as f64 + 1.0 - 0.375) / (frames as f64 + 0.25);
        let factor = 1.0 / (2.0 * normal_quantile(share)).max(1e-3);
        Self {
            network: Network::new(frames, &[median[0], median[1], low, high]),
            median,
            spread: ([low, high], factor as f32),
            limit: limit_of_three(sigma as f64) as f32,
            // With very few frames one outlier is the spread; only the neighbours tell it then.
            own: if frames < 5 { 0.0 } else { OWN },
        }
    }

    /// Appends the clipped mean of `part`, which lies in the held region.
    pub fn reduce(
        &self,
        held: &Held,
        part: Region,
        weights: &[f32],
        marks: &mut Marks,
        out: &mut Reduced,
    ) {
        let Some(outer) = held.region else { return };
        let (area, width) = (held.area(), outer.width as usize);
        let Marks { expected, state, furthest, whose, near } = marks;
        self.expect(held, expected);
        refill(state, held.frames() * area);
        refill(furthest, area);
        refill(whose, area);
        let mut rejecting = vec![];
        for (frame, state) in state.chunks_exact_mut(area).enumerate() {
            let planes = [0, 1, 2].map(|c| held.plane(frame, c));
            let any = judge(
                planes,
                [&expected.middle[0], &expected.middle[1], &expected.middle[2]],
                [&expected.inverse[0], &expected.inverse[1], &expected.inverse[2]],
                self.limit,
                frame as u16 + 1,
                state,
                furthest,
                whose,
            );
            if let Some(covered) = &held.covered[frame] {
                let absent = state.iter_mut().zip(covered).filter(|(_, covered)| !**covered);
                absent.for_each(|(s, _)| *s = ABSENT);
            }
            if any {
                rejecting.push(frame);
                near.count(state, width);
                let close = state.iter_mut().zip(&near.counts).zip(&mut *whose);
                for ((state, _), whose) in close.filter(|((s, n), _)| **s == KEPT && **n >= MANY) {
                    *state = REJECTED;
                    if *whose == 0 {
                        *whose = frame as u16 + 1;
                    }
                }
            }
        }
        let (left, top) = ((part.x - outer.x) as usize, (part.y - outer.y) as usize);
        for row in top..top + part.height as usize {
            let at = row * width + left..row * width + left + part.width as usize;
            average(held, state, weights, expected, at.clone(), &mut out.light);
            let mut counts = vec![0u16; at.len()];
            for &frame in &rejecting {
                let state = &state[frame * area..][at.clone()];
                let rejected = |s: &u8| u16::from(*s == REJECTED);
                counts.iter_mut().zip(state).for_each(|(count, s)| *count += rejected(s));
                out.by_frame[frame] += state.iter().map(|s| rejected(s) as u64).sum::<u64>();
            }
            let whose = counts.iter().zip(&whose[at]);
            out.rejected.extend(whose.map(|(&n, &whose)| [n, if n > 0 { whose } else { 0 }]));
        }
    }

    fn expect(&self, held: &Held, all: &mut Expected) {
        let area = held.area();
        let Expected { middle: middles, inverse: inverses, rows } = all;
        middles.iter_mut().chain(&mut *inverses).for_each(|plane| plane.resize(area, 0.0));
        rows.resize(held.frames(), [0.0; LANES]);
        let ([low, high], factor) = self.spread;
        for start in (0..area).step_by(LANES) {
            let long = LANES.min(area - start);
            let whole = held.whole(start, long);
            for c in 0..3 {
                let mut spread = [0.0f32; LANES];
                let middles = &mut middles[c][start..start + long];
                if whole {
                    held.rows(c, start, long, rows);
                    self.network.run(rows);
                    let [below, above] = self.median.map(|row| &rows[row]);
                    for (lane, middle) in middles.iter_mut().enumerate() {
                        *middle = 0.5 * (below[lane] + above[lane]);
                        spread[lane] = factor * (rows[high][lane] - rows[low][lane]);
                    }
                } else {
                    for (lane, out) in middles.iter_mut().enumerate() {
                        let sorted = held.present(c, start + lane);
                        *out = middle(&sorted);
                        let n = sorted.len();
                        if n > 1 {
                            spread[lane] = factor * (sorted[n - 1 - n / 5] - sorted[n / 5]);
                        }
                    }
                }
                let usual = usual(&spread[..long]);
                let inverses = &mut inverses[c][start..start + long];
                for (inverse, spread) in inverses.iter_mut().zip(spread) {
                    *inverse = 1.0 / usual.max(self.own * spread).max(1e-7);
                }
            }
        }
    }
}

/// Makes a buffer hold `count` zeros.
fn refill<T: Clone + Default>(buffer: &mut Vec<T>, count: usize) {
    buffer.clear();
    buffer.resize(count, T::default());
}

/// The spread of most of neighbouring positions: the mean of those that are not far above it.
fn usual(spread: &[f32]) -> f32 {
    let mean = spread.iter().sum::<f32>() / spread.len() as f32;
    let (mut sum, mut count) = (0.0, 0.0);
    for s in spread {
        let share = if *s <= 1.5 * mean { 1.0 } else { 0.0 };
        sum += share * s;
        count += share;
    }
    sum / f32::max(count, 1.0)
}

/// Marks the samples of one frame beyond `limit`; `furthest` and `whose` keep, for each position,
/// the furthest rejected sample so far and its frame's number. Tells whether any was rejected.
#[multiversion(targets("x86_64+avx512f+avx512bw+avx512vl", "x86_64+avx2"))]
#[allow(clippy::too_many_arguments)]
fn judge(
    planes: [&[f32]; 3],
    middle: [&[f32]; 3],
    inverse: [&[f32]; 3],
    limit: f32,
    number: u16,
    state: &mut [u8],
    furthest: &mut [f32],
    whose: &mut [u16],
) -> bool {
    let mut any = false;
    let mut begin = 0;
    while begin < state.len() {
        let long = LANES.min(state.len() - begin);
        let mut squares = [0.0f32; LANES];
        for c in 0..3 {
            let range = begin..begin + long;
            let parts = planes[c][range.clone()].iter().zip(&middle[c][range.clone()]);
            for ((square, (v, m)), inverse) in squares.iter_mut().zip(parts).zip(&inverse[c][range])
            {
                let off = (v - m) * inverse;
                *square += off * off;
            }
        }
        if squares.iter().fold(0.0f32, |a, &b| if b > a { b } else { a }) > limit {
            any = true;
            for lane in (0..long).filter(|&lane| squares[lane] > limit) {
                state[begin + lane] = REJECTED;
                if squares[lane] > furthest[begin + lane] {
                    furthest[begin + lane] = squares[lane];
                    whose[begin + lane] = number;
                }
            }
        }
        begin += long;
    }
    any
}

impl Near {
    fn count(&mut self, state: &[u8], width: usize) {
        let height = state.len() / width;
        let Self { counts, across, padded } = self;
        refill(across, state.len());
        refill(counts, state.len());
        refill(padded, width + 2 * NEAR);
        for (row, sums) in state.chunks_exact(width).zip(across.chunks_exact_mut(width)) {
            for (to, s) in padded[NEAR..].iter_mut().zip(row) {
                *to = s & REJECTED;
            }
            for i in 0..=2 * NEAR {
                sums.iter_mut().zip(&padded[i..]).for_each(|(sum, v)| *sum += v);
            }
        }
        for (y, sums) in counts.chunks_exact_mut(width).enumerate() {
            for row in y.saturating_sub(NEAR)..(y + NEAR + 1).min(height) {
                let from = &across[row * width..(row + 1) * width];
                sums.iter_mut().zip(from).for_each(|(sum, v)| *sum += v);
            }
        }
    }
}

/// Appends the weighted mean of the kept samples of a run of positions, interleaved.
fn average(
    held: &Held,
    state: &[u8],
    weights: &[f32],
    expected: &Expected,
    at: std::ops::Range<usize>,
    light: &mut Vec<f32>,
) {
    let (area, frames) = (held.area(), held.frames());
    for start in at.clone().step_by(LANES) {
        let long = LANES.min(at.end - start);
        let mut sums = [[0.0f32; LANES]; 3];
        let (mut total, mut kept, mut here) = ([0.0f32; LANES], [0.0f32; LANES], [0.0f32; LANES]);
        for (frame, weight) in weights.iter().enumerate().take(frames) {
            let state = &state[frame * area + start..][..long];
            let planes = [0, 1, 2].map(|c| &held.plane(frame, c)[start..start + long]);
            gather(state, planes, *weight, &mut sums, &mut total, &mut kept, &mut here);
        }
        let first = light.len();
        light.resize(first + 3 * long, 0.0);
        let middles = [0, 1, 2].map(|c| &expected.middle[c][start..start + long]);
        settle(&sums, &total, &kept, &here, middles, &mut light[first..]);
    }
}

/// The means of what was gathered, interleaved, or the median where too little was kept.
#[multiversion(targets("x86_64+avx512f+avx512bw+avx512vl", "x86_64+avx2"))]
fn settle(
    sums: &[[f32; LANES]; 3],
    total: &[f32; LANES],
    kept: &[f32; LANES],
    here: &[f32; LANES],
    middles: [&[f32]; 3],
    light: &mut [f32],
) {
    let mut means = [[0.0f32; LANES]; 3];
    for c in 0..3 {
        let mut middle = [0.0f32; LANES];
        middle[..middles[c].len()].copy_from_slice(middles[c]);
        for lane in 0..LANES {
            let enough = kept[lane] > 0.0 && kept[lane] >= LEAST_KEPT * here[lane];
            let mean = sums[c][lane] / total[lane];
            means[c][lane] = if enough { mean } else { middle[lane] };
        }
    }
    for (lane, pixel) in light.chunks_exact_mut(3).enumerate() {
        for c in 0..3 {
            pixel[c] = means[c][lane];
        }
    }
}

#[multiversion(targets("x86_64+avx512f+avx512bw+avx512vl", "x86_64+avx2"))]
fn gather(
    state: &[u8],
    planes: [&[f32]; 3],
    weight: f32,
    sums: &mut [[f32; LANES]; 3],
    total: &mut [f32; LANES],
    kept: &mut [f32; LANES],
    here: &mut [f32; LANES],
) {
    let long = state.len().min(LANES);
    let mut share = [0.0f32; LANES];
    for lane in 0..long {
        let is_kept = if state[lane] == KEPT { 1.0 } else { 0.0 };
        here[lane] += if state[lane] == ABSENT { 0.0 } else { 1.0 };
        kept[lane] += is_kept;
        share[lane] = is_kept * weight;
        total[lane] += share[lane];
    }
    for c in 0..3 {
        let plane = &planes[c][..long];
        for lane in 0..long {
            sums[c][lane] += share[lane] * plane[lane];
        }
    }
}

/// The value below which a standard normal variable lies with probability `p`, by bisection.
fn normal_quantile(p: f64) -> f64 {
    bisect(|x| 1.0 - 0.5 * erfc(x / std::f64::consts::SQRT_2), p)
}

/// The squared length that three standard normal variables together exceed as seldom as one
/// exceeds `sigma` to either side.
fn limit_of_three(sigma: f64) -> f64 {
    let seldom = erfc(sigma / std::f64::consts::SQRT_2);
    let beyond = |x: f64| {
        let root = (x / 2.0).sqrt();
        erfc(root) + 2.0 / std::f64::consts::PI.sqrt() * root * (-x / 2.0).exp()
    };
    bisect(|x| 1.0 - beyond(x), 1.0 - seldom)
}

/// Where a rising function on 0..=200 reaches a value.
fn bisect(rising: impl Fn(f64) -> f64, value: f64) -> f64 {
    let (mut low, mut high) = (0.0, 200.0);
    for _ in 0..80 {
        let middle = 0.5 * (low + high);
        if rising(middle) < value { low = middle } else { high = middle }
    }
    0.5 * (low + high)
}

/// The complementary error function for arguments of at least 0 (Abramowitz & Stegun 7.1.26).
fn erfc(x: f64) -> f64 {
    let t = 1.0 / (1.0 + 0.327_591_1 * x);
    let terms = [1.061_405_429, -1.453_152_027, 1.421_413_741, -0.284_496_736, 0.254_829_592];
    terms.into_iter().fold(0.0, |sum, term| (sum + term) * t) * (-x * x).exp()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_follow_the_tables() {
        // From tables of the normal and the chi-square distribution.
        assert!((normal_quantile(0.975) - 1.96).abs() < 1e-3);
        assert!((limit_of_three(1.959_96) - 7.815).abs() < 5e-3);
        assert!((limit_of_three(2.575_83) - 11.345).abs() < 5e-3);
    }
}
