//! Registration on the stars of made-up skies whose motion is known: a camera whose lens bends
//! lines, a sky that turns about a pole, lamps and hot pixels that stay, stars that come and go.

use jade_align::stars::StarList;
use jade_align::{Alignment, align_again, align_stars};
use jade_optics::camera::Lens;
use jade_optics::motion::{Motion, apply};
use jade_optics::space::{InFrame, InReference};
use jade_optics::star::Star;
use jade_plan::frame_index::Used;
use jade_plan::{CoreError, FrameIndex, PerFrame};
use nalgebra::{Matrix3, Rotation3, Unit, Vector3};

const SIZE: (u32, u32) = (2400, 1600);
const FRAMES: usize = 6;
const REFERENCE: usize = 2;
/// Seeds of the skies that every test goes through.
const SEEDS: std::ops::Range<u64> = 0..6;

/// Numbers from a fixed sequence for each seed.
struct Numbers(blake3::OutputReader);

impl Numbers {
    fn new(seed: u64) -> Self {
        Self(blake3::Hasher::new().update(&seed.to_le_bytes()).finalize_xof())
    }

    /// Evenly from 0 to 1.
    fn even(&mut self) -> f64 {
        let mut bytes = [0; 4];
        self.0.fill(&mut bytes);
        f64::from(u32::from_le_bytes(bytes)) / 2f64.powi(32)
    }

    /// Evenly between two limits.
    fn between(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * self.even()
    }

    /// Normally distributed with standard deviation 1 (Box and Muller 1958).
    fn normal(&mut self) -> f64 {
        let radius = (-2.0 * (1.0 - self.even()).ln()).sqrt();
        radius * (std::f64::consts::TAU * self.even()).cos()
    }
}

/// A sky that turns over a camera.
struct Sky {
    lens: Lens,
    /// The turn of each frame's directions into those of the reference frame.
    turns: Vec<Rotation3<f64>>,
    /// Stars of each frame.
    lists: Vec<Vec<Star>>,
}

impl Sky {
    fn new(seed: u64) -> Self {
        let mut numbers = Numbers::new(seed);
        let focal = numbers.between(1100.0, 2600.0);
        let lens = Lens {
            k1: numbers.between(-0.05, 0.05),
            k2: numbers.between(-0.01, 0.01),
            ..Lens::plain(focal, SIZE.0, SIZE.1)
        };
        let axis = Vector3::new(numbers.normal(), numbers.normal(), numbers.normal());
        let axis = Unit::new_normalize(axis);
        // The sky turns by a degree in four minutes; here by 0.1 to 0.25 degrees from frame to frame.
        let step = numbers.between(0.1, 0.25f64).to_radians();
        let turns: Vec<_> = (0..FRAMES)
            .map(|i| Rotation3::from_axis_angle(&axis, step * (REFERENCE as f64 - i as f64)))
            .collect();
        let stars: Vec<(Vector3<f64>, f32)> = (0..420)
            .map(|i| {
                let at = [numbers.between(-200.0, 2600.0), numbers.between(-200.0, 1800.0)];
                (lens.ray(at), 4000.0 / (i + 4) as f32)
            })
            .collect();
        let lists = turns
            .iter()
            .map(|turn| {
                let mut list = vec![];
                for (ray, flux) in &stars {
                    let missed = numbers.even() < 0.12;
                    let snr = (flux * 2.0).clamp(6.0, 400.0);
                    let error = star([0.0; 2], *flux, snr).error();
                    let [x, y] = lens.project(turn.inverse() * ray);
                    let at = [x + error * numbers.normal(), y + error * numbers.normal()];
                    if !missed && inside(at) {
                        list.push(star(at, *flux, snr));
                    }
                }
                // False stars differ from frame to frame.
                for _ in 0..25 {
                    let at = [numbers.between(0.0, 2399.0), numbers.between(0.0, 1599.0)];
                    list.push(star(at, numbers.between(8.0, 60.0) as f32, 9.0));
                }
                sorted(list)
            })
            .collect();
        Self { lens, turns, lists }
    }

    fn align(&self) -> Alignment<Used> {
        align(self.lists.clone(), vec![None; FRAMES]).unwrap()
    }

    /// Where a frame's position stands in the reference frame.
    fn truth(&self, frame: usize, at: [f64; 2]) -> [f64; 2] {
        self.lens.project(self.turns[frame] * self.lens.ray(at))
    }

    /// Largest distance in pixels between the motion found and the truth, at corners, edges and the
    /// middle of a frame.
    fn error(&self, frame: usize, motion: &Motion) -> f64 {
        let places = (0..9).map(|i| [f64::from(i % 3) * 1199.5, f64::from(i / 3) * 799.5]);
        places
            .map(|at| {
                let InReference([x, y]) = motion.to_reference(InFrame(at));
                let [true_x, true_y] = self.truth(frame, at);
                (x - true_x).hypot(y - true_y)
            })
            .fold(0.0, f64::max)
    }
}

