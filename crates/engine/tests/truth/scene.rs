//! Aligning on the scene against the truth of handheld bursts, and sets that must not be aligned
//! wrongly.

use crate::shoot::{Shoot, plan};
use jade_frames::FrameInput;
use jade_plan::report::FrameReport;
use jade_plan::{AlignMode, Edges, HandPairs, Method};
use jade_scenes::kiln_yard::{KilnYard, Options};
use jade_scenes::night_sky::{self, NightSky};

const SIZE: (u32, u32) = (900, 600);

fn yard(frames: u32, seed: u64) -> KilnYard {
    KilnYard::new(Options { frames, width: SIZE.0, height: SIZE.1, seed, deflate: false }).unwrap()
}

fn saved(shoot: &Shoot, scene: &KilnYard) -> Vec<FrameInput> {
    let frames = scene.options().frames;
    (0..frames).map(|i| shoot.save(&format!("f{i}.tif"), SIZE, &scene.frame(i))).collect()
}

fn on_scene() -> jade_plan::Plan {
    plan(AlignMode::Scene, Method::Clipped, Edges::Trim)
}

/// Root mean square distance from the truth over the frame, in pixels.
fn off(frame: &FrameReport, truth: impl Fn([f64; 2]) -> [f64; 2]) -> f64 {
    let squares = frame.grid.iter().map(|[x, y, to_x, to_y]| {
        let [tx, ty] = truth([*x, *y]);
        (to_x - tx).powi(2) + (to_y - ty).powi(2)
    });
    (squares.sum::<f64>() / frame.grid.len() as f64).sqrt()
}

#[test]
fn a_handheld_burst_is_placed_as_it_was_held() {
    for seed in 51..53 {
        let (shoot, scene) = (Shoot::new(), yard(5, seed));
        let report = shoot.stack(&saved(&shoot, &scene), &on_scene()).unwrap().report;
        for (i, frame) in report.frames.iter().enumerate() {
            assert!(frame.used, "seed {seed}, frame {i}: {:?}", frame.reason);
            let off = off(frame, |at| scene.to_reference(i as u32, at));
            assert!(off < 0.12, "seed {seed}, frame {i}: {off:.3} px rms");
            assert!(i as u32 == scene.reference() || !frame.residuals.is_empty());
        }
    }
}

#[test]
fn a_frame_held_upside_down_is_turned_back() {
    let (shoot, scene) = (Shoot::new(), yard(3, 53));
    let mut inputs = saved(&shoot, &scene);
    let turned: Vec<u16> =
        scene.frame(0).chunks_exact(3).rev().flat_map(|p| [p[0], p[1], p[2]]).collect();
    inputs[0] = shoot.save("turned.tif", SIZE, &turned);
    let report = shoot.stack(&inputs, &on_scene()).unwrap().report;
    assert!(report.frames[0].used, "{:?}", report.frames[0].reason);
    let off = off(&report.frames[0], |[x, y]| {
        scene.to_reference(0, [f64::from(SIZE.0) - 1.0 - x, f64::from(SIZE.1) - 1.0 - y])
    });
    assert!(off < 0.15, "{off:.3} px rms");
}

#[test]
fn frames_that_show_something_else_or_nothing_are_left_out_with_a_reason() {
    let (shoot, scene) = (Shoot::new(), yard(4, 54));
    let mut inputs = saved(&shoot, &scene);
    let whole = SIZE.0 as usize * SIZE.1 as usize * 3;
    inputs.push(shoot.save("black.tif", SIZE, &vec![0; whole]));
    inputs.push(shoot.save("white.tif", SIZE, &vec![65535; whole]));
    inputs.push(shoot.save("elsewhere.tif", SIZE, &yard(1, 99).frame(0)));
    let report = shoot.stack_on(&inputs, Some(2), &on_scene()).unwrap().report;
    for frame in &report.frames[..4] {
        assert!(frame.used, "{}: {:?}", frame.file, frame.reason);
    }
    for frame in &report.frames[4..] {
        assert!(!frame.used, "{} cannot be placed", frame.file);
        assert!(frame.reason.as_ref().is_some_and(|r| r.ends_with('.')), "{:?}", frame.reason);
    }
}

#[test]
fn frames_that_are_all_the_same_lie_still_and_give_themselves() {
    let (shoot, scene) = (Shoot::new(), yard(1, 55));
    // A byte more at the end makes another file of the same picture.
    let inputs: Vec<FrameInput> = (0..3)
        .map(|i| {
            let input = shoot.save(&format!("s{i}.tif"), SIZE, &scene.frame(0));
            let mut bytes = std::fs::read(&input.path).unwrap();
            bytes.extend(vec![0; i]);
            std::fs::write(&input.path, bytes).unwrap();
            crate::shoot::input(&input.path)
        })
        .collect();
    let outcome = shoot.stack(&inputs, &on_scene()).unwrap();
    assert!(outcome.report.frames.iter().all(|f| f.model.as_deref() == Some("still")));
    let truth = crate::shoot::linear(&scene.frame(0));
    let light = crate::shoot::pixels(&outcome).1;
    assert!(light.iter().zip(&truth).all(|(v, t)| (v - t).abs() < 1e-6));
}

