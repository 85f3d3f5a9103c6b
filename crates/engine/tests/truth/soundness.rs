//! Frames as they come: of any size, gone between two runs, of one name.

use crate::shoot::{Shoot, input, plan};
use jade_frames::FrameInput;
use jade_pixels::write::Target;
use jade_plan::{AlignMode, CoreError, Edges, Kind, Method, Plan, SkylineMode};
use jade_scenes::night_sky::{NightSky, Options};

fn scene(frames: u32, seed: u64) -> NightSky {
    let options = Options { frames, darks: 0, width: 900, height: 600, seed, deflate: false };
    NightSky::new(options).unwrap()
}

/// One sentence or several.
fn is_said(error: &CoreError) {
    let said = error.to_string();
    assert!(said.ends_with('.') && said.len() > 20, "{said}");
}

#[test]
fn pictures_of_any_size_are_stacked_or_refused_in_a_sentence() {
    // Some noise that is the same every time.
    let mut state = 5u32;
    let mut noise = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        2000 + (state >> 17) as u16
    };
    let sizes =
        [(1, 1), (1, 60), (60, 1), (2, 3), (3, 40), (7, 7), (9, 64), (64, 9), (17, 16), (1, 700)];
    for size in sizes {
        let shoot = Shoot::new();
        let frames: Vec<FrameInput> = (0..4)
            .map(|i| {
                let samples: Vec<u16> = (0..size.0 * size.1 * 3).map(|_| noise()).collect();
                let target = match i % 2 {
                    0 => Target::Tiff { sixteen_bit: true, deflate: false },
                    _ => Target::Png { sixteen_bit: true },
                };
                shoot.save_as(target, &format!("f{i}"), size, &samples)
            })
            .collect();
        for mode in [AlignMode::None, AlignMode::Scene, AlignMode::Stars] {
            for method in [Method::Mean, Method::Clipped, Method::Lightest] {
                let plan = plan(mode, method, Edges::Trim);
                let done = shoot.stack(&frames, &plan);
                match done {
                    Ok(outcome) => assert_eq!(outcome.report.size, [size.0, size.1], "{mode:?}"),
                    Err(error) => is_said(&error),
                }
                assert!(mode != AlignMode::None || shoot.stack(&frames, &plan).is_ok());
            }
        }
        let mut joined = Plan::of(Kind::NightSky);
        joined.skyline.mode = SkylineMode::Auto;
        for plan in [joined, Plan::of(Kind::FocusSweep)] {
            if let Err(error) = shoot.stack(&frames, &plan) {
                is_said(&error);
            }
        }
    }
}

#[test]
fn a_frame_that_goes_between_two_runs_is_left_out_and_counts_once_it_is_back() {
    for mode in [SkylineMode::None, SkylineMode::Auto] {
        let shoot = Shoot::new();
        let frames = shoot.hold(&scene(6, 44));
        let mut first = Plan::of(Kind::NightSky);
        first.skyline.mode = mode;
        let whole = shoot.stack(&frames, &first).unwrap();
        assert!(whole.report.frames.iter().all(|frame| frame.used));
        // The card is out: neither the file is there nor what was decoded of it, while how it lies on
        // the others is known.
        let away = shoot.path("away");
        std::fs::rename(&frames[1].path, &away).unwrap();
        let decoded = shoot.cache().frame(&frames[1].key());
        let _ = std::fs::remove_dir_all(decoded.parent().unwrap());
        // What was made of all frames serves on.
        assert_eq!(shoot.stack(&frames, &first).unwrap().key, whole.key);
        for method in [Method::Mean, Method::Median] {
            let mut plan = first.clone();
            plan.combine.method = method;
            let report = shoot.stack(&frames, &plan).unwrap().report;
            let gone = &report.frames[1];
            assert!(!gone.used && gone.content == frames[1].id, "{gone:?}");
            assert!(gone.reason.as_deref().unwrap().contains("there is no such file"), "{gone:?}");
            assert_eq!(report.frames.iter().filter(|frame| frame.used).count(), 5);
        }
        std::fs::rename(&away, &frames[1].path).unwrap();
        let back = shoot.stack(&frames, &first).unwrap();
        assert_eq!(back.key, whole.key);
        assert!(back.report.frames.iter().all(|frame| frame.used));
    }
}

#[test]
fn a_reference_frame_that_is_gone_is_told_where_it_was_chosen_and_replaced_where_not() {
    let shoot = Shoot::new();
    let frames = shoot.hold(&scene(6, 45));
    let plan = Plan::of(Kind::NightSky);
    let usual = shoot.stack(&frames, &plan).unwrap().reference.number();
    std::fs::remove_file(&frames[usual].path).unwrap();
    let mut plan = plan;
    plan.combine.method = Method::Mean;
    let other = shoot.stack(&frames, &plan).unwrap();
    assert_ne!(other.reference.number(), usual);
    let chosen = shoot.stack_on(&frames, Some(usual), &plan).err().unwrap();
    assert!(chosen.to_string().contains(&frames[usual].name), "{chosen}");
    is_said(&chosen);
}

#[test]
fn frames_of_one_name_keep_their_own_motion() {
    let shoot = Shoot::new();
    let scene = scene(5, 46);
    let held = shoot.hold(&scene);
    let plan = Plan::of(Kind::NightSky);
    let said = shoot.stack_on(&held, Some(2), &plan).unwrap().report;
    // The same frames, all of one name, in another order.
    let order = [3, 0, 4, 2, 1];
    let alike: Vec<FrameInput> = order
        .iter()
        .map(|i| {
            let folder = shoot.path(&format!("card {i}"));
            std::fs::create_dir(&folder).unwrap();
            std::fs::copy(&held[*i].path, folder.join("night.tif")).unwrap();
            input(&folder.join("night.tif"))
        })
        .collect();
    let again = shoot.stack_on(&alike, Some(3), &plan).unwrap().report;
    assert_eq!(again.reference_content, held[2].id);
    for frame in &held {
        let before = said.frame(&frame.id, &frame.name).unwrap();
        let after = again.frame(&frame.id, "night.tif").unwrap();
        assert_eq!(after.file, "night.tif");
        let apart = after.grid.iter().flatten().zip(before.grid.iter().flatten());
        let most = apart.map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
        assert!(most < 1e-3, "{}: {most}", frame.name);
    }
}

#[test]
fn what_is_no_regular_file_is_left_out_at_once() {
    let shoot = Shoot::new();
    let mut frames = shoot.hold(&scene(5, 47));
    let pipe = shoot.path("pipe.tif");
    assert!(std::process::Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    std::fs::create_dir(shoot.path("folder.tif")).unwrap();
    for name in ["pipe.tif", "folder.tif"] {
        let path = shoot.path(name);
        frames.push(FrameInput {
            path,
            id: name.into(),
            name: name.to_owned(),
            ..frames[0].clone()
        });
    }
    let report = shoot.stack(&frames, &Plan::of(Kind::NightSky)).unwrap().report;
    for frame in &report.frames[5..] {
        let reason = frame.reason.as_deref().unwrap_or_default();
        assert!(!frame.used && reason.contains("no regular file"), "{}: {reason}", frame.file);
    }
}
