//! Every method of combining against its definition, written plainly: one pixel after the other,
//! in double precision, over frames that lie whole pixels apart.

use jade_combine::normalise::Normalisation;
use jade_combine::reduce::{Placed, Reducer, Scratch};
use jade_combine::reduced::Reduced;
use jade_optics::drawn::Drawn;
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_optics::space::InReference;
use jade_pixels::tiled::Region;
use jade_plan::{CombinePlan, Edges, Method};
use nalgebra::Matrix3;
use proptest::prelude::*;

const SIZE: (u32, u32) = (70, 44);
const WHOLE: Region = Region { x: 0, y: 0, width: SIZE.0, height: SIZE.1 };
/// Standard deviation of the noise of every frame, in linear light.
const NOISE: f32 = 0.01;
const METHODS: [Method; 6] = [
    Method::Mean,
    Method::Median,
    Method::Clipped,
    Method::Lightest,
    Method::Darkest,
    Method::StdDev,
];

fn plan(method: Method) -> CombinePlan {
    CombinePlan {
        method,
        clip: 2.8,
        level: false,
        weigh: false,
        fill_gaps: false,
        edges: Edges::Keep,
    }
}

fn placed<'a>(light: &'a dyn Light, motion: &'a Motion, weight: f32) -> Placed<'a> {
    Placed { light, motion, levels: [Normalisation::NONE; 3], weight }
}

/// Frames of one scene with noise of known spread, each shifted by whole pixels.
#[derive(Debug)]
struct Burst {
    seed: u32,
    shifts: Vec<[i32; 2]>,
    weights: Vec<f32>,
    /// The frame that a bright line crosses, and its row.
    line: Option<(usize, i32)>,
}

/// A number from 0 to 1 that depends on all of its arguments (with the constants of MurmurHash3).
fn even(of: [u32; 4]) -> f32 {
    let mut h = 0x9e37_79b9u32;
    for part in of {
        h = (h ^ part).wrapping_mul(0x85eb_ca6b).rotate_left(13);
        h = (h ^ (h >> 13)).wrapping_mul(0xc2b2_ae35);
    }
    ((h ^ (h >> 16)) >> 8) as f32 / (1 << 24) as f32
}

/// Noise of mean 0 and standard deviation 1, nearly normal: the sum of twelve even numbers.
fn noise(seed: u32, frame: usize, [x, y]: [i32; 2], colour: usize) -> f32 {
    let place = (y as u32).wrapping_mul(7919) ^ x as u32;
    let of = |part: u32| even([seed, frame as u32 * 16 + part, place, colour as u32]);
    (0..12).map(of).sum::<f32>() - 6.0
}

impl Burst {
    fn still(seed: u32, frames: usize) -> Self {
        let (shifts, weights) = (vec![[0, 0]; frames], vec![1.0; frames]);
        Self { seed, shifts, weights, line: None }
    }

    /// The scene without noise, at a position of the reference frame.
    fn scene([x, y]: [i32; 2], colour: usize) -> f32 {
        0.2 + 0.002 * x as f32 + 0.001 * y as f32 + 0.03 * colour as f32
    }

    /// The light of a frame at one of its own pixels.
    fn light(&self, frame: usize, [x, y]: [u32; 2], colour: usize) -> f32 {
        let [dx, dy] = self.shifts[frame];
        let at = [x as i32 + dx, y as i32 + dy];
        let bright = self.line.is_some_and(|(of, row)| of == frame && (at[1] - row).abs() < 2);
        let line = if bright { 0.4 } else { 0.0 };
        Self::scene(at, colour) + NOISE * noise(self.seed, frame, at, colour) + line
    }

    /// The samples of the frames that cover a position of the reference frame, with their weights.
    fn samples(&self, at: [u32; 2], colour: usize) -> Vec<(f64, f64)> {
        let of = |(frame, [dx, dy]): (usize, &[i32; 2])| {
            let x = u32::try_from(at[0] as i32 - dx).ok().filter(|x| *x < SIZE.0)?;
            let y = u32::try_from(at[1] as i32 - dy).ok().filter(|y| *y < SIZE.1)?;
            Some((self.light(frame, [x, y], colour).into(), self.weights[frame].into()))
        };
        self.shifts.iter().enumerate().filter_map(of).collect()
    }

    fn combine(&self, method: Method, regions: &[Region]) -> Vec<Reduced> {
        let plan = plan(method);
        let count = self.shifts.len();
        let drawn = |frame| Drawn { size: SIZE, of: move |at, c| self.light(frame, at, c) };
        let lights: Vec<_> = (0..count).map(drawn).collect();
        let motion = |[dx, dy]: &[i32; 2]| match (dx, dy) {
            (0, 0) => Motion::Still,
            (dx, dy) => {
                let (dx, dy) = (f64::from(*dx), f64::from(*dy));
                Motion::Homography(Matrix3::new(1.0, 0.0, dx, 0.0, 1.0, dy, 0.0, 0.0, 1.0))
            }
        };
        let motions: Vec<Motion> = self.shifts.iter().map(motion).collect();
        let frames = (0..count).map(|i| placed(&lights[i], &motions[i], self.weights[i]));
        let reducer = Reducer::new(frames.collect(), &plan);
        let mut scratch = Scratch::default();
        let one = |region| reducer.reduce(InReference(region), &mut scratch, &|| false).unwrap();
        regions.iter().copied().map(one).collect()
    }

