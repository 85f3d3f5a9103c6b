//! Merged focus sweeps, and what is painted on them.

use crate::house::{Events, Guest, House, names, wish};
use crate::pictures::png as tile_of;
use crate::skyline::plan;
use jade_plan::report::FocusReport;
use jade_plan::{Edges, Kind, MergeMethod, Patch, PatchFrom};
use jade_scenes::focus_sweep::{FocusSweep, Options};
use jade_server::types::{
    Event, ExportFormat, Job, JobState, Measured, NewShoot, PictureInfo, SharpFrame, Shoot, Task,
};
use reqwest::{Method, StatusCode};
use serde_json::json;

const SIZE: (u32, u32) = (480, 320);

/// A house with a card of a sweep.
fn sweep(frames: u32) -> (House, FocusSweep) {
    let house = House::new(0);
    let (width, height) = SIZE;
    let scene =
        FocusSweep::new(Options { frames, width, height, seed: 27, deflate: true }).unwrap();
    scene.write(&house.card(), |_, _| true).unwrap();
    std::fs::remove_dir_all(house.card().join("truth")).unwrap();
    (house, scene)
}

/// The same as a shoot that keeps its edges.
async fn filled(guest: &Guest, house: &House) -> Shoot {
    let new = NewShoot { name: "Moss".to_owned(), kind: Kind::FocusSweep };
    let shoot: Shoot = guest.post("shoots", &new).await;
    let wish = json!({ "path": house.card(), "role": "light" });
    let _: serde_json::Value = guest.post(&format!("shoots/{}/folder", shoot.id), &wish).await;
    plan(guest, shoot.id, |plan| plan.combine.edges = Edges::Fill).await
}

/// The same once it is merged.
async fn merged(guest: &Guest, house: &House) -> Shoot {
    let shoot = filled(guest, house).await;
    let job = guest.run(shoot.id).await;
    assert_eq!(job.problem, None);
    guest.get(&format!("shoots/{}", shoot.id)).await
}

/// Pixels of the first tile of a level.
async fn tile(guest: &Guest, source: &str, level: u32) -> (usize, Vec<u8>) {
    let (width, _, pixels) =
        tile_of(guest, &format!("pictures/{source}/tiles/{level}/0_0.png")).await;
    (width as usize, pixels)
}

#[tokio::test]
async fn the_sharpest_frames_of_a_place_come_first() {
    let (house, scene) = sweep(7);
    let guest = house.open().await;
    let shoot = merged(&guest, &house).await;
    let result = &shoot.results[0];
    let order = &result.report.focus().unwrap().order;
    let depth = scene.depth();
    let (mut right, mut all) = (0, 0);
    for y in (40..280).step_by(40) {
        for x in (40..440).step_by(40) {
            let depth = depth[y * SIZE.0 as usize + x];
            if !depth.is_finite() {
                continue;
            }
            let path = format!("results/{}/sharpest?x={x}&y={y}", result.id);
            let found: Vec<SharpFrame> = guest.get(&path).await;
            assert!(found.windows(2).all(|pair| pair[0].sharp >= pair[1].sharp));
            assert_eq!(found[0].sharp, 1.0);
            let place = order.iter().position(|name| *name == found[0].file).unwrap();
            right += usize::from((place as f32 - depth).abs() < 1.5);
            all += 1;
        }
    }
    assert!(all > 15 && right * 10 >= all * 8, "{right} of {all} places");
    // A probe tells that what the first frame has out of focus is sharp in the result.
    let frame = shoot.frames.iter().find(|frame| frame.name == order[0]).unwrap().id;
    let (mut sharper, mut all) = (0, 0);
    for (x, y) in (40..280).step_by(40).flat_map(|y| (40..440).step_by(40).map(move |x| (x, y))) {
        let depth = depth[y * SIZE.0 as usize + x];
        if !depth.is_finite() || depth < 3.0 {
            continue;
        }
        let [one, merged] = [format!("frame-{frame}"), format!("result-{}", result.id)];
        let detail = async |source: String| {
            let path = format!("pictures/{source}/measure?x={}&y={}&size=24", x - 12, y - 12);
            guest.get::<Measured>(&path).await.figures.unwrap().detail
        };
        sharper += usize::from(detail(merged).await > 1.1 * detail(one).await);
        all += 1;
    }
    assert!(all > 15 && sharper == all, "{sharper} of {all} places");
    for odd in ["x=NaN&y=1", "x=1&y=-3e65"] {
        let path = format!("results/{}/sharpest?{odd}", result.id);
        let refused = guest.refused(guest.ask(Method::GET, &path)).await;
        assert!(refused.1.contains("two numbers"), "{odd}: {}", refused.1);
    }
    guest.close().await;
}

