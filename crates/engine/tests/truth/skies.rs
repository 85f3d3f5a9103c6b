//! Alignment on stars where something is unlike a quiet series: order, gaps, a bumped tripod, a
//! camera turned round, other exposures, other file forms. Against the written truth.

use crate::shoot::{Shoot, input, linear, masked, plan};
use jade_engine::SkylineInputs;
use jade_frames::FrameInput;
use jade_pixels::colour::Encoding;
use jade_pixels::write::{Picture, Taken, Target, write_picture};
use jade_plan::report::{FrameReport, Report};
use jade_plan::{AlignMode, Edges, Method, Plan, SkylineMode, SkylinePlan};
use jade_scenes::night_sky::{Land, NightSky, Options};

const SIZE: (u32, u32) = (900, 600);

fn scene(frames: u32, seed: u64) -> NightSky {
    let (width, height) = SIZE;
    NightSky::new(Options { frames, darks: 0, width, height, seed, deflate: false }).unwrap()
}

fn on_stars() -> Plan {
    plan(AlignMode::Stars, Method::Mean, Edges::Keep)
}

/// Root mean square distance of a frame's motion from the truth in pixels, at the places of its
/// grid that pass `look`; `truth` gives where a place of the frame lies in the reference frame.
fn off(
    frame: &FrameReport,
    look: impl Fn([f64; 2]) -> bool,
    truth: impl Fn([f64; 2]) -> Option<[f64; 2]>,
) -> f64 {
    let squares: Vec<f64> = frame
        .grid
        .iter()
        .filter(|[x, y, ..]| look([*x, *y]))
        .filter_map(|[x, y, to_x, to_y]| {
            let [tx, ty] = truth([*x, *y])?;
            Some((to_x - tx).powi(2) + (to_y - ty).powi(2))
        })
        .collect();
    assert!(squares.len() >= 40, "{} places are too few to judge by", squares.len());
    (squares.iter().sum::<f64>() / squares.len() as f64).sqrt()
}

fn anywhere(_: [f64; 2]) -> bool {
    true
}

/// Where the sky of frame `from` lies in frame `to` of a scene.
fn between(scene: &NightSky, from: u32, to: u32, at: [f64; 2]) -> Option<[f64; 2]> {
    scene.from_reference(to, scene.to_reference(from, at)?)
}

fn assert_all_placed(report: &Report) {
    for frame in &report.frames {
        assert!(frame.used, "{}: {:?}", frame.file, frame.reason);
    }
}

/// The frames of a scene of five, changed one by one.
fn changed(
    shoot: &Shoot,
    scene: &NightSky,
    change: impl Fn(usize, Vec<u16>) -> Vec<u16>,
) -> Vec<FrameInput> {
    let save = |i: u32| {
        let samples = change(i as usize, scene.frame(i));
        shoot.save(&format!("c{i}.tif"), SIZE, &samples)
    };
    (0..5).map(save).collect()
}

/// All frames are placed on the middle one of five within `limit` pixels of the truth.
fn assert_follows(shoot: &Shoot, inputs: &[FrameInput], scene: &NightSky, limit: f64) {
    let report = shoot.stack_on(inputs, Some(2), &on_stars()).unwrap().report;
    assert_all_placed(&report);
    for (index, frame) in report.frames.iter().enumerate() {
        let off = off(frame, anywhere, |at| between(scene, index as u32, 2, at));
        assert!(off < limit, "{}: {off:.3} px rms", frame.file);
    }
}

/// Samples moved by whole pixels; what comes in at the rim is black.
fn shifted(samples: &[u16], (dx, dy): (i64, i64)) -> Vec<u16> {
    let (width, height) = (i64::from(SIZE.0), i64::from(SIZE.1));
    let mut out = vec![0; samples.len()];
    for y in 0..height {
        for x in 0..width {
            let (fx, fy) = (x - dx, y - dy);
            if (0..width).contains(&fx) && (0..height).contains(&fy) {
                let (to, from) = ((y * width + x) as usize * 3, (fy * width + fx) as usize * 3);
                out[to..to + 3].copy_from_slice(&samples[from..from + 3]);
            }
        }
    }
    out
}

