//! Focus sweeps against the planes that the simulated lens was focused on.

mod shoot;

use jade_core::focus::{Order, Sharpness, order, place};
use jade_core::frames::{Frame, Light};
use jade_core::progress::Unwatched;
use jade_scenes::focus_sweep::{FocusSweep, Options};
use shoot::Shoot;

const SIZE: (u32, u32) = (600, 400);

fn sweep(frames: u32, seed: u64) -> FocusSweep {
    let (width, height) = SIZE;
    FocusSweep::new(Options { frames, width, height, seed, deflate: false }).unwrap()
}

/// How sharp the frames of a sweep are where.
fn measured(scene: &FocusSweep) -> Vec<Sharpness> {
    let shoot = Shoot::new();
    let one = |i: u32| {
        let input = shoot.save(&format!("f{i}.tif"), SIZE, &scene.frame(i));
        let frame = Frame::load(&input, &mut || Ok(())).unwrap();
        Sharpness::of(&frame, &|| false).unwrap()
    };
    (0..scene.options().frames).map(one).collect()
}

/// Numbers in an order that is not theirs, the same for the same seed.
fn shuffled(count: usize, seed: u64) -> Vec<usize> {
    let mut all: Vec<usize> = (0..count).collect();
    all.sort_by_key(|i| ((*i as u64 + 1) * (2 * seed + 7919)).wrapping_mul(0x9e37_79b9_7f4a_7c15));
    all
}

/// The order of some frames of a sweep that come in another one; numbers are those of the sweep,
/// from the nearest on.
fn ordered(all: &[Sharpness], shown: &[usize]) -> Order {
    let some: Vec<Sharpness> = shown.iter().map(|i| all[*i].clone()).collect();
    let mut found = order(&some).expect("an order is found");
    found.frames.iter_mut().for_each(|i| *i = shown[*i]);
    if found.frames[0] > found.frames[found.frames.len() - 1] {
        found.frames.reverse();
        found.steps.reverse();
    }
    found
}

#[test]
fn shuffled_frames_are_put_in_the_order_of_focus_and_gaps_are_found() {
    let (mut gaps, mut wrong) = (0, 0);
    for seed in 1..=10 {
        let all = measured(&sweep(12, seed));
        let found = ordered(&all, &shuffled(12, seed));
        assert_eq!(found.frames, (0..12).collect::<Vec<_>>(), "seed {seed}");
        wrong += found.steps.iter().filter(|step| step.is_wide() || step.is_double()).count();
        // One frame is taken out.
        let gone = 2 + seed as usize % 8;
        let rest: Vec<usize> = shuffled(12, seed).into_iter().filter(|i| *i != gone).collect();
        let found = ordered(&all, &rest);
        let wide: Vec<usize> = (0..10).filter(|i| found.steps[*i].is_wide()).collect();
        gaps += usize::from(wide == [gone - 1]);
    }
    assert!(gaps >= 9, "{gaps} of 10 gaps were pointed out");
    assert!(wrong <= 1, "{wrong} of 110 steps were doubted without a reason");
}

#[test]
fn frames_of_a_lens_that_breathes_are_placed_to_fractions_of_a_pixel() {
    for seed in [31, 32, 33] {
        let scene = sweep(16, seed);
        let shoot = Shoot::new();
        let frames: Vec<Frame> = (0..16)
            .map(|i| {
                let input = shoot.save(&format!("f{i}.tif"), SIZE, &scene.frame(i));
                Frame::load(&input, &mut || Ok(())).unwrap()
            })
            .collect();
        let lights: Vec<&dyn Light> = frames.iter().map(|frame| frame as &dyn Light).collect();
        let reference = scene.reference();
        let sharpness: Vec<Sharpness> =
            lights.iter().map(|light| Sharpness::of(*light, &|| false).unwrap()).collect();
        let placed = place(&lights, &sharpness, reference as usize, &Unwatched).unwrap();
        let mut all = 0.0;
        for (index, placed) in placed.iter().enumerate() {
            let motion = placed.motion.as_ref().expect("it is placed");
            let grid = motion.grid(SIZE.0, SIZE.1, 9, 7);
            let squares = grid.iter().map(|[x, y, to_x, to_y]| {
                let truth = scene.to_reference(index as u32, [*x, *y]);
                (to_x - truth[0]).powi(2) + (to_y - truth[1]).powi(2)
            });
            let rms = (squares.sum::<f64>() / grid.len() as f64).sqrt();
            all += rms * rms / 16.0;
        }
        assert!(all.sqrt() < 0.15, "seed {seed}: {:.3} px rms", all.sqrt());
    }
}

#[test]
fn a_frame_that_is_there_twice_is_pointed_out() {
    for seed in [21, 22] {
        let all = measured(&sweep(8, seed));
        let found = ordered(&all, &[3, 6, 1, 5, 0, 7, 2, 4, 6]);
        assert_eq!(found.frames, [0, 1, 2, 3, 4, 5, 6, 6, 7]);
        let double: Vec<usize> = (0..8).filter(|i| found.steps[*i].is_double()).collect();
        assert_eq!(double, [6], "{:?}", found.steps);
    }
}

#[test]
fn frames_that_tell_no_order_are_given_none() {
    let all = measured(&sweep(4, 23));
    assert_eq!(order(&all[..2]), None);
    // The same plane again and again.
    let same: Vec<Sharpness> = (0..5).map(|_| all[1].clone()).collect();
    assert_eq!(order(&same), None);
    let other = Sharpness { size: [3, 2], side: 2, cells: vec![1.0; 6] };
    assert_eq!(order(&[all[0].clone(), all[1].clone(), other]), None);
}
