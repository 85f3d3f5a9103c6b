//! The clipped mean: it rejects samples far from the median of their position, and samples in
//! places where many others are rejected, and averages the rest.
//!
//! The expected spread comes from the middle order statistics of a position and of its neighbours,
//! so that few frames suffice. The three colours decide together: a sample is kept or rejected as a
//! whole, and colours stay true. A streak is brightest along its middle and fades below any
//! threshold at its sides, so positions with several rejected neighbours in the same frame are
//! rejected too.

use super::network::{LANES, Network, Row};
use super::ordered::HeldSamples;
use super::reduced::Reduced;
use jade_pixels::tiled::Region;
use multiversion::multiversion;

/// Half the side of the square whose rejections are counted, in pixels.
const NEAR: usize = 2;
/// This many rejections in that square reject its middle too.
const MANY: u8 = 4;
/// A position that keeps fewer than this share of its samples takes the median instead.
const LEAST_KEPT: f32 = 0.34;
/// Share of the spread measured at a position that counts where it exceeds that of its neighbours.
const LOCAL_SHARE: f32 = 0.8;

/// Set in [`NearCounts::counts`] where the sample itself was rejected.
const REJECTED: u8 = 0x80;

/// Clips and averages.
pub struct Clip {
    network: Network,
    /// One network for each smaller number of frames, from one on.
    of_some: Vec<Network>,
    /// Sorts the samples of all frames.
    all: Network,
    median: [usize; 2],
    /// Rows of the order statistics whose distance is the spread, and the factor from it to a
    /// standard deviation.
    spread: ([usize; 2], f32),
    /// Squared distance, summed over the colours, beyond which a sample is rejected.
    limit: f32,
    local_share: f32,
}

/// Memory of one thread that is used again for every region.
#[derive(Default)]
pub struct ClipScratch {
    group: Group,
    sums: Sums,
    /// For each frame, the positions whose samples were rejected, in rising order.
    rejected: Vec<Vec<u32>>,
    furthest: Vec<f32>,
    whose: Vec<u16>,
    /// Rejected samples at each position.
    counts: Vec<u16>,
    near: NearCounts,
}

/// The samples of all frames at [`LANES`] neighbouring positions, and intermediate values for them.
#[derive(Default)]
struct Group {
    samples: Vec<[Row; 3]>,
    sorted: Vec<Row>,
    /// For each frame, 1 where it covers the position, otherwise 0.
    present: Vec<Row>,
    /// Squared distances from the median, in standard deviations.
    squares: Vec<Row>,
    /// One bit for each position whose squared distance is beyond the limit.
    over: Vec<u32>,
}

/// Sums of the kept samples at each position, and the expected value.
#[derive(Default)]
struct Sums {
    middle: [Vec<f32>; 3],
    light: [Vec<f32>; 3],
    weight: Vec<f32>,
    kept: Vec<f32>,
    present: Vec<f32>,
}

/// Number of rejections in the square around each position; all zero between uses.
#[derive(Default)]
struct NearCounts {
    counts: Vec<u8>,
    crowded: Vec<u32>,
}

impl Clip {
    /// Pixels around a region whose samples influence it.
    pub const MARGIN: u32 = NEAR as u32;

    /// Clips `frames` frames beyond `sigma` standard deviations. As three colours decide together,
    /// the limit is the one at which chance rejects as often as `sigma` would for a single colour.
    pub fn new(frames: usize, sigma: f32) -> Self {
        let low = frames / 5;
        let high = frames - 1 - low;
        let median = Network::median_rows(frames);
        // Expected value of an order statistic of normal noise (Blom 1958).
        let share = (high as f64 + 1.0 - 0.375) / (frames as f64 + 0.25);
        let factor = 1.0 / (2.0 * normal_quantile(share)).max(1e-3);
        let of_some = |n: usize| {
            let [middle, upper] = Network::median_rows(n);
            Network::new(n, &[middle, upper, n / 5, n - 1 - n / 5])
        };
        Self {
            network: Network::new(frames, &[median[0], median[1], low, high]),
            of_some: (1..frames).map(of_some).collect(),
            all: Network::new(frames, &(0..frames).collect::<Vec<_>>()),
            median,
            spread: ([low, high], factor as f32),
            // The median that samples are compared with varies too: pi / 2 / frames of their
            // variance.
            limit: (limit_of_three(sigma as f64)
                * (1.0 + std::f64::consts::FRAC_PI_2 / frames as f64)) as f32,
            // With very few frames one outlier is the whole spread; only the neighbours show what
            // is usual then.
            local_share: if frames < 5 { 0.0 } else { LOCAL_SHARE },
        }
    }