#[tokio::test]
async fn a_sweep_is_looked_over_before_it_is_merged() {
    let (house, _) = sweep(9);
    std::fs::remove_file(house.card().join("f05.tif")).unwrap();
    let guest = house.open().await;
    let shoot = filled(&guest, &house).await;
    let path = format!("shoots/{}/sweep", shoot.id);
    let found: FocusReport = guest.find(&path).await;
    let order: Vec<&str> = found.order.iter().map(|name| &name[..3]).collect();
    assert_eq!(order.concat(), "f01f02f03f04f06f07f08f09");
    assert!(found.steps[3].wide && found.doubts[0].contains("times as far"), "{:?}", found.doubts);
    assert_eq!(guest.run(shoot.id).await.problem, None);
    let now: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let merged = now.results[0].report.focus().unwrap().clone();
    assert_eq!(merged, found, "a run tells the same");
    // Where frames are missing it is said.
    let ids: Vec<i64> = now.frames.iter().skip(2).map(|frame| frame.id).collect();
    let out = json!({ "ids": ids, "left_out": true });
    let _: Shoot = guest.post(&format!("shoots/{}/frames", shoot.id), &out).await;
    let not_yet = guest.refused(guest.ask(Method::GET, &path)).await;
    assert_eq!(not_yet.0, StatusCode::NOT_FOUND, "{}", not_yet.1);
    let problem = guest.carry_out(&path, &()).await.problem.unwrap();
    assert!(problem.contains("three frames or more"), "{problem}");
    guest.close().await;
}

#[tokio::test]
async fn the_depth_map_and_a_moving_view_are_saved() {
    let (house, _) = sweep(5);
    let guest = house.open().await;
    let shoot = merged(&guest, &house).await;
    for (format, ending, colours) in [
        (ExportFormat::DepthMap, "depth.png", png::ColorType::Grayscale),
        (ExportFormat::Moving, "moving.png", png::ColorType::Rgb),
    ] {
        let export = guest.save(shoot.results[0].id, &wish(format)).await;
        assert!(export.file.ends_with(ending), "{}", export.file);
        let file =
            guest.ask(Method::GET, &format!("exports/{}/file", export.id)).send().await.unwrap();
        let bytes = std::io::Cursor::new(file.bytes().await.unwrap());
        let reader = png::Decoder::new(bytes).read_info().unwrap();
        let info = reader.info();
        assert_eq!((info.color_type, info.width, info.height), (colours, SIZE.0, SIZE.1));
        // To the farthest plane and back, none twice.
        let frames = info.animation_control.map(|control| control.num_frames);
        assert_eq!(frames, (format == ExportFormat::Moving).then_some(8));
    }
    guest.close().await;
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    guest.run(shoot.id).await;
    for format in [ExportFormat::DepthMap, ExportFormat::Moving] {
        let wish = guest.ask(Method::POST, "results/1/exports").json(&wish(format));
        assert!(guest.refused(wish).await.1.contains("merged focus sweep"));
    }
    guest.close().await;
}

#[tokio::test]
async fn saving_is_told_and_stopped() {
    let (house, _) = sweep(20);
    let guest = house.open().await;
    let shoot = merged(&guest, &house).await;
    let path = format!("results/{}/exports", shoot.results[0].id);
    let wish = wish(ExportFormat::Moving);
    let mut events = Events::of(&guest).await;
    let job: Job = guest.post(&path, &wish).await;
    assert_eq!((job.task, job.result_id), (Task::Save, Some(shoot.results[0].id)));
    while !matches!(events.next().await, Event::Job { job: Job { stage: Some(_), .. } }) {}
    let again = guest.ask(Method::POST, &path).json(&wish);
    assert!(guest.refused(again).await.1.contains("already"));
    let _: Job = guest.post(&format!("jobs/{}/cancel", job.id), &()).await;
    assert_eq!(guest.ended(job.id).await.state, JobState::Cancelled);
    assert!(names(&house.data().join("exports")).is_empty());
    // It can be resumed, and its events give the remaining time.
    let mut events = Events::of(&guest).await;
    let again: Job = guest.post(&format!("jobs/{}/resume", job.id), &()).await;
    assert_eq!(again.id, job.id);
    let (mut last, mut left) = (0, false);
    loop {
        let Event::Job { job } = events.next().await else { continue };
        if job.state == JobState::Done {
            break;
        }
        assert!(job.done <= job.total || job.total == 0);
        left |= job.remaining_s.is_some();
        last = job.total.max(last);
    }
    assert_eq!(last, 38);
    assert!(left);
    assert_eq!(names(&house.data().join("exports")).len(), 2);
    guest.close().await;
}

