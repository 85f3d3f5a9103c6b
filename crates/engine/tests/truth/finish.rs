//! The sky of combined pictures finished, and the ground left as it is.

use crate::shoot::joined::noise;
use crate::shoot::{Shoot, linear, pixels, plan};
use jade_engine::Outcome;
use jade_frames::FrameInput;
use jade_frames::cache::{Cache, LayerKind};
use jade_pixels::tiled::{Region, TiledFile};
use jade_plan::progress::{Stage, Watch};
use jade_plan::{AlignMode, CoreError, Edges, FinishPlan, Method, Plan, SkylineMode};
use jade_scenes::night_sky::{Land, NightSky, Options};
use std::sync::Mutex;

const REFERENCE: usize = 3;

fn scene(land: Land, seed: u64) -> NightSky {
    let options = Options { frames: 6, darks: 0, width: 900, height: 600, seed, deflate: false };
    NightSky::over(land, options, None).unwrap()
}

fn auto(finish: FinishPlan) -> Plan {
    let mut plan = plan(AlignMode::Stars, Method::Clipped, Edges::Keep);
    plan.skyline.mode = SkylineMode::Auto;
    plan.finish = finish;
    plan
}

const BOTH: FinishPlan = FinishPlan { glow: 1.0, smoothing: 1.0 };

/// Notes which stages begin.
#[derive(Default)]
struct Begun(Mutex<Vec<Stage>>);

impl Watch for Begun {
    fn begin(&self, stage: Stage, _: u64) {
        self.0.lock().unwrap().push(stage);
    }
    fn advance(&self, _: u64) {}
    fn cancelled(&self) -> bool {
        false
    }
}

fn watched(shoot: &Shoot, frames: &[FrameInput], plan: &Plan) -> Vec<Stage> {
    let begun = Begun::default();
    shoot.stack_into(&shoot.cache(), frames, Some(REFERENCE), plan, false, &begun).unwrap();
    begun.0.into_inner().unwrap()
}

#[test]
fn the_sky_is_evened_and_smoothed_and_the_ground_stays() {
    for (land, seed) in [(Land::Hills, 5), (Land::Branches, 8)] {
        let (shoot, scene) = (Shoot::new(), scene(land, seed));
        let frames = shoot.hold(&scene);
        let made = |finish| shoot.stack_on(&frames, Some(REFERENCE), &auto(finish)).unwrap();
        let (before, after) = (made(FinishPlan::default()), made(BOTH));
        assert!(before.report.finish().is_none() && before.key == before.combined);
        assert!(after.key != before.key && after.combined == before.combined);
        let mask = shoot.mask_of(&before);
        let ((_, was), (width, is)) = (pixels(&before), pixels(&after));
        for (i, share) in mask.iter().enumerate().filter(|(_, share)| **share == 0) {
            assert_eq!(was[3 * i..3 * i + 3], is[3 * i..3 * i + 3], "{share} at {i}");
        }
        // Rows near the horizon were the brightest, by far.
        let level = |light: &[f32], rows: std::ops::Range<usize>| {
            let places = (rows.start * width..rows.end * width).filter(|i| mask[*i] == 255);
            let mut all: Vec<f32> = places.map(|i| light[3 * i]).collect();
            all.sort_by(f32::total_cmp);
            all[all.len() / 2]
        };
        let low = 600 * (mask.iter().filter(|share| **share == 255).count() / width) / 600 - 60;
        let ratio = |light: &[f32]| level(light, low..low + 30) / level(light, 20..50);
        assert!(ratio(&was) > 1.3 && ratio(&is) < 1.1, "{} {}", ratio(&was), ratio(&is));
        let [said, left] = after.report.finish().unwrap().uneven.unwrap();
        assert!(said > 0.5 && left < 0.7 * said, "{said} {left}");
        // The picture changed as the sky's layer, by its share.
        let layer = |made: &Outcome| {
            let file = TiledFile::<f32>::open(&made.layer(&shoot.cache(), LayerKind::Sky)).unwrap();
            let whole = Region { x: 0, y: 0, width: file.width(), height: file.height() };
            file.read_region(whole).unwrap()
        };
        let (sky_was, sky_is) = (layer(&before), layer(&after));
        for i in (0..is.len()).filter(|i| is[*i] > 0.0) {
            let share = f32::from(mask[i / 3]) / 255.0;
            let off = is[i] - was[i] - share * (sky_is[i] - sky_was[i]);
            assert!(off.abs() < 1e-3, "{off} at {}", i / 3);
        }
    }
}