fn star([x, y]: [f64; 2], flux: f32, snr: f32) -> Star {
    Star { x, y, flux, width: 2.2, roundness: 1.0, snr, saturated: false }
}

fn inside([x, y]: [f64; 2]) -> bool {
    (0.0..f64::from(SIZE.0)).contains(&x) && (0.0..f64::from(SIZE.1)).contains(&y)
}

fn sorted(mut list: Vec<Star>) -> Vec<Star> {
    list.sort_by(|a, b| b.flux.total_cmp(&a.flux));
    list
}

fn lists(stars: Vec<Vec<Star>>) -> PerFrame<Used, StarList> {
    let list = |stars| StarList { stars, star_width: Some(2.2), sky_level: 0.01 };
    stars.into_iter().map(list).collect()
}

fn align(
    stars: Vec<Vec<Star>>,
    hints: Vec<Option<Matrix3<f64>>>,
) -> Result<Alignment<Used>, CoreError> {
    align_stars(lists(stars), FrameIndex::new(REFERENCE), hints.into(), SIZE, &|| false)
}

#[test]
fn a_turning_sky_is_followed_to_the_corners() {
    for seed in SEEDS {
        let sky = Sky::new(seed);
        let found = sky.align();
        for (i, frame) in found.frames.iter().enumerate() {
            let motion = frame.motion.as_ref().unwrap_or_else(|| panic!("{seed}: frame {i}"));
            let error = sky.error(i, motion);
            assert!(error < 0.08, "seed {seed}, frame {i}: {error:.3} px off");
            assert!(frame.matched > 150 && !frame.by_hand, "{seed}: {} stars", frame.matched);
        }
        let reference = &found.frames[FrameIndex::new(REFERENCE)];
        assert_eq!((&reference.motion, reference.rms_px), (&Some(Motion::Still), Some(0.0)));
    }
}

#[test]
fn residuals_are_those_of_the_matches_and_lie_apart() {
    for seed in SEEDS {
        let found = Sky::new(seed).align();
        for (i, frame) in found.frames.iter().enumerate().filter(|(i, _)| *i != REFERENCE) {
            assert!((20..=80).contains(&frame.residuals.len()), "{seed}: frame {i}");
            for [x, y, dx, dy] in &frame.residuals {
                assert!(dx.hypot(*dy) < 1.2, "{seed}: {dx} {dy} at {x} {y}");
            }
            assert!(frame.rms_px.unwrap() < 0.3, "{seed}: {:?}", frame.rms_px);
        }
    }
}

#[test]
fn lamps_and_hot_pixels_do_not_hold_the_sky() {
    for seed in SEEDS {
        let mut sky = Sky::new(seed);
        let mut numbers = Numbers::new(seed + 1000);
        let still: Vec<Star> = (0..160)
            .map(|_| {
                let at = [numbers.between(0.0, 2399.0), numbers.between(900.0, 1599.0)];
                star(at, numbers.between(50.0, 2000.0) as f32, 200.0)
            })
            .collect();
        for list in &mut sky.lists {
            list.extend_from_slice(&still);
            *list = sorted(std::mem::take(list));
        }
        let found = sky.align();
        for (i, frame) in found.frames.iter().enumerate() {
            let error = sky.error(i, frame.motion.as_ref().expect("a motion"));
            assert!(error < 0.1, "seed {seed}, frame {i}: {error:.3} px off");
        }
    }
}

#[test]
fn a_clouded_frame_is_left_out_with_its_reason_and_the_others_stay() {
    for seed in SEEDS {
        let mut sky = Sky::new(seed);
        let clear = sky.lists[REFERENCE].len();
        sky.lists[4].truncate(3);
        let found = sky.align();
        let clouded = &found.frames[FrameIndex::new(4)];
        assert_eq!(clouded.motion, None);
        let reason = format!("Only 3 stars are found where the reference frame shows {clear}:");
        let given = clouded.reason.as_deref().unwrap();
        assert!(given.starts_with(&reason), "{given}");
        for i in [0, 1, 3, 5] {
            let motion = found.frames[FrameIndex::new(i)].motion.as_ref().expect("a motion");
            assert!(sky.error(i, motion) < 0.08, "seed {seed}, frame {i}");
        }
    }
}

#[test]
fn a_frame_of_another_scene_is_left_out() {
    for seed in SEEDS {
        let mut sky = Sky::new(seed);
        sky.lists[5] = Sky::new(seed + 500).lists.swap_remove(5);
        let found = sky.align();
        let foreign = &found.frames[FrameIndex::new(5)];
        assert_eq!(foreign.motion, None, "seed {seed}");
        assert!(foreign.reason.as_deref().unwrap().contains("do not match"), "{foreign:?}");
        assert_eq!(found.frames.iter().filter(|frame| frame.motion.is_some()).count(), FRAMES - 1);
    }
}

