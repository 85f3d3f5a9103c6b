//! Combining without scratch gives what combining through scratch gives.

use crate::shoot::{Shoot, pixels, plan};
use jade_engine as engine;
use jade_engine::{Budget, Outcome, Request, SkylineInputs};
use jade_frames::FrameInput;
use jade_frames::cache::Cache;
use jade_pixels::colour::Encoding;
use jade_plan::progress::Unwatched;
use jade_plan::{AlignMode, Edges, Method, Plan};
use jade_scenes::{kiln_yard, night_sky};

const SIZE: (u32, u32) = (420, 300);

fn sky(shoot: &Shoot, frames: u32, name: &str) -> Vec<FrameInput> {
    let (width, height) = SIZE;
    let options = night_sky::Options { frames, darks: 0, width, height, seed: 51, deflate: false };
    let scene = night_sky::NightSky::new(options).unwrap();
    (0..frames).map(|i| shoot.save(&format!("{name}{i}.tif"), SIZE, &scene.frame(i))).collect()
}

fn yard(shoot: &Shoot, frames: u32) -> Vec<FrameInput> {
    let (width, height) = SIZE;
    let options = kiln_yard::Options { frames, width, height, seed: 52, deflate: false };
    let scene = kiln_yard::KilnYard::new(options).unwrap();
    (0..frames).map(|i| shoot.save(&format!("y{i}.tif"), SIZE, &scene.frame(i))).collect()
}

/// The outcome without scratch, and how many decoded frames were put into the cache on the way.
fn streamed(shoot: &Shoot, inputs: &[FrameInput], plan: &Plan) -> (Outcome, usize) {
    let cache = Cache::at(&shoot.path("streamed"));
    let _ = std::fs::remove_dir_all(cache.folder());
    let outcome = shoot.stack_into(&cache, inputs, None, plan, true, &Unwatched).unwrap();
    (outcome, on_scratch(&cache))
}

fn on_scratch(cache: &Cache) -> usize {
    std::fs::read_dir(cache.folder().join("frames")).map_or(0, |frames| frames.count())
}

/// Picture and report are the same to the last bit.
fn assert_same(one: &Outcome, other: &Outcome, what: &str) {
    assert!(pixels(one) == pixels(other), "{what} differs");
    let report = |outcome: &Outcome| serde_json::to_value(&outcome.report).unwrap();
    let (one, other) = (report(one), report(other));
    for (key, value) in one.as_object().unwrap() {
        assert!(*value == other[key], "{what}: {key} differs");
    }
}

fn same(shoot: &Shoot, inputs: &[FrameInput], plan: &Plan) {
    let through = shoot.stack(inputs, plan).unwrap();
    let (without, scratch) = streamed(shoot, inputs, plan);
    assert_eq!(scratch, 0, "{:?} took scratch", plan.combine.method);
    assert_same(&through, &without, &format!("{:?}", plan.combine.method));
}

#[test]
fn mean_lightest_and_darkest_need_no_scratch_and_come_out_the_same() {
    let shoot = Shoot::new();
    let (sky, yard) = (sky(&shoot, 5, "s"), yard(&shoot, 4));
    for method in [Method::Mean, Method::Lightest, Method::Darkest] {
        same(&shoot, &sky, &plan(AlignMode::Stars, method, Edges::Trim));
        same(&shoot, &sky, &plan(AlignMode::None, method, Edges::Trim));
        same(&shoot, &yard, &plan(AlignMode::Scene, method, Edges::Keep));
    }
}

#[test]
fn what_needs_all_frames_together_reads_them_from_memory_or_where_they_lie() {
    let shoot = Shoot::new();
    let (packed, plain) = (sky(&shoot, 5, "packed"), sky(&shoot, 5, "plain"));
    let mut levelled = plan(AlignMode::Stars, Method::Mean, Edges::Keep);
    levelled.combine.level = true;
    for plan in [
        plan(AlignMode::Stars, Method::Median, Edges::Trim),
        plan(AlignMode::Stars, Method::Clipped, Edges::Keep),
        levelled,
    ] {
        same(&shoot, &packed, &plan);
        same(&shoot, &plain, &plan);
    }
}