/// Samples as a camera with so many times the exposure would have them.
fn exposed(samples: &[u16], factor: f32) -> Vec<u16> {
    let srgb = Encoding::srgb();
    let light = linear(samples);
    light.iter().enumerate().map(|(i, v)| srgb.encode(i % 3, v * factor)).collect()
}

#[test]
fn the_order_of_the_frames_does_not_matter() {
    let (shoot, scene) = (Shoot::new(), scene(6, 71));
    let inputs = shoot.hold(&scene);
    let order = [4, 0, 3, 5, 1, 2];
    let mixed: Vec<FrameInput> = order.iter().map(|&i: &usize| inputs[i].clone()).collect();
    let straight = shoot.stack_on(&inputs, Some(3), &on_stars()).unwrap().report;
    let mixed = shoot.stack_on(&mixed, Some(2), &on_stars()).unwrap().report;
    assert_all_placed(&mixed);
    for (place, &index) in order.iter().enumerate() {
        let (one, other) = (&mixed.frames[place], &straight.frames[index]);
        assert_eq!(one.file, other.file);
        let apart = one.grid.iter().zip(&other.grid).map(|(a, b)| (a[2] - b[2]).hypot(a[3] - b[3]));
        let worst = apart.fold(0.0, f64::max);
        assert!(worst < 0.03, "{}: {worst:.4} px apart", one.file);
    }
}

#[test]
fn gaps_between_the_frames_do_not_matter() {
    let (shoot, scene) = (Shoot::new(), scene(24, 72));
    let inputs = shoot.hold(&scene);
    let taken = [0usize, 1, 11, 12, 22, 23];
    let some: Vec<FrameInput> = taken.iter().map(|&i| inputs[i].clone()).collect();
    let report = shoot.stack_on(&some, Some(3), &on_stars()).unwrap().report;
    assert_all_placed(&report);
    for (frame, &index) in report.frames.iter().zip(&taken) {
        let off = off(frame, anywhere, |at| between(&scene, index as u32, 12, at));
        assert!(off < 0.12, "{}: {off:.3} px rms", frame.file);
    }
}

#[test]
fn any_frame_may_be_the_reference() {
    let (shoot, scene) = (Shoot::new(), scene(5, 73));
    let inputs = shoot.hold(&scene);
    for reference in [0, 4] {
        let report = shoot.stack_on(&inputs, Some(reference), &on_stars()).unwrap().report;
        assert_all_placed(&report);
        assert_eq!(report.reference, inputs[reference].name);
        for (index, frame) in report.frames.iter().enumerate() {
            let truth = |at| between(&scene, index as u32, reference as u32, at);
            let off = off(frame, anywhere, truth);
            assert!(off < 0.12, "{} on {reference}: {off:.3} px rms", frame.file);
        }
    }
}

#[test]
fn a_bumped_tripod_parts_the_series_and_all_frames_are_placed() {
    let (shoot, scene) = (Shoot::new(), scene(6, 74));
    let (dx, dy) = (37, -22);
    let inputs: Vec<FrameInput> = (0..6)
        .map(|i| {
            let samples = scene.frame(i);
            let samples = if i >= 4 { shifted(&samples, (dx, dy)) } else { samples };
            shoot.save(&format!("b{i}.tif"), SIZE, &samples)
        })
        .collect();
    let report = shoot.stack_on(&inputs, Some(2), &on_stars()).unwrap().report;
    assert_all_placed(&report);
    for (index, frame) in report.frames.iter().enumerate() {
        let bump = if index >= 4 { [dx as f64, dy as f64] } else { [0.0, 0.0] };
        let inside = |at: [f64; 2]| {
            let [x, y] = [at[0] - bump[0], at[1] - bump[1]];
            (0.0..900.0).contains(&x) && (0.0..600.0).contains(&y)
        };
        let off = off(frame, inside, |at| {
            between(&scene, index as u32, 2, [at[0] - bump[0], at[1] - bump[1]])
        });
        assert!(off < 0.15, "{}: {off:.3} px rms", frame.file);
    }
}

