//! Focus sweeps against the planes that the simulated lens was focused on.

use crate::shoot::{Shoot, light, linear, pixels};
use jade_align::sharpness::Sharpness;
use jade_engine as engine;
use jade_engine::{Budget, Outcome};
use jade_focus::{BETWEEN, Order, comes_nearer, order, place, placed_on};
use jade_frames::cache::{LayerKind, MapKind};
use jade_frames::{Frame, FrameInput};
use jade_optics::grid::Grid;
use jade_optics::light::Light;
use jade_pixels::colour::Encoding;
use jade_pixels::tiled::{Region, TiledFile};
use jade_pixels::write::Target;
use jade_plan::frame_index::{FrameIndex, Given};
use jade_plan::progress::{Stage, Unwatched, Watch};
use jade_plan::{CoreError, Edges, Kind, MergeMethod, Patch, PatchFrom, Plan};
use jade_scenes::focus_sweep::{FocusSweep, Options};
use jade_scenes::kiln_yard::{self, KilnYard};
use jade_scenes::night_sky::{self, NightSky};
use std::sync::atomic::{AtomicU64, Ordering};

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
fn ordered(all: &[Sharpness], shown: &[usize]) -> Order<Given> {
    let some: Vec<Sharpness> = shown.iter().map(|i| all[*i].clone()).collect();
    let numbers = shown.iter().map(|i| FrameIndex::new(*i)).collect();
    let mut found = order(&some).expect("an order is found").by(&numbers);
    let frames = found.frames.as_slice();
    if frames[0] > frames[frames.len() - 1] {
        found.reverse();
    }
    found
}

/// The numbers of frames in order.
fn numbers(order: &Order<Given>) -> Vec<usize> {
    order.frames.iter().map(|i| i.number()).collect()
}

#[test]
fn shuffled_frames_are_put_in_the_order_of_focus_and_gaps_are_found() {
    let (mut gaps, mut wrong) = (0, 0);
    for seed in 1..=10 {
        let all = measured(&sweep(12, seed));
        let found = ordered(&all, &shuffled(12, seed));
        assert_eq!(numbers(&found), (0..12).collect::<Vec<_>>(), "seed {seed}");
        wrong += found.steps.iter().filter(|step| step.is_wide() || step.is_double()).count();
        // Each frame between the ends is taken out once.
        for gone in 1..11 {
            let rest: Vec<usize> = shuffled(12, seed).into_iter().filter(|i| *i != gone).collect();
            let found = ordered(&all, &rest);
            let width: Vec<usize> = (0..10).filter(|i| found.steps[*i].is_wide()).collect();
            gaps += usize::from(width == [gone - 1]);
        }
    }
    assert!(gaps >= 95, "{gaps} of 100 gaps were pointed out");
    assert!(wrong <= 1, "{wrong} of 110 steps were doubted without a reason");
}

/// How far some frames of a sweep lie off as they are placed on the one in the middle of them, as a
/// root mean square in pixels of the reference frame.
fn off(scene: &FocusSweep, some: std::ops::Range<u32>) -> f64 {
    let shoot = Shoot::new();
    let &Options { width, height, .. } = scene.options();
    let load = |i: u32| {
        let input = shoot.save(&format!("f{i}.tif"), (width, height), &scene.frame(i));
        Frame::load(&input, &mut || Ok(())).unwrap()
    };
    let frames: Vec<Frame> = some.clone().map(load).collect();
    let lights: Vec<&dyn Light> = frames.iter().map(|frame| frame as &dyn Light).collect();
    let sharpness: Vec<Sharpness> =
        lights.iter().map(|light| Sharpness::of(*light, &|| false).unwrap()).collect();
    let placed = place(&lights, &sharpness, &Unwatched).unwrap();
    assert!(!comes_nearer(&placed));
    let middle = placed.len() / 2;
    let reference = some.start + middle as u32;
    let mut squares = vec![];
    for (index, placed) in some.zip(placed_on(placed, middle)) {
        let motion = placed.motion.as_ref().expect("it is placed");
        squares.extend(motion.grid(width, height, 9, 7).iter().map(|[x, y, to_x, to_y]| {
            let truth = scene.to_reference(index, [*x, *y]);
            let found = scene.to_reference(reference, [*to_x, *to_y]);
            (found[0] - truth[0]).powi(2) + (found[1] - truth[1]).powi(2)
        }));
    }
    (squares.iter().sum::<f64>() / squares.len() as f64).sqrt()
}