    /// Appends the clipped mean of `part`, which lies in the held region.
    pub fn reduce(
        &self,
        held: &HeldSamples,
        part: Region,
        weights: &[f32],
        marks: &mut ClipScratch,
        out: &mut Reduced,
    ) {
        let Some(outer) = held.region else { return };
        let (area, width) = (held.area(), outer.width as usize);
        marks.begin(held.frames(), area);
        for start in (0..area).step_by(LANES) {
            self.judge(held, start, weights, marks);
        }
        let ClipScratch { sums, rejected, whose, counts, near, .. } = marks;
        for (frame, rejected) in rejected.iter_mut().enumerate().filter(|(_, r)| !r.is_empty()) {
            for &at in near.crowded(rejected, width) {
                let at = at as usize;
                if !held.covers(frame, at) {
                    continue;
                }
                let weight = weights[frame];
                for c in 0..3 {
                    sums.light[c][at] -= weight * held.plane(frame, c)[at];
                }
                sums.weight[at] -= weight;
                sums.kept[at] -= 1.0;
                counts[at] += 1;
                if whose[at] == 0 {
                    whose[at] = frame as u16 + 1;
                }
                rejected.push(at as u32);
            }
        }
        let (left, top) = ((part.x - outer.x) as usize, (part.y - outer.y) as usize);
        let (right, bottom) = (left + part.width as usize, top + part.height as usize);
        for (all, rejected) in out.by_frame.iter_mut().zip(&*rejected) {
            let inside = rejected.iter().filter(|&&at| {
                let (x, y) = (at as usize % width, at as usize / width);
                (left..right).contains(&x) && (top..bottom).contains(&y)
            });
            *all += inside.count() as u64;
        }
        for row in top..bottom {
            let at = row * width + left..row * width + right;
            sums.means(at.clone(), &mut out.light);
            out.rejected.extend(counts[at.clone()].iter().zip(&whose[at]).map(|(&n, &w)| [n, w]));
        }
    }

    /// Sums the kept samples at [`LANES`] positions from `start` on.
    fn judge(&self, held: &HeldSamples, start: usize, weights: &[f32], marks: &mut ClipScratch) {
        let ClipScratch { group, sums, rejected, furthest, whose, counts, .. } = marks;
        let length = LANES.min(held.area() - start);
        let whole = held.whole(start, length);
        group.load(held, start, length, whole);
        let (mut middles, mut inverses) = ([[0.0; LANES]; 3], [[0.0; LANES]; 3]);
        for (c, (middle, inverse)) in middles.iter_mut().zip(&mut inverses).enumerate() {
            (*middle, *inverse) = match whole {
                true => {
                    group.sorted.iter_mut().zip(&group.samples).for_each(|(row, s)| *row = s[c]);
                    self.network.run(&mut group.sorted);
                    let ([low, high], factor) = self.spread;
                    let row = |i: usize| &group.sorted[i];
                    let median = self.median.map(row);
                    expected(median, [row(low), row(high)], factor, self.local_share, length)
                }
                false => match held.present_in_all(start, length) {
                    Some(some) => self.expected_of_these(group, &some, c, length),
                    None => self.expected_of_some(group, c, length),
                },
            };
        }
        let (kept, any) = keep(group, weights, &middles, &inverses, self.limit);
        sums.put(start, length, &middles, &kept);
        if !any {
            return;
        }
        let lanes = u32::MAX >> (LANES - length);
        for (frame, (over, squares)) in group.over.iter().zip(&group.squares).enumerate() {
            let mut over = over & lanes;
            while over != 0 {
                let lane = over.trailing_zeros() as usize;
                over &= over - 1;
                let at = start + lane;
                if !held.covers(frame, at) {
                    continue;
                }
                rejected[frame].push(at as u32);
                counts[at] += 1;
                if squares[lane] > furthest[at] {
                    furthest[at] = squares[lane];
                    whose[at] = frame as u16 + 1;
                }
            }
        }
    }