#[test]
fn smoothing_takes_noise_and_leaves_stars_their_light() {
    let (shoot, scene) = (Shoot::new(), scene(Land::Hills, 6));
    let frames = shoot.hold(&scene);
    let smooth = FinishPlan { glow: 0.0, smoothing: 1.0 };
    let made = |finish| shoot.stack_on(&frames, Some(REFERENCE), &auto(finish)).unwrap();
    let (before, after) = (made(FinishPlan::default()), made(smooth));
    let (truth, sky) = (linear(&scene.clean_reference()), scene.sky_mask());
    let ((_, was), (_, is)) = (pixels(&before), pixels(&after));
    let of = |light: &[f32]| noise(light, &truth, |i| sky[i] >= 1.0);
    assert!(of(&is) < 0.7 * of(&was), "{} of {}", of(&is), of(&was));
    let [was_told, is_told] = after.report.finish().unwrap().noise.unwrap();
    assert!(is_told < 0.6 * was_told, "{is_told} of {was_told}");
    // Where the truth has a star far above the noise, nothing changed.
    let stars: Vec<usize> =
        (0..sky.len()).filter(|i| sky[*i] >= 1.0 && truth[3 * i + 1] > truth[1] + 0.15).collect();
    assert!(stars.len() > 100);
    let changed = stars.iter().filter(|i| was[3 * **i + 1] != is[3 * **i + 1]).count();
    assert!(changed * 50 < stars.len(), "{changed} of {}", stars.len());
}

#[test]
fn only_finishing_is_run_again_and_without_a_skyline_all_is_sky() {
    let (shoot, scene) = (Shoot::new(), scene(Land::Hills, 7));
    let frames = shoot.hold(&scene);
    let mut plan = plan(AlignMode::Stars, Method::Mean, Edges::Trim);
    assert_eq!(watched(&shoot, &frames, &plan), [Stage::Frames, Stage::Align, Stage::Combine]);
    plan.finish.smoothing = 0.5;
    assert_eq!(watched(&shoot, &frames, &plan), [Stage::Finish]);
    assert!(watched(&shoot, &frames, &plan).is_empty());
    let kept = shoot.stack_on(&frames, Some(REFERENCE), &plan).unwrap();
    assert!(!kept.layer(&shoot.cache(), LayerKind::Sky).exists());
    // Frames that are not decoded beforehand give the same picture.
    let apart = Cache::at(&shoot.path("apart"));
    let begun = Begun::default();
    let streamed = shoot.stack_into(&apart, &frames, Some(REFERENCE), &plan, true, &begun).unwrap();
    assert!(pixels(&streamed) == pixels(&kept));
    assert_eq!(begun.0.into_inner().unwrap().last(), Some(&Stage::Finish));
}

#[test]
fn a_sky_too_small_to_be_told_is_refused() {
    let shoot = Shoot::new();
    let grey = vec![9000u16; 60 * 50 * 3];
    let frames: Vec<_> =
        (0..3).map(|i| shoot.save(&format!("s{i}.tif"), (60, 50), &grey)).collect();
    let mut plan = plan(AlignMode::None, Method::Mean, Edges::Trim);
    plan.finish.glow = 0.5;
    match shoot.stack_on(&frames, None, &plan) {
        Err(CoreError::Frames(why)) => assert!(why.contains("set sky glow to 0"), "{why}"),
        other => panic!("{:?}", other.map(|made| made.report.size)),
    }
    plan.finish = FinishPlan { glow: 0.0, smoothing: 0.5 };
    let refused = shoot.stack_on(&frames, None, &plan).map(|_| ()).unwrap_err().to_string();
    assert!(refused.contains("set sky smoothing to 0"), "{refused}");
}
