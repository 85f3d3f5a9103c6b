//! Any region of any picture that a run makes can be made alone, with the same bytes.

use crate::shoot::{Shoot, pixels, plan};
use jade_engine as engine;
use jade_engine::{Budget, Request, SkylineInputs};
use jade_frames::FrameInput;
use jade_pixels::tiled::Region;
use jade_plan::progress::Unwatched;
use jade_plan::{
    AlignMode, CoreError, Edges, FinishPlan, Kind, MergeMethod, Method, Patch, PatchFrom, Plan,
    SkylineMode,
};
use jade_scenes::focus_sweep::{self, FocusSweep};
use jade_scenes::kiln_yard::{self, KilnYard};
use jade_scenes::night_sky::{Land, NightSky, Options};
use proptest::prelude::*;

fn alone(
    shoot: &Shoot,
    frames: &[FrameInput],
    plan: &Plan,
    region: Region,
) -> Result<Vec<f32>, CoreError> {
    let budget = Budget::new(Some(256), Some(2)).unwrap();
    let (cache, skyline_inputs) = (&shoot.cache(), SkylineInputs::default());
    let (reference, stream, watch) = (None, false, &Unwatched);
    let request = Request { frames, reference, plan, cache, budget, stream, skyline_inputs, watch };
    engine::region(&request, region)
}

/// A region of a picture of a size, from shares of its width and height.
fn region_of((width, height): (u32, u32), [x, y, across, down]: [f64; 4]) -> Region {
    let part = |share: f64, of: u32| (share * f64::from(of)) as u32;
    let (x, y) = (part(x, width - 1), part(y, height - 1));
    Region { x, y, width: 1 + part(across, width - x - 1), height: 1 + part(down, height - y - 1) }
}

/// Makes the whole, then regions of it alone.
fn assert_alike(shoot: &Shoot, frames: &[FrameInput], plan: &Plan, cases: u32) {
    let whole = shoot.stack(frames, plan).unwrap();
    let (width, light) = pixels(&whole);
    let size = (width as u32, (light.len() / 3 / width) as u32);
    let share = 0.0..1.0f64;
    let shares = [share.clone(), share.clone(), 0.0..0.6, 0.0..0.6];
    let config = ProptestConfig { cases, failure_persistence: None, ..ProptestConfig::default() };
    proptest!(config, |(shares in shares)| {
        let region = region_of(size, shares);
        let made = alone(shoot, frames, plan, region).unwrap();
        let rows = (region.y..region.y + region.height).map(|y| y as usize * width);
        let cut = rows.flat_map(|row| {
            let from = 3 * (row + region.x as usize);
            &light[from..from + 3 * region.width as usize]
        });
        let same = made.iter().map(|v| v.to_bits()).eq(cut.map(|v| v.to_bits()));
        prop_assert!(same, "{region:?} of {size:?} of {:?}", plan.combine);
    });
}

#[test]
fn regions_of_combined_frames_are_made_alone() {
    let shoot = Shoot::new();
    let options =
        kiln_yard::Options { frames: 5, width: 700, height: 460, seed: 61, deflate: false };
    let yard = KilnYard::new(options).unwrap();
    let size = (700, 460);
    let save = |i: u32| shoot.save(&format!("y{i}.tif"), size, &yard.frame(i));
    let frames: Vec<FrameInput> = (0..5).map(save).collect();
    for (method, edges) in [
        (Method::Mean, Edges::Trim),
        (Method::Median, Edges::Keep),
        (Method::Clipped, Edges::Trim),
        (Method::Clipped, Edges::Fill),
        (Method::StdDev, Edges::Keep),
    ] {
        assert_alike(&shoot, &frames, &plan(AlignMode::Scene, method, edges), 6);
    }
}

fn sky(shoot: &Shoot, land: Land, seed: u64) -> Vec<FrameInput> {
    let options = Options { frames: 5, darks: 0, width: 900, height: 600, seed, deflate: false };
    shoot.hold(&NightSky::over(land, options, None).unwrap())
}

#[test]
fn regions_of_star_trails_are_made_alone() {
    let shoot = Shoot::new();
    let frames = sky(&shoot, Land::Hills, 62);
    let mut trails = plan(AlignMode::None, Method::Lightest, Edges::Keep);
    trails.combine.fill_gaps = true;
    assert_alike(&shoot, &frames, &trails, 6);
}

#[test]
fn regions_of_joined_and_of_finished_skies_are_made_alone() {
    for (land, seed, edges) in [(Land::Hills, 63, Edges::Trim), (Land::Branches, 64, Edges::Keep)] {
        let shoot = Shoot::new();
        let frames = sky(&shoot, land, seed);
        let mut joined = plan(AlignMode::Stars, Method::Clipped, edges);
        joined.skyline.mode = SkylineMode::Auto;
        assert_alike(&shoot, &frames, &joined, 8);
        joined.finish = FinishPlan { glow: 0.7, smoothing: 0.5 };
        assert_alike(&shoot, &frames, &joined, 6);
        joined.skyline.mode = SkylineMode::None;
        assert_alike(&shoot, &frames, &joined, 6);
    }
}

#[test]
fn regions_of_merged_and_of_painted_sweeps_are_made_alone() {
    let (shoot, size) = (Shoot::new(), (600, 400));
    let options =
        focus_sweep::Options { frames: 6, width: size.0, height: size.1, seed: 65, deflate: false };
    let scene = FocusSweep::new(options).unwrap();
    let save = |i: u32| shoot.save(&format!("s{i}.tif"), size, &scene.frame(i));
    let frames: Vec<FrameInput> = (0..6).map(save).collect();
    let mut merged = Plan::of(Kind::FocusSweep);
    for way in [MergeMethod::Pyramid, MergeMethod::DepthMap] {
        merged.focus.way = way;
        assert_alike(&shoot, &frames, &merged, 6);
    }
    let stroke = |from: PatchFrom, x: f32| Patch {
        from,
        points: vec![[x, 120.0, 60.0], [x + 90.0, 260.0, 60.0]],
        soft: 0.6,
    };
    merged.focus.patches = vec![
        stroke(PatchFrom::Frame { blake3: frames[2].id.clone() }, 150.0),
        stroke(PatchFrom::Way { way: MergeMethod::Pyramid }, 330.0),
    ];
    assert_alike(&shoot, &frames, &merged, 8);
}

#[test]
fn regions_that_do_not_lie_inside_the_picture_are_refused() {
    let shoot = Shoot::new();
    let frames = sky(&shoot, Land::Hills, 66);
    let plan = plan(AlignMode::None, Method::Mean, Edges::Keep);
    for region in [
        Region { x: 0, y: 0, width: 901, height: 10 },
        Region { x: 890, y: 599, width: 10, height: 2 },
        Region { x: 3, y: 3, width: 0, height: 5 },
        Region { x: u32::MAX, y: 0, width: 2, height: 2 },
    ] {
        let error = alone(&shoot, &frames, &plan, region).unwrap_err().to_string();
        assert!(error.contains("inside the picture, which has 900 x 600"), "{error}");
    }
}