#[tokio::test]
async fn a_patch_is_seen_at_once_as_the_next_run_makes_it() {
    let (house, _) = sweep(5);
    let guest = house.open().await;
    let shoot = merged(&guest, &house).await;
    let first = shoot.results[0].id;
    let painted = format!("painted-{first}");
    let before = tile(&guest, &format!("result-{first}"), 0).await;
    assert_eq!(tile(&guest, &painted, 0).await, before);
    let unpainted: PictureInfo = guest.get(&format!("pictures/{painted}")).await;

    let from = PatchFrom::Frame { blake3: shoot.frames[0].blake3.clone() };
    let patch = Patch { from, points: vec![[90.0, 200.0, 24.0]], soft: 0.5 };
    let offered = format!("offered-{first}-{}", shoot.frames[0].id);
    let offered = tile(&guest, &offered, 0).await;
    plan(&guest, shoot.id, |plan| plan.focus.patches.push(patch)).await;
    let info: PictureInfo = guest.get(&format!("pictures/{painted}")).await;
    assert_ne!(info.version, unpainted.version);
    let now = tile(&guest, &painted, 0).await;
    let (width, half) = (now.0, tile(&guest, &painted, 1).await);
    let inside = |i: usize| (i / 3 % width).abs_diff(90).max((i / 3 / width).abs_diff(200)) <= 25;
    let changed: Vec<usize> = (0..now.1.len()).filter(|i| now.1[*i] != before.1[*i]).collect();
    assert!(changed.len() > 500 && changed.into_iter().all(inside));
    // Where the brush covers all, it laid what was offered.
    let middle = 3 * (200 * width + 90);
    assert_eq!(now.1[middle..middle + 3], offered.1[middle..middle + 3]);
    assert_ne!(before.1[middle..middle + 3], offered.1[middle..middle + 3]);

    // Its run makes the same, and keeps what was merged.
    let job = guest.run(shoot.id).await;
    assert_eq!(job.problem, None);
    let shoot: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let second = shoot.results[0].id;
    let run = tile(&guest, &format!("result-{second}"), 0).await;
    let off = |a: &[u8], b: &[u8]| a.iter().zip(b).map(|(a, b)| a.abs_diff(*b)).max().unwrap();
    assert!(off(&run.1, &now.1) <= 1, "{} codes", off(&run.1, &now.1));
    let run = tile(&guest, &format!("result-{second}"), 1).await;
    assert!(off(&run.1, &half.1) <= 16, "{} codes at half the size", off(&run.1, &half.1));
    assert_eq!(tile(&guest, &format!("merged-{second}"), 0).await, before);

    // Taken back, the painted one is as it was; the other way is seen once it was merged.
    plan(&guest, shoot.id, |plan| plan.focus.patches.clear()).await;
    assert_eq!(tile(&guest, &format!("painted-{second}"), 0).await, before);
    let patch = Patch {
        from: PatchFrom::Way { way: MergeMethod::DepthMap },
        points: vec![[90.0, 200.0, 24.0]],
        soft: 0.0,
    };
    plan(&guest, shoot.id, |plan| plan.focus.patches = vec![patch]).await;
    assert_eq!(tile(&guest, &format!("painted-{second}"), 0).await, before);
    assert_eq!(tile(&guest, &format!("offered-{second}-fine"), 0).await, before);
    let asked = guest.ask(Method::GET, &format!("pictures/offered-{second}-smooth"));
    assert_eq!(asked.send().await.unwrap().status(), StatusCode::NOT_FOUND);
    plan(&guest, shoot.id, |plan| {
        plan.focus.patches.clear();
        plan.focus.way = MergeMethod::DepthMap;
    })
    .await;
    assert_eq!(guest.run(shoot.id).await.problem, None);
    let now = plan(&guest, shoot.id, |plan| {
        let points = vec![[90.0, 200.0, 24.0]];
        plan.focus.way = MergeMethod::Pyramid;
        let from = PatchFrom::Way { way: MergeMethod::DepthMap };
        plan.focus.patches = vec![Patch { from, points, soft: 0.0 }];
    })
    .await;
    let smooth = tile(&guest, &format!("result-{}", now.results[0].id), 0).await;
    let repainted = tile(&guest, &format!("painted-{second}"), 0).await;
    let at = 3 * (200 * width + 90);
    assert_eq!(repainted.1[at..at + 3], smooth.1[at..at + 3]);
    assert_eq!(repainted.1[..3 * width], before.1[..3 * width]);
    guest.close().await;
}