#[test]
fn frames_in_memory_and_frames_on_scratch_go_together() {
    let shoot = Shoot::new();
    let mut inputs = sky(&shoot, 5, "packed");
    inputs[4] = sky(&shoot, 5, "plain").remove(4);
    let plan = plan(AlignMode::Stars, Method::Clipped, Edges::Trim);
    let cache = Cache::at(&shoot.path("mixed"));
    let some = [inputs[0].clone(), inputs[3].clone()];
    shoot.stack_into(&cache, &some, None, &plan, false, &Unwatched).unwrap();
    assert_eq!(on_scratch(&cache), 2);
    let mixed = shoot.stack_into(&cache, &inputs, None, &plan, true, &Unwatched).unwrap();
    assert_eq!(on_scratch(&cache), 2, "the others stay in memory");
    assert_same(&shoot.stack(&inputs, &plan).unwrap(), &mixed, "frames from both places");
}

#[test]
fn packed_frames_that_memory_has_no_room_for_go_to_scratch_and_plain_ones_stay_where_they_are() {
    let shoot = Shoot::new();
    // 29 MB decoded each: the second one finds no room in the least budget.
    let (width, height) = (2400, 2000);
    for (name, scratch) in [("packed", 2), ("plain", 0)] {
        let even = |i: u16| {
            let samples = vec![9000 + i; width as usize * height as usize * 3];
            shoot.save(&format!("{name}{i}.tif"), (width, height), &samples)
        };
        let inputs = [even(0), even(1), even(2)];
        let cache = Cache::at(&shoot.path(&format!("small-{name}")));
        let plan = plan(AlignMode::None, Method::Median, Edges::Keep);
        let request = Request {
            frames: &inputs,
            reference: None,
            plan: &plan,
            cache: &cache,
            budget: Budget::new(Some(128), Some(1)).unwrap(),
            stream: true,
            skyline_inputs: SkylineInputs::default(),
            watch: &Unwatched,
        };
        let outcome = engine::stack(&request).unwrap();
        assert_eq!(on_scratch(&cache), scratch, "{name}");
        assert_eq!(outcome.report.frames.iter().filter(|f| f.used).count(), 3);
        let light = Encoding::srgb().curve(0)[9001];
        assert!(pixels(&outcome).1.iter().all(|v| *v == light), "{name}");
    }
}

#[test]
fn a_frame_that_breaks_off_while_it_is_decoded_is_left_out_with_a_reason() {
    let shoot = Shoot::new();
    let mut inputs = sky(&shoot, 5, "s");
    // A file that is as long as its header says, with rubbish for packed pixels.
    let options = night_sky::Options {
        frames: 5,
        darks: 0,
        width: SIZE.0,
        height: SIZE.1,
        seed: 51,
        deflate: true,
    };
    let folder = shoot.path("packed");
    std::fs::create_dir_all(&folder).unwrap();
    night_sky::NightSky::new(options).unwrap().write(&folder, |_, _| true).unwrap();
    let mut bytes = std::fs::read(folder.join("f02.tif")).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle..middle + 4000].fill(0xff);
    std::fs::write(shoot.path("s1.tif"), bytes).unwrap();
    inputs[1] = crate::shoot::input(&shoot.path("s1.tif"));
    for mode in [AlignMode::None, AlignMode::Stars] {
        let (outcome, scratch) = streamed(&shoot, &inputs, &plan(mode, Method::Mean, Edges::Trim));
        assert_eq!(scratch, 0);
        let frame = &outcome.report.frames[1];
        let reason = frame.reason.as_deref().unwrap_or_default();
        assert!(!frame.used, "{mode:?}");
        assert!(reason.contains("s1.tif: the picture data are damaged"), "{reason}");
        assert_eq!(outcome.report.frames.iter().filter(|f| f.used).count(), 4);
    }
}