#[test]
fn frames_of_a_lens_that_breathes_are_placed_to_fractions_of_a_pixel() {
    for seed in 31..33 {
        let off = off(&sweep(16, seed), 0..16);
        assert!(off < 0.08, "seed {seed}: {off:.3} px rms");
    }
}

#[test]
fn what_the_focus_never_came_to_does_not_tell_where_frames_lie() {
    // What is blurred seems to move as its blur grows: most of the picture here, and by pixels.
    let options = Options { frames: 24, width: 1200, height: 800, seed: 35, deflate: false };
    let scene = FocusSweep::new(options).unwrap();
    for some in [1..6, 18..23] {
        let off = off(&scene, some.clone());
        assert!(off < 0.05, "{some:?}: {off:.3} px rms");
    }
}

/// Merges frames of a sweep; light in the reference frame's place, and what is told of it.
fn merged(shoot: &Shoot, inputs: &[FrameInput], way: MergeMethod) -> (Vec<f32>, Outcome) {
    let mut plan = Plan::of(Kind::FocusSweep);
    (plan.focus.way, plan.combine.edges) = (way, Edges::Fill);
    let merged = shoot.stack(inputs, &plan).unwrap();
    assert_eq!((merged.report.origin, merged.report.size), ([0, 0], SIZE.into()));
    (pixels(&merged).1, merged)
}

/// Peak signal to noise of pictures as they are seen, in dB, away from their edges.
fn psnr(light: &[f32], truth: &[f32]) -> f64 {
    let (width, height) = (SIZE.0 as usize, SIZE.1 as usize);
    let inside = |i: &usize| {
        let (x, y) = (i / 3 % width, i / 3 / width);
        (16..width - 16).contains(&x) && (16..height - 16).contains(&y)
    };
    let seen = |v: f32| f64::from(v.max(0.0)).powf(1.0 / 2.2);
    let places: Vec<usize> = (0..light.len()).filter(inside).collect();
    let squares = places.iter().map(|&i| (seen(light[i]) - seen(truth[i])).powi(2));
    -10.0 * (squares.sum::<f64>() / places.len() as f64).log10()
}

