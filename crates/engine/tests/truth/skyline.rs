//! Sky and ground told apart in simulated scenes of many kinds, against their written truth.

use crate::shoot::Shoot;
use crate::shoot::strokes::next_stroke;
use crate::shoot::truth::overlap;
use jade_combine::mask::Mask;
use jade_engine as engine;
use jade_engine::{Budget, Request, SkylineInputs};
use jade_frames::{Frame, FrameInput};
use jade_optics::motion::Motion;
use jade_plan::FrameIndex;
use jade_plan::progress::{Stage, Unwatched, Watch};
use jade_plan::{AlignMode, CoreError, Kind, Paint, Plan, Stroke};
use jade_scenes::night_sky::{Land, NightSky, Options};
use jade_skyline::{Live, Skyline, View};

const SIZE: (u32, u32) = (1200, 800);

fn scene(land: Land, frames: u32, seed: u64) -> NightSky {
    let (width, height) = SIZE;
    let options = Options { frames, darks: 0, width, height, seed, deflate: false };
    NightSky::over(land, options, None).unwrap()
}

fn find(
    shoot: &Shoot,
    frames: &[FrameInput],
    plan: &Plan,
    watch: &dyn Watch,
) -> Result<Mask, CoreError> {
    let found = engine::skyline(&Request {
        frames,
        reference: Some(FrameIndex::new(frames.len() / 2)),
        plan,
        cache: &shoot.cache(),
        budget: Budget::new(Some(256), Some(2)).unwrap(),
        stream: true,
        skyline_inputs: SkylineInputs::default(),
        watch,
    })?;
    found.skyline.mask(&found.sights.views(), &|| watch.cancelled())
}

#[test]
fn sky_and_ground_of_many_lands_are_told_apart() {
    let mut all = Vec::new();
    for land in Land::ALL {
        let (shoot, scene) = (Shoot::new(), scene(land, 6, 2));
        let frames = shoot.hold(&scene);
        let found = find(&shoot, &frames, &Plan::of(Kind::NightSky), &Unwatched).unwrap();
        let iou = overlap(found.shares(), scene.sky_mask());
        assert!(iou > 0.97, "{}: {iou:.4}", land.name());
        all.push(iou);
    }
    all.sort_by(f64::total_cmp);
    assert!(all[all.len() / 2] > 0.99, "{all:.4?}");
}

#[test]
fn a_cloud_bank_over_dark_hills_stays_sky() {
    let (shoot, scene) = (Shoot::new(), scene(Land::Clouds, 6, 10));
    let frames = shoot.hold(&scene);
    let found = find(&shoot, &frames, &Plan::of(Kind::NightSky), &Unwatched).unwrap();
    let iou = overlap(found.shares(), scene.sky_mask());
    assert!(iou > 0.97, "{iou:.4}");
}

#[test]
fn a_single_frame_gives_a_fair_mask() {
    for land in [Land::Hills, Land::Roofs, Land::Pylon, Land::Dark] {
        let (shoot, scene) = (Shoot::new(), scene(land, 2, 4));
        let frames = shoot.hold(&scene);
        let found = find(&shoot, &frames[1..], &Plan::of(Kind::NightSky), &Unwatched).unwrap();
        let iou = overlap(found.shares(), scene.sky_mask());
        assert!(iou > 0.95, "{}: {iou:.4}", land.name());
    }
}

#[test]
fn what_cannot_be_told_apart_is_refused_with_a_way_on() {
    let shoot = Shoot::new();
    let frames = shoot.hold(&scene(Land::Hills, 2, 3));
    fn refusal<T>(result: Result<T, CoreError>) -> String {
        result.err().unwrap().to_string()
    }
    let lights: Vec<Frame> =
        frames.iter().map(|frame| Frame::load(frame, &mut || Ok(())).unwrap()).collect();
    let shift = |by: f64| {
        let mut shift = nalgebra::Matrix3::identity();
        shift[(0, 2)] = by;
        Motion::Homography(shift)
    };
    let of = |by: f64| {
        let motions = [Motion::Still, shift(by)];
        let views: Vec<View> = lights
            .iter()
            .zip(&motions)
            .map(|(light, motion)| View { light, motion, lights: &[] })
            .collect();
        refusal(Skyline::find(&views, &|| false))
    };
    let still = of(1.2);
    assert!(still.contains("moves by 1.2 pixels") && still.contains("longer time"), "{still}");
    let dark = of(9.0);
    assert!(dark.contains("No stars are seen") && dark.contains("without a skyline"), "{dark}");
    let mut plan = Plan::of(Kind::NightSky);
    plan.align.mode = AlignMode::None;
    let unaligned = refusal(find(&shoot, &frames, &plan, &Unwatched));
    assert!(unaligned.contains("aligned on the stars"), "{unaligned}");
}