    /// Median and inverse standard deviation, where some frames cover all positions and the others
    /// none.
    fn expected_of_these(
        &self,
        group: &mut Group,
        some: &[usize],
        c: usize,
        length: usize,
    ) -> (Row, Row) {
        let n = some.len();
        let Some(network) = n.checked_sub(1).and_then(|i| self.of_some.get(i)) else {
            return ([0.0; LANES], [0.0; LANES]);
        };
        for (row, &frame) in group.sorted.iter_mut().zip(some) {
            *row = group.samples[frame][c];
        }
        let rows = &mut group.sorted[..n];
        network.run(rows);
        let median = Network::median_rows(n).map(|i| &rows[i]);
        expected(
            median,
            [&rows[n / 5], &rows[n - 1 - n / 5]],
            self.spread.1,
            self.local_share,
            length,
        )
    }

    /// Median and inverse standard deviation, where not all frames cover all positions.
    #[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
    fn expected_of_some(&self, group: &mut Group, c: usize, length: usize) -> (Row, Row) {
        let (_, factor) = self.spread;
        let mut counts = [0.0f32; LANES];
        let frames = group.samples.iter().zip(&group.present);
        for (row, (samples, present)) in group.sorted.iter_mut().zip(frames) {
            for lane in 0..LANES {
                // Missing samples are sorted last.
                let there = present[lane] > 0.0;
                row[lane] = if there { samples[c][lane] } else { f32::INFINITY };
                counts[lane] += present[lane];
            }
        }
        self.all.run(&mut group.sorted);
        let (mut middle, mut spread) = ([0.0; LANES], [0.0; LANES]);
        for lane in 0..length {
            let n = counts[lane] as usize;
            let at = |i: usize| group.sorted[i][lane];
            if n > 0 {
                middle[lane] = 0.5 * (at((n - 1) / 2) + at(n / 2));
                spread[lane] = factor * (at(n - 1 - n / 5) - at(n / 5));
            }
        }
        let usual = usual(&spread[..length]);
        (middle, spread.map(|spread| 1.0 / usual.max(self.local_share * spread).max(1e-7)))
    }
}

impl Group {
    fn load(&mut self, held: &HeldSamples, start: usize, length: usize, whole: bool) {
        for (frame, samples) in self.samples.iter_mut().enumerate() {
            for (c, row) in samples.iter_mut().enumerate() {
                let from = &held.plane(frame, c)[start..start + length];
                match <&Row>::try_from(from) {
                    Ok(whole) => *row = *whole,
                    Err(_) => row[..length].copy_from_slice(from),
                }
            }
        }
        for (present, covered) in self.present.iter_mut().zip(&held.covered) {
            match covered {
                Some(covered) if !whole => {
                    let covered = &covered[start..start + length];
                    present.iter_mut().zip(covered).for_each(|(p, c)| *p = f32::from(*c));
                }
                _ => *present = [1.0; LANES],
            }
        }
    }
}

/// Median and inverse standard deviation, from the rows of the median and of the spread's ends;
/// only the first `length` lanes count.
#[multiversion(targets("x86_64+avx512f+avx512bw+avx512vl+fma", "x86_64+avx2+fma"))]
#[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
fn expected(
    median: [&Row; 2],
    ends: [&Row; 2],
    factor: f32,
    local_share: f32,
    length: usize,
) -> (Row, Row) {
    let (mut middle, mut spread) = ([0.0f32; LANES], [0.0f32; LANES]);
    let (mut inside, mut sum) = ([0.0f32; LANES], 0.0f32);
    for lane in 0..LANES {
        middle[lane] = 0.5 * (median[0][lane] + median[1][lane]);
        inside[lane] = if lane < length { 1.0 } else { 0.0 };
        spread[lane] = factor * (ends[1][lane] - ends[0][lane]);
    }
    for lane in 0..LANES {
        sum += inside[lane] * spread[lane];
    }
    // The usual spread: the mean of those that are not far above the mean of all.
    let most = 1.5 * sum / length as f32;
    let (mut sum, mut count) = (0.0f32, 0.0f32);
    for lane in 0..LANES {
        let share = if spread[lane] <= most { inside[lane] } else { 0.0 };
        sum += share * spread[lane];
        count += share;
    }
    let usual = sum / count.max(1.0);
    let mut inverse = [0.0f32; LANES];
    for lane in 0..LANES {
        let sigma =
            if local_share * spread[lane] > usual { local_share * spread[lane] } else { usual };
        inverse[lane] = 1.0 / if sigma > 1e-7 { sigma } else { 1e-7 };
    }
    (middle, inverse)
}