#[test]
fn a_merged_sweep_is_nearer_to_the_truth_than_any_plain_choice_of_frames() {
    for seed in 41..43 {
        let scene = sweep(10, seed);
        let shoot = Shoot::new();
        let inputs: Vec<FrameInput> = shuffled(10, seed)
            .into_iter()
            .map(|i| shoot.save(&format!("{seed}-{i}.tif"), SIZE, &scene.frame(i as u32)))
            .collect();
        let truth = linear(&scene.sharp());
        let single = inputs.iter().map(|input| psnr(&light(input), &truth)).fold(0.0, f64::max);
        let (fine, outcome) = merged(&shoot, &inputs, MergeMethod::Pyramid);
        let (smooth, _) = merged(&shoot, &inputs, MergeMethod::DepthMap);
        let [fine, smooth] = [fine, smooth].map(|light| psnr(&light, &truth));
        println!("seed {seed}: {single:.2}, {smooth:.2}, {fine:.2} dB");
        assert!(smooth > single + 5.0 && fine > smooth, "{single}, {smooth}, {fine} dB");
        // The depth map, in frames from the nearest on.
        let sweep = outcome.report.focus().unwrap();
        let names: Vec<String> = (0..10).map(|i| format!("{seed}-{i}.tif")).collect();
        assert_eq!(sweep.order, names, "from near to far");
        let sum: f32 = sweep.shares.iter().sum();
        assert!((sum - sweep.known).abs() < 1e-3, "{sum} of {}", sweep.known);
        let sharp = sweep.shares.iter().filter(|share| **share > 0.002).count();
        assert!(sharp >= 7, "{:?}", sweep.shares);
        let map = TiledFile::<u16>::open(&shoot.cache().map(&outcome.key, MapKind::Depth)).unwrap();
        let whole = Region { x: 0, y: 0, width: SIZE.0, height: SIZE.1 };
        let map = map.read_region(whole).unwrap();
        let depth = scene.depth();
        let mut off: Vec<f32> = map
            .iter()
            .zip(&depth)
            .filter(|(code, depth)| **code != u16::MAX && depth.is_finite())
            .map(|(code, depth)| (f32::from(*code) / 65_534.0 * 9.0 - depth).abs())
            .collect();
        assert!(off.len() * 3 > depth.len(), "{} of {} places are told", off.len(), depth.len());
        off.sort_by(f32::total_cmp);
        assert!(off[off.len() / 2] < 0.4, "half of the places are off by {}", off[off.len() / 2]);
        assert!(outcome.report.frames.iter().all(|frame| frame.used && frame.level.is_none()));
        assert_eq!(sweep.between, 0.0, "no plane is missing");
        // A repeated plan gives what is there.
        let (again, same) = merged(&shoot, &inputs, MergeMethod::DepthMap);
        assert!(psnr(&again, &truth) == smooth && same.report.focus() == outcome.report.focus());
    }
}

/// A stroke of a brush of 12 pixels along a row.
fn patch(from: PatchFrom, x: f32, y: f32, soft: f32) -> Patch {
    Patch { from, points: vec![[x, y, 12.0], [x + 60.0, y, 12.0]], soft }
}