#[test]
fn a_camera_turned_half_round_is_turned_back() {
    let (shoot, scene) = (Shoot::new(), scene(5, 75));
    let mut inputs = shoot.hold(&scene);
    let turned: Vec<u16> =
        scene.frame(1).chunks_exact(3).rev().flat_map(|p| [p[0], p[1], p[2]]).collect();
    inputs[1] = shoot.save("turned.tif", SIZE, &turned);
    let report = shoot.stack_on(&inputs, Some(2), &on_stars()).unwrap().report;
    assert_all_placed(&report);
    let [right, bottom] = [f64::from(SIZE.0) - 1.0, f64::from(SIZE.1) - 1.0];
    let truth = |[x, y]: [f64; 2]| between(&scene, 1, 2, [right - x, bottom - y]);
    let off = off(&report.frames[1], anywhere, truth);
    assert!(off < 0.15, "{off:.3} px rms");
}

#[test]
fn frames_of_other_exposures_are_placed_alike() {
    let (shoot, scene) = (Shoot::new(), scene(5, 76));
    let factors = [0.5, 2.0, 1.0, 0.7, 1.4];
    let inputs = changed(&shoot, &scene, |i, samples| exposed(&samples, factors[i]));
    assert_follows(&shoot, &inputs, &scene, 0.15);
}

#[test]
fn eight_bits_and_lossy_files_are_good_enough_to_align_on() {
    let (shoot, scene) = (Shoot::new(), scene(5, 77));
    let (width, height) = SIZE;
    let encoding = Encoding::srgb();
    let picture = Picture { width, height, channels: 3, encoding: &encoding, taken: None };
    for (ending, target) in
        [("png", Target::Png { sixteen_bit: false }), ("jpg", Target::Jpeg { quality: 92 })]
    {
        let inputs: Vec<FrameInput> = (0..5)
            .map(|i| {
                let path = shoot.path(&format!("f{i}.{ending}"));
                let samples = scene.frame(i);
                write_picture(&path, target, &picture, &mut |y, rows| {
                    let from = y as usize * width as usize * 3;
                    rows.copy_from_slice(&samples[from..from + rows.len()]);
                    Ok(())
                })
                .unwrap();
                input(&path)
            })
            .collect();
        assert_follows(&shoot, &inputs, &scene, 0.2);
    }
}

#[test]
fn the_sky_of_another_place_is_left_out_rather_than_placed_wrongly() {
    let (shoot, scene) = (Shoot::new(), scene(5, 78));
    let mut inputs = shoot.hold(&scene);
    let other = NightSky::new(Options { seed: 79, ..*scene.options() }).unwrap();
    inputs[4] = shoot.save("elsewhere.tif", SIZE, &other.frame(2));
    let report = shoot.stack_on(&inputs, Some(2), &on_stars()).unwrap().report;
    assert!(!report.frames[4].used);
    let reason = report.frames[4].reason.as_deref().unwrap();
    assert!(reason.contains("do not match"), "{reason}");
    assert!(report.frames[..4].iter().all(|f| f.used));
}

#[test]
fn lamps_on_the_ground_do_not_hold_the_sky() {
    let (shoot, scene) = (Shoot::new(), scene(5, 80));
    // A row of lamps that stand still, brighter than any star, some of them in front of the sky.
    let lamps: Vec<(i64, i64)> = (0..40).map(|i| (20 + i * 22, 90 + (i * i * 7) % 400)).collect();
    let inputs = changed(&shoot, &scene, |_, mut samples| {
        for (lx, ly) in &lamps {
            for (dx, dy) in (-4..=4).flat_map(|dy| (-4..=4).map(move |dx| (dx, dy))) {
                let at = ((ly + dy) * i64::from(SIZE.0) + lx + dx) as usize * 3;
                let glow = 30_000.0 * (-((dx * dx + dy * dy) as f64) / 4.0).exp();
                for v in &mut samples[at..at + 3] {
                    *v = v.saturating_add(glow as u16);
                }
            }
        }
        samples
    });
    assert_follows(&shoot, &inputs, &scene, 0.15);
}

