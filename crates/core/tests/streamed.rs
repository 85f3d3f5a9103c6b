//! Combining without scratch gives what combining through scratch gives.

mod shoot;

use jade_core::cache::Cache;
use jade_core::engine::Outcome;
use jade_core::frames::FrameInput;
use jade_core::plan::{AlignMode, Edges, Method, Plan};
use jade_core::progress::Unwatched;
use jade_scenes::{kiln_yard, night_sky};
use shoot::{Shoot, pixels, plan};

const SIZE: (u32, u32) = (420, 300);

fn sky(shoot: &Shoot, frames: u32) -> Vec<FrameInput> {
    let (width, height) = SIZE;
    let options = night_sky::Options { frames, darks: 0, width, height, seed: 51, deflate: false };
    let scene = night_sky::NightSky::new(options).unwrap();
    (0..frames).map(|i| shoot.save(&format!("s{i}.tif"), SIZE, &scene.frame(i))).collect()
}

fn yard(shoot: &Shoot, frames: u32) -> Vec<FrameInput> {
    let (width, height) = SIZE;
    let options = kiln_yard::Options { frames, width, height, seed: 52, deflate: false };
    let scene = kiln_yard::KilnYard::new(options).unwrap();
    (0..frames).map(|i| shoot.save(&format!("y{i}.tif"), SIZE, &scene.frame(i))).collect()
}

/// The outcome without scratch, and whether decoded frames were put into the cache on the way.
fn streamed(shoot: &Shoot, inputs: &[FrameInput], plan: &Plan) -> (Outcome, bool) {
    let cache = Cache::at(&shoot.path("streamed"));
    let _ = std::fs::remove_dir_all(cache.folder());
    let outcome = shoot.stack_into(&cache, inputs, None, plan, true, &Unwatched).unwrap();
    (outcome, cache.folder().join("frames").exists())
}

fn same(shoot: &Shoot, inputs: &[FrameInput], plan: &Plan) {
    let through = shoot.stack(inputs, plan).unwrap();
    let (without, scratch) = streamed(shoot, inputs, plan);
    assert!(!scratch, "{:?} took scratch", plan.combine.method);
    assert!(pixels(&through) == pixels(&without), "{:?} differs", plan.combine.method);
    let report = |outcome: &Outcome| serde_json::to_value(&outcome.report).unwrap();
    let (through, without) = (report(&through), report(&without));
    for (key, value) in through.as_object().unwrap() {
        assert!(*value == without[key], "{:?}: {key} differs", plan.combine.method);
    }
}

#[test]
fn mean_lightest_and_darkest_need_no_scratch_and_come_out_the_same() {
    let shoot = Shoot::new();
    let (sky, yard) = (sky(&shoot, 5), yard(&shoot, 4));
    for method in [Method::Mean, Method::Lightest, Method::Darkest] {
        same(&shoot, &sky, &plan(AlignMode::Stars, method, Edges::Trim));
        same(&shoot, &sky, &plan(AlignMode::None, method, Edges::Trim));
        same(&shoot, &yard, &plan(AlignMode::Scene, method, Edges::Keep));
    }
}

#[test]
fn what_needs_all_frames_together_goes_through_scratch() {
    let shoot = Shoot::new();
    let inputs = sky(&shoot, 4);
    let mut levelled = plan(AlignMode::None, Method::Mean, Edges::Trim);
    levelled.combine.level = true;
    for plan in [plan(AlignMode::None, Method::Median, Edges::Trim), levelled] {
        assert!(streamed(&shoot, &inputs, &plan).1);
    }
}

#[test]
fn a_frame_that_breaks_off_while_it_is_decoded_is_left_out_with_a_reason() {
    let shoot = Shoot::new();
    let mut inputs = sky(&shoot, 5);
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
    inputs[1] = shoot::input(&shoot.path("s1.tif"));
    for mode in [AlignMode::None, AlignMode::Stars] {
        let (outcome, scratch) = streamed(&shoot, &inputs, &plan(mode, Method::Mean, Edges::Trim));
        assert!(!scratch);
        let frame = &outcome.report.frames[1];
        let reason = frame.reason.as_deref().unwrap_or_default();
        assert!(!frame.used, "{mode:?}");
        assert!(reason.contains("s1.tif: the picture data are damaged"), "{reason}");
        assert_eq!(outcome.report.frames.iter().filter(|f| f.used).count(), 4);
    }
}