/// Stops as soon as the frames are aligned.
struct Stopped(std::sync::atomic::AtomicBool);

impl Watch for Stopped {
    fn begin(&self, stage: Stage, _: u64) {
        self.0.fetch_or(stage == Stage::Align, std::sync::atomic::Ordering::Relaxed);
    }
    fn advance(&self, _: u64) {}
    fn cancelled(&self) -> bool {
        self.0.load(std::sync::atomic::Ordering::Relaxed)
    }
}

#[test]
fn finding_it_can_be_stopped() {
    let shoot = Shoot::new();
    let frames = shoot.hold(&scene(Land::Hills, 3, 4));
    let watch = Stopped(false.into());
    let stopped = find(&shoot, &frames, &Plan::of(Kind::NightSky), &watch);
    assert!(matches!(stopped, Err(CoreError::Cancelled)));
}

#[test]
fn three_strokes_mend_what_is_wrong_and_can_be_taken_back() {
    let (shoot, scene) = (Shoot::new(), scene(Land::Water, 6, 3));
    let frames = shoot.hold(&scene);
    let plan = Plan::of(Kind::NightSky);
    let found = engine::skyline(&Request {
        frames: &frames,
        reference: Some(FrameIndex::new(3)),
        plan: &plan,
        cache: &shoot.cache(),
        budget: Budget::new(Some(256), Some(2)).unwrap(),
        stream: false,
        skyline_inputs: SkylineInputs::default(),
        watch: &Unwatched,
    })
    .unwrap();
    let (views, truth) = (found.sights.views(), scene.sky_mask());
    let stop = || false;
    let mut live = Live::new(found.skyline.clone(), &[], &views, &stop).unwrap();
    let before = live.mask().clone();
    assert_eq!(before, found.skyline.mask(&views, &stop).unwrap());
    let mut strokes = Vec::new();
    let mut masks = vec![before.clone()];
    while strokes.len() < 3 {
        let Some(stroke) = next_stroke(live.mask(), truth) else { break };
        strokes.push(stroke);
        live.follow(&strokes, &views, &stop).unwrap();
        masks.push(live.mask().clone());
    }
    let iou = overlap(live.mask().shares(), truth);
    assert!(
        iou > 0.995,
        "{iou:.4} after three strokes, {:.4} before",
        overlap(before.shares(), truth)
    );
    // What is seen step by step is what a run finds at once, but for single pixels: the light that sky
    // and ground have around is only learned again near the stroke.
    let mut whole = found.skyline.clone();
    for stroke in &strokes {
        whole.stroke(stroke);
    }
    let at_once = whole.mask(&views, &stop).unwrap();
    let shares = live.mask().shares().iter().zip(at_once.shares());
    let apart = shares.filter(|(share, other)| share.abs_diff(**other) > 16).count();
    assert!(apart * 500 < truth.len(), "{apart} pixels are seen otherwise");
    for count in (0..strokes.len()).rev() {
        live.follow(&strokes[..count], &views, &stop).unwrap();
        assert_eq!(*live.mask(), masks[count], "{count} strokes are left");
    }
    // Many more than can be taken back at once end where there are none, too.
    let dab = |i: usize| Stroke {
        paint: Paint::GroundStroke,
        points: vec![[60.0 + 50.0 * i as f32, 780.0, 6.0]],
        soft: 0.0,
    };
    let many: Vec<Stroke> = (0..20).map(dab).collect();
    live.follow(&many, &views, &stop).unwrap();
    // All at once, they are what a run makes of them, single pixels too.
    let afresh = Live::new(found.skyline.clone(), &many, &views, &stop).unwrap();
    assert_eq!(afresh.skyline().sky(), live.skyline().sky());
    let mut whole = found.skyline.clone();
    many.iter().for_each(|stroke| whole.stroke(stroke));
    assert_eq!(*afresh.mask(), whole.mask(&views, &stop).unwrap());
    // A stop leaves what is followed on where it is.
    let halted = live.follow(&many[..19], &views, &|| true);
    assert!(matches!(halted, Err(CoreError::Cancelled)), "{halted:?}");
    live.follow(&many, &views, &stop).unwrap();
    assert_eq!(afresh.skyline().sky(), live.skyline().sky());
    live.follow(&[], &views, &stop).unwrap();
    assert_eq!(*live.mask(), before);
}