/// A frame of which three stars are left; the pairs of a person place it.
#[test]
fn pairs_set_by_hand_place_a_frame_that_stars_do_not() {
    let mut sky = Sky::new(3);
    sky.lists[4].truncate(3);
    let hint = Matrix3::new(1.0, 0.002, -6.0, -0.002, 1.0, 4.0, 0.0, 0.0, 1.0);
    let mut hints = vec![None; FRAMES];
    hints[4] = Some(hint);
    let found = align(sky.lists.clone(), hints).unwrap();
    let placed = &found.frames[FrameIndex::new(4)];
    assert_eq!(placed.motion, Some(Motion::Homography(hint)));
    assert!(placed.by_hand && placed.reason.is_none());
    assert!(found.frames.iter().filter(|frame| frame.by_hand).count() == 1);
}

/// Pairs that lie some pixels off are only a start where stars are found from there.
#[test]
fn pairs_set_by_hand_are_made_exact_by_the_stars() {
    for seed in SEEDS {
        let sky = Sky::new(seed);
        let known = sky.align();
        let exact = known.frames[FrameIndex::new(4)].motion.as_ref().expect("a motion");
        let mut hint = exact.nearest_homography(SIZE.0, SIZE.1);
        hint[(0, 2)] += 1.5;
        hint[(1, 2)] -= 1.0;
        let mut hints = vec![None; FRAMES];
        hints[4] = Some(hint);
        let found = align(sky.lists.clone(), hints).unwrap();
        let placed = &found.frames[FrameIndex::new(4)];
        assert!(placed.by_hand, "seed {seed}");
        let error = sky.error(4, placed.motion.as_ref().expect("a motion"));
        assert!(error < 0.1, "seed {seed}: {error:.3} px off");
    }
}

/// Handheld frames that turned and shifted far are matched without a start.
#[test]
fn a_frame_held_upside_down_is_matched() {
    for seed in SEEDS {
        let mut sky = Sky::new(seed);
        let half_turn = Matrix3::new(-1.0, 0.0, 2399.0, 0.0, -1.0, 1599.0, 0.0, 0.0, 1.0);
        for star in &mut sky.lists[0] {
            [star.x, star.y] = apply(&half_turn, [star.x, star.y]);
        }
        let found = sky.align();
        let motion = found.frames[FrameIndex::new(0)].motion.as_ref().expect("a motion");
        for at in [[10.0, 10.0], [2300.0, 40.0], [1200.0, 800.0], [30.0, 1500.0]] {
            let InReference([x, y]) = motion.to_reference(InFrame(apply(&half_turn, at)));
            let [true_x, true_y] = sky.truth(0, at);
            let error = (x - true_x).hypot(y - true_y);
            assert!(error < 0.1, "seed {seed}: {error:.3} px off at {at:?}");
        }
    }
}

#[test]
fn stars_of_the_sky_alone_give_the_same_motions_again() {
    for seed in SEEDS {
        let sky = Sky::new(seed);
        let known = sky.align();
        // The ground covers the lower third, and one frame shows nothing of the sky.
        let mut upper = sky.lists.clone();
        upper.iter_mut().for_each(|list| list.retain(|star| star.y < 1060.0));
        upper[5].clear();
        let kept = known.frames[FrameIndex::new(5)].motion.clone();
        let reference = FrameIndex::new(REFERENCE);
        let found = align_again(lists(upper), reference, known, SIZE, &|| false).unwrap();
        for i in (0..FRAMES - 1).filter(|i| *i != REFERENCE) {
            let motion = found.frames[FrameIndex::new(i)].motion.as_ref().expect("a motion");
            let error = sky.error(i, motion);
            assert!(error < 0.15, "seed {seed}, frame {i}: {error:.3} px off");
        }
        assert_eq!(found.frames[FrameIndex::new(5)].motion, kept);
    }
}

#[test]
fn a_reference_frame_without_stars_is_refused_in_a_sentence() {
    let mut sky = Sky::new(0);
    sky.lists[REFERENCE].truncate(7);
    match align(sky.lists, vec![None; FRAMES]) {
        Err(CoreError::Frames(sentence)) => {
            assert!(sentence.contains("shows 7 stars, and 15 are needed"), "{sentence}");
        }
        other => panic!("{other:?}"),
    }
}

#[test]
fn a_run_that_is_cancelled_ends() {
    let sky = Sky::new(0);
    let (reference, hints) = (FrameIndex::new(REFERENCE), vec![None; FRAMES].into());
    let ended = align_stars::<Used>(lists(sky.lists), reference, hints, SIZE, &|| true);
    assert!(matches!(ended, Err(CoreError::Cancelled)));
}