impl ClipScratch {
    fn begin(&mut self, frames: usize, area: usize) {
        let Self { group, sums, rejected, furthest, whose, counts, near } = self;
        group.samples.resize(frames, [[0.0; LANES]; 3]);
        group.sorted.resize(frames, [0.0; LANES]);
        group.present.resize(frames, [0.0; LANES]);
        group.squares.resize(frames, [0.0; LANES]);
        group.over.resize(frames, 0);
        let Sums { middle, light, weight, kept, present } = sums;
        for plane in middle.iter_mut().chain(light).chain([weight, kept, present]) {
            plane.resize(area, 0.0);
        }
        rejected.resize(frames, vec![]);
        rejected.iter_mut().for_each(Vec::clear);
        refill(furthest, area);
        refill(whose, area);
        refill(counts, area);
        near.counts.resize(area, 0);
    }
}

/// Makes a buffer hold `count` zeros.
fn refill<T: Clone + Default>(buffer: &mut Vec<T>, count: usize) {
    buffer.clear();
    buffer.resize(count, T::default());
}

/// The usual spread of neighbouring positions: the mean of those that are not far above the mean of
/// all.
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

/// The kept samples of a group.
struct Kept {
    light: [Row; 3],
    weight: Row,
    kept: Row,
    present: Row,
}

/// Sums the samples within `limit` and leaves those beyond it in the group; returns whether there
/// are any beyond it.
#[multiversion(targets("x86_64+avx512f+avx512bw+avx512vl+fma", "x86_64+avx2+fma"))]
#[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
fn keep(
    group: &mut Group,
    weights: &[f32],
    middles: &[Row; 3],
    inverses: &[Row; 3],
    limit: f32,
) -> (Kept, bool) {
    let (mut light, mut total) = ([[0.0f32; LANES]; 3], [0.0f32; LANES]);
    let (mut kept, mut here, mut any) = ([0.0f32; LANES], [0.0f32; LANES], 0);
    let marks = group.squares.iter_mut().zip(&mut group.over);
    let frames = group.samples.iter().zip(&group.present).zip(marks).zip(weights);
    for (((samples, present), (squares, over)), weight) in frames {
        let mut square = [0.0f32; LANES];
        for c in 0..3 {
            for lane in 0..LANES {
                let off = (samples[c][lane] - middles[c][lane]) * inverses[c][lane];
                square[lane] += off * off;
            }
        }
        let mut bits = [0u32; LANES];
        for lane in 0..LANES {
            let share = if square[lane] > limit { 0.0 } else { present[lane] };
            bits[lane] = if square[lane] > limit { 1 << lane } else { 0 };
            here[lane] += present[lane];
            kept[lane] += share;
            let share = share * weight;
            total[lane] += share;
            for c in 0..3 {
                light[c][lane] += share * samples[c][lane];
            }
        }
        *squares = square;
        *over = bits.iter().fold(0, |all, bit| all | bit);
        any |= *over;
    }
    (Kept { light, weight: total, kept, present: here }, any != 0)
}

impl NearCounts {
    /// Positions with many of the given rejections around them that are not rejected themselves.
    fn crowded(&mut self, rejected: &[u32], width: usize) -> &[u32] {
        let Self { counts, crowded } = self;
        let height = counts.len() / width;
        let square = |at: u32| {
            let (x, y) = (at as usize % width, at as usize / width);
            let columns = x.saturating_sub(NEAR)..(x + NEAR + 1).min(width);
            let rows = y.saturating_sub(NEAR)..(y + NEAR + 1).min(height);
            rows.map(move |row| row * width + columns.start..row * width + columns.end)
        };
        crowded.clear();
        rejected.iter().for_each(|&at| counts[at as usize] |= REJECTED);
        for &at in rejected {
            for row in square(at) {
                for (at, count) in row.clone().zip(&mut counts[row]) {
                    *count += 1;
                    if *count == MANY {
                        crowded.push(at as u32);
                    }
                }
            }
        }
        for &at in rejected {
            square(at).for_each(|row| counts[row].fill(0));
        }
        crowded
    }
}