#[test]
fn sets_without_anything_to_align_on_are_refused_in_a_sentence() {
    let shoot = Shoot::new();
    let whole = SIZE.0 as usize * SIZE.1 as usize * 3;
    for (name, value) in [("black", 0), ("white", 65535)] {
        let inputs: Vec<FrameInput> = (0..3)
            .map(|i| {
                let mut samples = vec![value; whole];
                samples[i] = 300;
                shoot.save(&format!("{name}{i}.tif"), SIZE, &samples)
            })
            .collect();
        for mode in [AlignMode::Stars, AlignMode::Scene] {
            let wish = plan(mode, Method::Mean, Edges::Trim);
            let refused = shoot.stack(&inputs, &wish).err().unwrap().to_string();
            assert!(refused.contains("choose another reference frame"), "{name}: {refused}");
        }
    }
}

/// A frame of the sky of which clouds leave a window with a few stars is left out; pairs set by
/// hand place it.
#[test]
fn pairs_set_by_hand_place_a_frame_that_fails() {
    let shoot = Shoot::new();
    let options = night_sky::Options {
        frames: 5,
        darks: 0,
        width: SIZE.0,
        height: SIZE.1,
        seed: 56,
        deflate: false,
    };
    let scene = NightSky::new(options).unwrap();
    let mut inputs: Vec<FrameInput> =
        (0..5).map(|i| shoot.save(&format!("f{i}.tif"), SIZE, &scene.frame(i))).collect();
    let mut clouded = scene.frame(1);
    for (i, pixel) in clouded.chunks_exact_mut(3).enumerate() {
        let (x, y) = (i % SIZE.0 as usize, i / SIZE.0 as usize);
        if !(300..380).contains(&x) || !(100..160).contains(&y) {
            pixel.fill(9000);
        }
    }
    inputs[1] = shoot.save("clouded.tif", SIZE, &clouded);
    let mut wish = plan(AlignMode::Stars, Method::Median, Edges::Keep);
    let report = shoot.stack(&inputs, &wish).unwrap().report;
    assert!(!report.frames[1].used, "a window of sky is not enough");
    assert!(report.frames[1].reason.as_ref().unwrap().contains("stars"));

    let pairs = [[310.0, 110.0], [370.0, 112.0], [340.0, 150.0]].map(|at| {
        let [x, y] = scene.to_reference(1, at).unwrap();
        [at[0], at[1], x, y]
    });
    wish.align.by_hand = vec![HandPairs { blake3: inputs[1].id.clone(), pairs: pairs.to_vec() }];
    let report = shoot.stack(&inputs, &wish).unwrap().report;
    let placed = &report.frames[1];
    assert!(placed.used && placed.by_hand, "{:?}", placed.reason);
    let [x, y, z] = placed.to_reference.unwrap();
    let at = [340.0, 130.0, 1.0];
    let dot = |row: [f64; 3]| row.iter().zip(at).map(|(a, b)| a * b).sum::<f64>();
    let found = [dot(x) / dot(z), dot(y) / dot(z)];
    let truth = scene.to_reference(1, [340.0, 130.0]).unwrap();
    assert!((found[0] - truth[0]).hypot(found[1] - truth[1]) < 0.5, "{found:?} for {truth:?}");
}

#[test]
fn frames_whose_stars_are_hidden_by_clouds_are_left_out_and_the_others_used() {
    let shoot = Shoot::new();
    let options = night_sky::Options {
        frames: 6,
        darks: 0,
        width: SIZE.0,
        height: SIZE.1,
        seed: 57,
        deflate: false,
    };
    let scene = NightSky::new(options).unwrap();
    let inputs: Vec<FrameInput> = (0..6)
        .map(|i| {
            let mut samples = scene.frame(i);
            if i % 2 == 0 {
                // A bank of cloud over all but the ground, with the sensor's noise on it.
                let dark = scene.dark(i);
                let sky = scene.sky_mask();
                for (at, v) in samples.iter_mut().enumerate() {
                    if sky[at / 3] > 0.5 {
                        *v = 12_000 + dark[at] / 4;
                    }
                }
            }
            shoot.save(&format!("f{i}.tif"), SIZE, &samples)
        })
        .collect();
    let wish = plan(AlignMode::Stars, Method::Mean, Edges::Trim);
    let report = shoot.stack_on(&inputs, Some(3), &wish).unwrap().report;
    for (i, frame) in report.frames.iter().enumerate() {
        assert_eq!(frame.used, i % 2 == 1, "{}: {:?}", frame.file, frame.reason);
    }
    assert!(report.frames[0].reason.as_ref().unwrap().contains("clouds"));
}