#[test]
fn what_a_file_says_of_its_lens_is_not_relied_on() {
    let (shoot, scene) = (Shoot::new(), scene(5, 81));
    let (width, height) = SIZE;
    let encoding = Encoding::srgb();
    let save = |i: u32, focal_mm: Option<f64>| {
        let mut facts = scene.facts(i);
        facts.focal_mm = focal_mm;
        let name = format!("f{i}-{}.tif", focal_mm.unwrap_or_default());
        let path = shoot.path(&name);
        let picture = Picture {
            width,
            height,
            channels: 3,
            encoding: &encoding,
            taken: Some(Taken { facts: &facts, stack: None, place: true }),
        };
        let samples = scene.frame(i);
        let target = Target::Tiff { sixteen_bit: true, deflate: false };
        write_picture(&path, target, &picture, &mut |y, rows| {
            let from = y as usize * width as usize * 3;
            rows.copy_from_slice(&samples[from..from + rows.len()]);
            Ok(())
        })
        .unwrap();
        input(&path)
    };
    let grids = [None, Some(400.0)].map(|focal_mm| {
        let inputs: Vec<FrameInput> = (0..5).map(|i| save(i, focal_mm)).collect();
        let report = shoot.stack_on(&inputs, Some(2), &on_stars()).unwrap().report;
        assert_all_placed(&report);
        report.frames.iter().map(|f| f.grid.clone()).collect::<Vec<_>>()
    });
    assert!(grids[0] == grids[1], "absent and wrong lens data give the same motion");
}

#[test]
fn lights_outside_the_sky_have_no_say_whatever_tells_them() {
    for (land, seed) in [(Land::Lamps, 83), (Land::Water, 84), (Land::Branches, 85)] {
        let shoot = Shoot::new();
        let (width, height) = SIZE;
        let options = Options { frames: 5, darks: 0, width, height, seed, deflate: false };
        let scene = NightSky::over(land, options, None).unwrap();
        let frames = shoot.hold(&scene);
        let mask = shoot.path("truth/sky-mask.png");
        let plain = shoot.stack_on(&frames, Some(2), &on_stars()).unwrap().report;
        let skyline_inputs = SkylineInputs { mask: Some(&mask), ..SkylineInputs::default() };
        let masked = masked(Method::Mean, &mask);
        let exact = shoot.stack_beside(&frames, 2, &masked, skyline_inputs).unwrap().report;
        let plan = Plan {
            skyline: SkylinePlan { mode: SkylineMode::Auto, ..SkylinePlan::default() },
            ..on_stars()
        };
        let found = shoot.stack_on(&frames, Some(2), &plan).unwrap().report;
        let reports = [&plain, &exact, &found];
        for index in 0..frames.len() {
            let truth = |at| between(&scene, index as u32, 2, at);
            let [plain, exact, found] =
                reports.map(|report| off(&report.frames[index], anywhere, truth));
            let said =
                format!("{} {index}: {plain:.4}, {exact:.4}, {found:.4} px rms", land.name());
            assert!(plain < 0.1 && plain < exact + 0.02 && found < exact + 0.005, "{said}");
        }
        let count = |report: &Report| report.frames[2].stars.unwrap();
        let counts = [&exact, &found, &plain].map(count);
        let [exact, found, plain] = counts;
        assert!(exact < plain, "{} has lights in its ground", land.name());
        assert!(
            found < plain && found.abs_diff(exact) * 10 <= exact,
            "{}: {counts:?}",
            land.name()
        );
    }
}