impl Sums {
    fn put(&mut self, start: usize, length: usize, middles: &[Row; 3], kept: &Kept) {
        let at = start..start + length;
        for (plane, row) in self.middle.iter_mut().zip(middles) {
            plane[at.clone()].copy_from_slice(&row[..length]);
        }
        for (plane, row) in self.light.iter_mut().zip(&kept.light) {
            plane[at.clone()].copy_from_slice(&row[..length]);
        }
        self.weight[at.clone()].copy_from_slice(&kept.weight[..length]);
        self.kept[at.clone()].copy_from_slice(&kept.kept[..length]);
        self.present[at].copy_from_slice(&kept.present[..length]);
    }

    /// Appends the means of a run of positions, interleaved, or the medians where too little was
    /// kept.
    fn means(&self, at: std::ops::Range<usize>, out: &mut Vec<f32>) {
        let first = out.len();
        out.resize(first + 3 * at.len(), 0.0);
        settle(
            [0, 1, 2].map(|c| &self.light[c][at.clone()]),
            [0, 1, 2].map(|c| &self.middle[c][at.clone()]),
            &self.weight[at.clone()],
            &self.kept[at.clone()],
            &self.present[at],
            &mut out[first..],
        );
    }
}

#[multiversion(targets("x86_64+avx512f+avx512bw+avx512vl", "x86_64+avx2"))]
#[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
fn settle(
    light: [&[f32]; 3],
    middle: [&[f32]; 3],
    weight: &[f32],
    kept: &[f32],
    present: &[f32],
    out: &mut [f32],
) {
    for (i, pixel) in out.as_chunks_mut::<3>().0.iter_mut().enumerate() {
        let enough = kept[i] > 0.0 && kept[i] >= LEAST_KEPT * present[i];
        let inverse = 1.0 / weight[i];
        for c in 0..3 {
            pixel[c] = if enough { light[c][i] * inverse } else { middle[c][i] };
        }
    }
}

/// The value below which a standard normal variable lies with probability `p`, by bisection.
fn normal_quantile(p: f64) -> f64 {
    bisect(|x| 1.0 - 0.5 * erfc(x / std::f64::consts::SQRT_2), p)
}

/// The squared length that three standard normal variables together exceed as rarely as one exceeds
/// `sigma` to either side.
fn limit_of_three(sigma: f64) -> f64 {
    let seldom = erfc(sigma / std::f64::consts::SQRT_2);
    let beyond = |x: f64| {
        let root = (x / 2.0).sqrt();
        erfc(root) + 2.0 / std::f64::consts::PI.sqrt() * root * (-x / 2.0).exp()
    };
    bisect(|x| 1.0 - beyond(x), 1.0 - seldom)
}