#[test]
fn patches_put_pixels_of_frames_and_of_the_other_way_where_they_are_painted_alone() {
    let scene = sweep(6, 44);
    let shoot = Shoot::new();
    let inputs: Vec<FrameInput> =
        (0..6).map(|i| shoot.save(&format!("f{i}.tif"), SIZE, &scene.frame(i))).collect();
    let (fine, outcome) = merged(&shoot, &inputs, MergeMethod::Pyramid);
    let (smooth, _) = merged(&shoot, &inputs, MergeMethod::DepthMap);
    // The first frame as it lies on the reference frame.
    let motion = outcome.report.frames[0].motion.as_ref().unwrap();
    let frame = Frame::load(&inputs[0], &mut || Ok(())).unwrap();
    let aside = shoot.path("placed.tiles");
    jade_engine::place(&frame, motion, &aside).unwrap();
    let whole = Region { x: 0, y: 0, width: SIZE.0, height: SIZE.1 };
    let placed = TiledFile::<f32>::open(&aside).unwrap().read_region(whole).unwrap();

    let mut plan = Plan::of(Kind::FocusSweep);
    plan.combine.edges = Edges::Fill;
    let of_frame = || PatchFrom::Frame { blake3: inputs[0].id.clone() };
    plan.focus.patches = vec![
        patch(of_frame(), 100.0, 60.0, 0.5),
        patch(PatchFrom::Way { way: MergeMethod::DepthMap }, 300.0, 200.0, 0.0),
        patch(of_frame(), 100.0, 320.0, 0.5),
        patch(PatchFrom::Way { way: MergeMethod::Pyramid }, 100.0, 320.0, 0.0),
        patch(PatchFrom::Frame { blake3: "gone".into() }, 400.0, 300.0, 0.5),
    ];
    let done = shoot.stack(&inputs, &plan).unwrap();
    let painted = pixels(&done).1;
    let at = |light: &[f32], x: usize, y: usize| -> [f32; 3] {
        let from = 3 * (y * SIZE.0 as usize + x);
        light[from..from + 3].try_into().unwrap()
    };
    for x in [100, 130, 160] {
        let off = |c: usize| (at(&painted, x, 60)[c] - at(&placed, x, 60)[c]).abs();
        assert!((0..3).all(|c| off(c) < 1e-6), "the frame's own pixels");
        assert_eq!(at(&painted, x + 200, 200), at(&smooth, x + 200, 200), "those of the other way");
        assert_eq!(at(&painted, x, 320), at(&fine, x, 320), "wiped out again");
        // The brush fades out between the two.
        for (c, value) in at(&painted, x, 69).into_iter().enumerate() {
            let ends = [at(&placed, x, 69)[c], at(&fine, x, 69)[c]];
            assert!((ends[0].min(ends[1])..=ends[0].max(ends[1])).contains(&value));
        }
    }
    let (width, touched) = (SIZE.0 as usize, |x: usize, y: usize| {
        let rows = [(60, 100), (200, 300), (320, 100)];
        rows.iter().any(|(row, left)| y.abs_diff(*row) <= 13 && (left - 13..left + 74).contains(&x))
    });
    let elsewhere = (0..painted.len()).filter(|i| !touched(i / 3 % width, i / 3 / width));
    assert!(elsewhere.clone().count() > painted.len() / 2);
    assert!(elsewhere.into_iter().all(|i| painted[i] == fine[i]), "the rest is as it was");
    let doubts = &done.report.focus().unwrap().doubts;
    let left_out = doubts.iter().filter(|doubt| doubt.contains("left out")).count();
    assert!(left_out == 1 && doubts.iter().any(|doubt| doubt.contains("not in this run")));
    // What was merged is kept beside it, with its maps, and a repeated plan makes nothing anew.
    let kept = done.layer(&shoot.cache(), LayerKind::Merged);
    assert_eq!(TiledFile::<f32>::open(&kept).unwrap().read_region(whole).unwrap(), fine);
    assert_eq!(done.combined, outcome.key);
    let again = shoot.stack(&inputs, &plan).unwrap();
    assert_eq!((&again.key, again.report.focus()), (&done.key, done.report.focus()));
}

/// A frame with something dark and round in it, out of focus by a few pixels.
fn crossed(codes: &[u16], [x, y]: [f32; 2], radius: f32) -> Vec<u16> {
    let share = |pixel: usize| {
        let (dx, dy) = ((pixel as u32 % SIZE.0) as f32 - x, (pixel as u32 / SIZE.0) as f32 - y);
        ((radius + 2.0 - dx.hypot(dy)) / 4.0).clamp(0.0, 1.0)
    };
    let dark = |(i, code): (usize, &u16)| {
        (f32::from(*code) * (1.0 - share(i / 3)) + 9_000.0 * share(i / 3)) as u16
    };
    codes.iter().enumerate().map(dark).collect()
}