    fn whole(&self, method: Method) -> Reduced {
        self.combine(method, &[WHOLE]).remove(0)
    }
}

/// What a method makes of samples and weights, by its definition.
fn plain(method: Method, samples: &[(f64, f64)]) -> f64 {
    let mut values: Vec<f64> = samples.iter().map(|sample| sample.0).collect();
    let n = values.len();
    match method {
        _ if n == 0 => 0.0,
        Method::Mean | Method::Clipped => {
            let weights: f64 = samples.iter().map(|sample| sample.1).sum();
            samples.iter().map(|(value, weight)| value * weight).sum::<f64>() / weights
        }
        Method::Median => {
            values.sort_by(f64::total_cmp);
            0.5 * (values[(n - 1) / 2] + values[n / 2])
        }
        Method::Lightest => values.into_iter().fold(f64::MIN, f64::max),
        Method::Darkest => values.into_iter().fold(f64::MAX, f64::min),
        Method::StdDev if n < 2 => 0.0,
        Method::StdDev => {
            let mean = values.iter().sum::<f64>() / n as f64;
            let squares: f64 = values.iter().map(|value| (value - mean).powi(2)).sum();
            (squares / (n - 1) as f64).sqrt()
        }
    }
}

/// A burst of up to 40 frames, some of them shifted by a few pixels, with weights.
fn bursts() -> impl Strategy<Value = Burst> {
    (1usize..40, any::<u32>(), any::<bool>(), any::<bool>()).prop_map(
        |(frames, seed, moved, weighted)| {
            let part = |frame: usize, which: u32| even([seed, frame as u32, which, 77]);
            let shift = |frame, which| match moved && frame > 0 {
                true => (part(frame, which) * 25.0) as i32 - 12,
                false => 0,
            };
            let weight = |frame| if weighted { 0.5 + part(frame, 3) } else { 1.0 };
            Burst {
                seed,
                shifts: (0..frames).map(|frame| [shift(frame, 1), shift(frame, 2)]).collect(),
                weights: (0..frames).map(weight).collect(),
                line: None,
            }
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(16) })]

    #[test]
    fn methods_give_what_their_definitions_say(burst in bursts()) {
        let methods =
            [Method::Mean, Method::Median, Method::Lightest, Method::Darkest, Method::StdDev];
        for method in methods {
            let found = burst.whole(method);
            for (i, pixel) in found.light.as_chunks::<3>().0.iter().enumerate() {
                let at = [i as u32 % SIZE.0, i as u32 / SIZE.0];
                for (colour, light) in pixel.iter().enumerate() {
                    let truth = plain(method, &burst.samples(at, colour));
                    let off = (f64::from(*light) - truth).abs();
                    prop_assert!(off < 2e-5, "{method:?} at {at:?}: {light} for {truth}");
                }
            }
        }
    }

    #[test]
    fn coverage_is_the_number_of_frames_that_reach(burst in bursts()) {
        for method in METHODS {
            let coverage = burst.whole(method).coverage;
            for (i, at) in (0..WHOLE.area() as u32).map(|i| [i % SIZE.0, i / SIZE.0]).enumerate() {
                let truth = burst.samples(at, 0).len();
                let found = coverage.get(i).map_or(burst.shifts.len(), |n| usize::from(*n));
                prop_assert_eq!(found, truth, "{:?} at {:?}", method, at);
            }
        }
    }

    /// Methods that look at one position alone give it in any region of the picture, but for the
    /// last digits of resampling.
    #[test]
    fn regions_are_as_in_the_whole(burst in bursts(), x in 0u32..60, y in 0u32..40) {
        let part = Region { x, y, width: (SIZE.0 - x).min(33), height: (SIZE.1 - y).min(21) };
        for method in METHODS.into_iter().filter(|method| *method != Method::Clipped) {
            let whole = burst.whole(method);
            let alone = burst.combine(method, &[part]).remove(0);
            for (i, pixel) in alone.light.as_chunks::<3>().0.iter().enumerate() {
                let (column, row) = (i as u32 % part.width, i as u32 / part.width);
                let there = ((part.y + row) * SIZE.0 + part.x + column) as usize;
                for (light, whole) in pixel.iter().zip(&whole.light[there * 3..]) {
                    let off = (light - whole).abs();
                    prop_assert!(off < 1e-6, "{method:?} at {i} of {part:?}: {off}");
                }
            }
        }
    }

    /// A clipped mean lies within its samples, and counts what it rejects; where that is everything,
    /// it is the median.
    #[test]
    fn a_clipped_mean_stays_among_its_samples(burst in bursts()) {
        let found = burst.whole(Method::Clipped);
        for (i, pixel) in found.light.as_chunks::<3>().0.iter().enumerate() {
            let at = [i as u32 % SIZE.0, i as u32 / SIZE.0];
            for (colour, light) in pixel.iter().enumerate() {
                let samples = burst.samples(at, colour);
                let (low, high) =
                    (plain(Method::Darkest, &samples), plain(Method::Lightest, &samples));
                let light = f64::from(*light);
                prop_assert!(light >= low - 1e-6 && light <= high + 1e-6, "{at:?}: {light}");
            }
            let [rejected, furthest] = found.rejected[i].map(usize::from);
            prop_assert!(rejected <= burst.samples(at, 0).len());
            prop_assert!(furthest <= burst.shifts.len());
        }
        let counted: u64 = found.by_frame.iter().sum();
        let marked: u64 = found.rejected.iter().map(|[count, _]| u64::from(*count)).sum();
        prop_assert_eq!(counted, marked);
    }
}