/// The argument at which a rising function on 0..=200 reaches a value.
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
    use proptest::prelude::*;

    const WIDE: usize = 23;
    const TALL: usize = 17;

    #[test]
    fn positions_that_some_frames_show_have_the_median_of_those() {
        let (frames, region) = (9, Region { x: 0, y: 0, width: LANES as u32, height: 1 });
        let mut held = HeldSamples::default();
        held.begin(frames, region);
        for frame in 0..frames {
            let planes = held.planes(frame).into_iter().flatten().enumerate();
            planes.for_each(|(i, v)| *v = ((i * 37 + frame * 61) % 101) as f32);
            held.covered.push(Some((0..LANES).map(|at| (at * 5 + frame * 7) % 11 > 4).collect()));
        }
        let (clip, mut marks) = (Clip::new(frames, 3.0), ClipScratch::default());
        marks.begin(frames, LANES);
        marks.group.load(&held, 0, LANES, false);
        for c in 0..3 {
            let (middle, _) = clip.expected_of_some(&mut marks.group, c, LANES);
            for (at, value) in middle.iter().enumerate() {
                let there = held.present(c, at);
                assert!(there.len() < frames);
                assert_eq!(*value, crate::ordered::middle(&there), "{there:?}");
            }
        }
    }

    proptest! {
        #[test]
        fn crowded_places_are_those_with_many_rejections_around(
            rejected in prop::collection::btree_set(0..(WIDE * TALL) as u32, 0..120),
        ) {
            let list: Vec<u32> = rejected.iter().copied().collect();
            let mut near = NearCounts { counts: vec![0; WIDE * TALL], crowded: vec![] };
            let mut found = near.crowded(&list, WIDE).to_vec();
            found.sort_unstable();
            let around = |at: u32| {
                let place = |at: u32| (at as i64 % WIDE as i64, at as i64 / WIDE as i64);
                let (x, y) = place(at);
                let close = |other: &&u32| {
                    let (u, v) = place(**other);
                    (u - x).abs() <= NEAR as i64 && (v - y).abs() <= NEAR as i64
                };
                list.iter().filter(close).count()
            };
            let truth: Vec<u32> = (0..(WIDE * TALL) as u32)
                .filter(|at| !rejected.contains(at) && around(*at) >= MANY as usize)
                .collect();
            prop_assert_eq!(found, truth);
            prop_assert!(near.counts.iter().all(|count| *count == 0), "left clean");
        }

        /// Some frames cover only a part. Nothing lies beyond a limit of forty standard deviations,
        /// as there are always neighbours with the usual spread.
        #[test]
        fn what_rejects_nothing_is_the_weighted_mean(
            frames in 5usize..12,
            (groups, height) in (1u32..4, 1u32..6),
            seed in any::<u64>(),
        ) {
            let region = Region { x: 3, y: 2, width: groups * LANES as u32, height };
            let area = region.area();
            let mut state = seed | 1;
            let mut next = || {
                state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
                (state >> 40) as f32 / (1u64 << 24) as f32
            };
            let mut held = HeldSamples::default();
            held.begin(frames, region);
            for frame in 0..frames {
                held.planes(frame).into_iter().flatten().for_each(|v| *v = 0.4 + 0.2 * next());
                let some = (frame > 1).then(|| (0..area).map(|_| next() > 0.3).collect());
                held.covered.push(some);
            }
            let weights: Vec<f32> = (0..frames).map(|_| 0.5 + next()).collect();
            let mut out = Reduced { by_frame: vec![0; frames], ..Reduced::default() };
            let clip = Clip::new(frames, 40.0);
            clip.reduce(&held, region, &weights, &mut ClipScratch::default(), &mut out);
            for at in 0..area {
                for c in 0..3 {
                    let (mut sum, mut total) = (0.0, 0.0);
                    for frame in (0..frames).filter(|&f| held.covers(f, at)) {
                        sum += weights[frame] * held.plane(frame, c)[at];
                        total += weights[frame];
                    }
                    let off = (out.light[at * 3 + c] - sum / total).abs();
                    prop_assert!(off < 1e-5, "{} off at {}", off, at);
                }
            }
            prop_assert!(out.by_frame.iter().all(|n| *n == 0));
            prop_assert_eq!(out.rejected.len(), area);
        }
    }

    #[test]
    fn an_outlier_is_rejected_and_told() {
        let region = Region { x: 0, y: 0, width: 40, height: 3 };
        let mut held = HeldSamples::default();
        held.begin(9, region);
        for frame in 0..9 {
            for plane in held.planes(frame) {
                for (i, v) in plane.iter_mut().enumerate() {
                    *v = 0.2 + 0.001 * ((i * 7 + frame * 5) % 9) as f32;
                }
            }
            held.covered.push(None);
        }
        held.planes(4).into_iter().for_each(|plane| plane[77] = 0.9);
        let mut out = Reduced { by_frame: vec![0; 9], ..Reduced::default() };
        Clip::new(9, 3.0).reduce(&held, region, &[1.0; 9], &mut ClipScratch::default(), &mut out);
        assert_eq!(out.rejected[77], [1, 5], "one sample, of the fifth frame");
        assert_eq!(out.rejected.iter().filter(|r| r[0] > 0).count(), 1);
        assert_eq!(out.by_frame, [0, 0, 0, 0, 1, 0, 0, 0, 0]);
        assert!((out.light[77 * 3] - 0.204).abs() < 0.001, "{}", out.light[77 * 3]);
    }

    #[test]
    fn limits_follow_the_tables() {
        // From tables of the normal and the chi-square distribution.
        assert!((normal_quantile(0.975) - 1.96).abs() < 1e-3);
        assert!((limit_of_three(1.959_96) - 7.815).abs() < 5e-3);
        assert!((limit_of_three(2.575_83) - 11.345).abs() < 5e-3);
    }
}