#[test]
fn a_frame_in_which_something_moved_and_a_bump_are_told_before_merging() {
    for seed in 52..54 {
        let scene = sweep(9, seed);
        let shoot = Shoot::new();
        let mut inputs: Vec<FrameInput> =
            (0..9).map(|i| shoot.save(&format!("f{i}.tif"), SIZE, &scene.frame(i))).collect();
        let merged = shoot.look_over(&inputs);
        assert_eq!(
            (merged.moved.len(), merged.doubts.as_slice()),
            (0, [].as_slice()),
            "seed {seed}"
        );
        assert_eq!(merged.order.len(), 9);
        let sum: f32 = merged.shares.iter().sum();
        assert!((sum - merged.known).abs() < 1e-3);

        // Something moves by a tenth of the picture and stays there.
        let after = 3 + seed as usize % 3;
        let lies = |i: usize| [if i < after { 340.0 } else { 400.0 }, 240.0];
        let stays: Vec<FrameInput> = (0..9)
            .map(|i| {
                let codes = crossed(&scene.frame(i as u32), lies(i), 16.0);
                shoot.save(&format!("s{i}.tif"), SIZE, &codes)
            })
            .collect();
        let merged = shoot.look_over(&stays);
        assert_eq!(merged.moved.len(), 1, "seed {seed}: {:?}", merged.moved);
        assert_eq!(merged.moved[0].file, stays[after].name);
        let [u, v] = merged.moved[0].at;
        let near =
            [lies(0), lies(8)].map(|[x, y]| (u - f64::from(x)).hypot(v - f64::from(y)) < 12.0);
        assert!(near.contains(&true), "seed {seed}: {:?}", merged.moved);
        assert!(
            merged
                .doubts
                .iter()
                .any(|doubt| doubt.contains(&stays[after - 1].name)
                    && doubt.contains("stayed there"))
        );

        // Something crosses one frame, and from another one on the camera stands elsewhere.
        let which = 2 + seed as usize % 5;
        let at = [150.0 + 40.0 * which as f32, 260.0];
        let codes = crossed(&scene.frame(which as u32), at, 16.0);
        inputs[which] = shoot.save(&format!("moved{which}.tif"), SIZE, &codes);
        let after = if which < 5 { 7 } else { 3 };
        for (i, input) in inputs.iter_mut().enumerate().skip(after) {
            let frame = if i == which { codes.clone() } else { scene.frame(i as u32) };
            // By ten pixels to the right; the edge goes on.
            let width = SIZE.0 as usize;
            let from = |k: usize| 3 * (k / width * width + (k % width).saturating_sub(10));
            let moved = (0..frame.len() / 3).flat_map(|k| frame[from(k)..from(k) + 3].to_vec());
            *input = shoot.save(&format!("b{i}.tif"), SIZE, &moved.collect::<Vec<_>>());
        }
        let merged = shoot.look_over(&inputs);
        assert_eq!(merged.moved.len(), 1, "seed {seed}: {:?}", merged.moved);
        assert_eq!(merged.moved[0].file, inputs[which].name);
        let radius = merged.moved[0].radius_px;
        assert!((10.0..40.0).contains(&radius), "seed {seed}: {radius}");
        let bump = merged.doubts.iter().filter(|doubt| doubt.contains("camera moved"));
        let bump: Vec<&String> = bump.collect();
        let named = |i: usize| bump[0].contains(&inputs[i].name);
        assert!(bump.len() == 1 && named(after - 1) && named(after), "seed {seed}: {bump:?}");
    }
}

#[test]
fn a_frame_exposed_otherwise_is_levelled_and_one_of_something_else_left_out() {
    let scene = sweep(8, 43);
    let shoot = Shoot::new();
    let mut inputs: Vec<FrameInput> = (0..8)
        .map(|i| {
            // One frame has half the light, and the first one less.
            let share = [0.75, 1.0, 1.0, 1.0, 1.0, 0.5, 1.0, 1.0][i as usize];
            let samples = linear(&scene.frame(i)).into_iter().map(|v| v * share);
            let srgb = Encoding::srgb();
            let codes: Vec<u16> = samples.enumerate().map(|(k, v)| srgb.encode(k % 3, v)).collect();
            shoot.save(&format!("f{i}.tif"), SIZE, &codes)
        })
        .collect();
    let truth = linear(&scene.sharp());
    let (levelled, outcome) = merged(&shoot, &inputs, MergeMethod::Pyramid);
    let gains: Vec<f32> = outcome
        .report
        .frames
        .iter()
        .map(|frame| frame.level.map_or(1.0, |level| level[0]))
        .collect();
    assert!((gains[5] - 2.0).abs() < 0.06, "{gains:?}");
    assert!(outcome.report.frames.iter().all(|frame| frame.used));
    assert!(psnr(&levelled, &truth) > 33.0, "{} dB", psnr(&levelled, &truth));
    let (width, height) = SIZE;
    let yard = kiln_yard::Options { frames: 1, width, height, seed: 3, deflate: false };
    let other = KilnYard::new(yard).unwrap();
    inputs.push(shoot.save("other.tif", SIZE, &other.frame(0)));
    let (_, outcome) = merged(&shoot, &inputs, MergeMethod::Pyramid);
    let out: Vec<_> = outcome.report.frames.iter().filter(|frame| !frame.used).collect();
    assert!(out.len() == 1 && out[0].file == "other.tif" && out[0].reason.is_some(), "{out:?}");
}