/// Root mean square distance from the scene without noise.
fn rms(found: &Reduced) -> f64 {
    let pixels = found.light.as_chunks::<3>().0.iter().enumerate();
    let squares: f64 = pixels
        .flat_map(|(i, pixel)| {
            let at = [(i as u32 % SIZE.0) as i32, (i as u32 / SIZE.0) as i32];
            let off = |colour: usize| f64::from(pixel[colour] - Burst::scene(at, colour));
            [off(0).powi(2), off(1).powi(2), off(2).powi(2)]
        })
        .sum();
    (squares / (3 * WHOLE.area()) as f64).sqrt()
}

#[test]
fn noise_falls_with_the_root_of_the_number_of_frames() {
    for frames in [4, 5, 8, 16, 33] {
        let ideal = f64::from(NOISE) / (frames as f64).sqrt();
        let burst = Burst::still(5 + frames as u32, frames);
        let mean = rms(&burst.whole(Method::Mean)) / ideal;
        assert!((mean - 1.0).abs() < 0.03, "mean of {frames}: {mean:.3} of the ideal");
        let clipped = rms(&burst.whole(Method::Clipped)) / ideal;
        assert!((0.97..1.06).contains(&clipped), "clipped mean of {frames}: {clipped:.3}");
        // The median of many normal samples has a noise of sqrt(pi / 2) times that of the mean.
        let median = rms(&burst.whole(Method::Median)) / ideal;
        assert!((1.05..1.28).contains(&median), "median of {frames}: {median:.3}");
    }
}

#[test]
fn a_bright_line_of_one_frame_leaves_no_trace_and_is_counted() {
    for (seed, frames) in [(1, 5), (2, 8), (3, 16)] {
        let clean = Burst::still(seed, frames);
        let crossed = Burst { line: Some((frames - 2, 20)), ..Burst::still(seed, frames) };
        let found = crossed.whole(Method::Clipped);
        let limit = f64::from(NOISE) / (frames as f64 - 1.0).sqrt() * 1.06;
        assert!(rms(&found) < limit, "{frames} frames: {:.5} for {limit:.5}", rms(&found));
        let on_line = 3 * SIZE.0 as u64;
        assert!(found.by_frame[frames - 2] >= on_line, "{:?}", found.by_frame);
        for row in 19..=21 {
            for x in 0..SIZE.0 {
                let [count, furthest] = found.rejected[(row * SIZE.0 + x) as usize];
                assert!(count >= 1 && usize::from(furthest) == frames - 1, "row {row}, {x}");
            }
        }
        assert!(rms(&clean.whole(Method::Mean)) < rms(&crossed.whole(Method::Mean)) / 1.5);
    }
}

#[test]
fn the_order_of_frames_does_not_matter() {
    let burst = Burst { line: Some((2, 11)), ..Burst::still(9, 9) };
    for method in [Method::Median, Method::Lightest, Method::Darkest, Method::Clipped] {
        let found = burst.whole(method);
        // The same frames, given from the fifth on.
        let plan = plan(method);
        let drawn = |frame| {
            let burst = &burst;
            Drawn { size: SIZE, of: move |at, c| burst.light(frame, at, c) }
        };
        let lights: Vec<_> = (0..9).map(|i| drawn((i + 4) % 9)).collect();
        let frames = lights.iter().map(|light| placed(light, &Motion::Still, 1.0)).collect();
        let reducer = Reducer::new(frames, &plan);
        let again = reducer.reduce(InReference(WHOLE), &mut Scratch::default(), &|| false).unwrap();
        let worst = found.light.iter().zip(&again.light).map(|(a, b)| (a - b).abs());
        let worst = worst.fold(0.0, f32::max);
        assert!(worst < 1e-6, "{method:?}: {worst}");
    }
}

#[test]
fn a_cancelled_reduction_ends() {
    let burst = Burst::still(4, 6);
    let drawn = Drawn { size: SIZE, of: |at, colour| burst.light(0, at, colour) };
    for method in METHODS {
        let plan = plan(method);
        let frames = vec![placed(&drawn, &Motion::Still, 1.0)];
        let reducer = Reducer::new(frames, &plan);
        let ended = reducer.reduce(InReference(WHOLE), &mut Scratch::default(), &|| true);
        assert!(matches!(ended, Err(jade_pixels::PictureError::Cancelled)), "{method:?}");
    }
}