/// Says stop once so many steps are done.
struct StopAfter(AtomicU64);

impl Watch for StopAfter {
    fn begin(&self, _: Stage, _: u64) {}
    fn advance(&self, steps: u64) {
        self.0.fetch_sub(steps, Ordering::Relaxed);
    }
    fn cancelled(&self) -> bool {
        self.0.load(Ordering::Relaxed) == 0
    }
}

#[test]
fn a_moving_view_stops_at_any_frame_and_leaves_nothing() {
    let scene = sweep(5, 47);
    let shoot = Shoot::new();
    let inputs: Vec<FrameInput> =
        (0..5).map(|i| shoot.save(&format!("f{i}.tif"), SIZE, &scene.frame(i))).collect();
    let (_, outcome) = merged(&shoot, &inputs, MergeMethod::DepthMap);
    let budget = Budget::new(Some(256), Some(2)).unwrap();
    let path = shoot.path("moving.png");
    let write = |watch: &dyn Watch| {
        engine::moving(&inputs, &outcome.report, &path, &shoot.cache(), budget, watch)
    };
    // Five frames are read and eight are written.
    for steps in [1, 4, 6, 12] {
        let watch = StopAfter(AtomicU64::new(steps));
        assert!(matches!(write(&watch), Err(CoreError::Cancelled)), "after {steps} steps");
        assert_eq!(watch.0.into_inner(), 0, "nothing is done after it was stopped");
        let left = std::fs::read_dir(shoot.folder.path()).unwrap().flatten();
        assert!(
            left.into_iter().all(|file| !file.file_name().to_string_lossy().contains("moving"))
        );
    }
    write(&Unwatched).unwrap();
    assert!(path.exists());
}

/// Codes that look like noise, from none on.
fn noise(seed: u64, most: u16) -> Vec<u16> {
    let mut state = seed;
    let mut next = || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        (((state >> 33) * u64::from(most)) >> 31) as u16
    };
    (0..3 * SIZE.0 * SIZE.1).map(|_| next()).collect()
}

#[test]
fn frames_of_quite_another_kind_are_left_out_by_name() {
    let (width, height) = SIZE;
    let options = night_sky::Options { frames: 1, width, height, seed: 3, ..Default::default() };
    for (seed, name, codes) in [
        (44, "sky.tif", NightSky::new(options).unwrap().frame(0)),
        (45, "cap.tif", noise(4, 900)),
        (46, "white.tif", vec![65_535; (3 * width * height) as usize]),
    ] {
        let scene = sweep(9, seed);
        let shoot = Shoot::new();
        let mut inputs: Vec<FrameInput> =
            (0..9).map(|i| shoot.save(&format!("f{i}.tif"), SIZE, &scene.frame(i))).collect();
        inputs.insert(4, shoot.save(name, SIZE, &codes));
        let merged = shoot.look_over(&inputs);
        let out: Vec<_> = merged.doubts.iter().filter(|doubt| doubt.contains("left out")).collect();
        assert!(out.len() == 1 && out[0].starts_with(name), "{name}: {out:?}");
        let rest = merged.order.iter().filter(|file| *file != name);
        let right: Vec<_> = (0..9).map(|i| format!("f{i}.tif")).collect();
        assert!(rest.eq(&right), "{name}: {:?}", merged.order);
    }
}

#[test]
fn frames_whose_noise_was_compressed_away_are_put_in_order_and_told_as_others() {
    let scene = sweep(12, 48);
    let shoot = Shoot::new();
    let tiff: Vec<FrameInput> =
        (0..12).map(|i| shoot.save(&format!("f{i}.tif"), SIZE, &scene.frame(i))).collect();
    let merged = shoot.look_over(&tiff).known;
    for quality in [90, 75, 50] {
        let inputs: Vec<FrameInput> = shuffled(12, 5)
            .into_iter()
            .map(|i| {
                let name = format!("{quality}-{i:02}.jpg");
                shoot.save_as(Target::Jpeg { quality }, &name, SIZE, &scene.frame(i as u32))
            })
            .collect();
        let found = shoot.look_over(&inputs);
        assert_eq!(found.doubts, Vec::<String>::new(), "quality {quality}");
        assert!(found.order.is_sorted(), "quality {quality}: {:?}", found.order);
        // What is left of the noise on the smooth backdrop is no detail.
        assert!(
            (found.known - merged).abs() < 0.05,
            "quality {quality}: {}, {merged}",
            found.known
        );
    }
}

#[test]
fn places_where_a_plane_is_missing_are_told_apart_from_smooth_ones() {
    for seed in 61..63 {
        let scene = sweep(12, seed);
        let shoot = Shoot::new();
        // Two planes side by side are missing.
        let inputs: Vec<FrameInput> = (0..12)
            .filter(|i| ![5, 6].contains(i))
            .map(|i| shoot.save(&format!("{seed}-{i}.tif"), SIZE, &scene.frame(i)))
            .collect();
        let (_, outcome) = merged(&shoot, &inputs, MergeMethod::Pyramid);
        let path = shoot.cache().map(&outcome.key, MapKind::Certainty);
        let whole = Region { x: 0, y: 0, width: SIZE.0, height: SIZE.1 };
        let map = TiledFile::<u16>::open(&path).unwrap().read_region(whole).unwrap();
        let depth = scene.depth();
        let places = || map.iter().zip(&depth);
        // Cells reach over the edges of what stands before the backdrop.
        let marked = || places().filter(|(code, depth)| **code == BETWEEN && depth.is_finite());
        let right = marked().filter(|(_, depth)| (4.0..=7.0).contains(*depth)).count();
        let missing = places().filter(|(_, depth)| (5.0..=6.0).contains(*depth));
        let found = missing.clone().filter(|(code, _)| **code == BETWEEN).count();
        println!(
            "seed {seed}: {right} of {} right, {found} of {}",
            marked().count(),
            missing.clone().count()
        );
        assert!(right * 10 >= marked().count() * 8, "{right} of {}", marked().count());
        assert!(found * 10 >= missing.clone().count() * 8, "{found} of {}", missing.count());
        let share = map.iter().filter(|code| **code == BETWEEN).count() as f32 / map.len() as f32;
        let between = outcome.report.focus().unwrap().between;
        assert!((between - share).abs() < 0.03 && between > 0.02, "{between}, {share}");
        // The backdrop is smooth: nothing is certain there.
        let smooth = places().filter(|(_, depth)| depth.is_infinite()).map(|(code, _)| *code);
        let mut smooth: Vec<u16> = smooth.collect();
        smooth.sort_unstable();
        assert!(smooth[smooth.len() / 2] < 20_000, "{}", smooth[smooth.len() / 2]);
    }
}

#[test]
fn a_frame_that_is_there_twice_is_pointed_out() {
    for seed in 21..23 {
        let all = measured(&sweep(8, seed));
        let found = ordered(&all, &[3, 6, 1, 5, 0, 7, 2, 4, 6]);
        assert_eq!(numbers(&found), [0, 1, 2, 3, 4, 5, 6, 6, 7]);
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
    let grid = Grid { step: 2, across: 3, down: 2 };
    let other = Sharpness { grid, cells: vec![1.0; 6], light: vec![0.2; 6] };
    assert_eq!(order(&[all[0].clone(), all[1].clone(), other]), None);
}
