//! The store in memory.

use super::connection::Store;
use super::{NewFrame, NewResult};
use crate::error::ApiError;
use crate::types::{FramesChange, JobState, NewProbe, NewShoot, Role, ShootChange, ShootState};
use jade_frames::FileState;
use jade_pixels::facts::{Facts, FileFormat};
use jade_plan::progress::Stage;
use jade_plan::report::Report;
use jade_plan::{Kind, Method, Plan, PlanRecord};
use jade_survey::measures::Measures;

async fn with_shoot() -> (Store, i64) {
    let store = Store::in_memory().await.unwrap();
    let new = NewShoot { name: " Salt pan ".to_owned(), kind: Kind::NightSky };
    let id = store.add_shoot(&new).await.unwrap();
    (store, id)
}

fn frame(name: &str, role: Role) -> NewFrame {
    NewFrame {
        name: name.to_owned(),
        path: format!("/card/{name}").into(),
        linked: true,
        blake3: format!("hash of {name}").into(),
        state: FileState { bytes: 10, modified_ns: 0 },
        role,
        facts: Ok(Facts::bare(FileFormat::Tiff, 30, 20, 16)),
    }
}

async fn add(store: &Store, shoot: i64, name: &str, role: Role) -> i64 {
    store.add_frame(shoot, &frame(name, role)).await.unwrap().unwrap().id
}

fn report() -> Report {
    Report {
        version: Report::VERSION,
        reference: "f2.tif".to_owned(),
        reference_content: "hash of f2.tif".into(),
        size: [30, 20],
        origin: [0, 0],
        frames: vec![],
        stages: vec![],
        peak_memory_mib: 1,
    }
}

#[tokio::test]
async fn a_shoot_begins_with_the_plan_of_its_kind_and_changes_by_parts() {
    let (store, id) = with_shoot().await;
    let shoot = store.shoot(id).await.unwrap();
    assert_eq!((shoot.name.as_str(), &shoot.plan), ("Salt pan", &Plan::of(Kind::NightSky)));
    let mut plan = shoot.plan;
    plan.combine.method = Method::Median;
    let change =
        ShootChange { plan: Some(serde_json::to_value(&plan).unwrap()), ..ShootChange::default() };
    store.change_shoot(id, &change, None).await.unwrap();
    let change = ShootChange { name: Some("North".to_owned()), ..ShootChange::default() };
    store.change_shoot(id, &change, None).await.unwrap();
    let shoot = store.shoot(id).await.unwrap();
    assert_eq!((shoot.name.as_str(), shoot.plan), ("North", plan));
}

#[tokio::test]
async fn a_name_must_be_there_and_not_without_end() {
    let (store, id) = with_shoot().await;
    for name in ["  ".to_owned(), "x".repeat(121)] {
        let change = ShootChange { name: Some(name), ..ShootChange::default() };
        let refused = store.change_shoot(id, &change, None).await;
        assert!(matches!(refused, Err(ApiError::Setting { .. })), "{refused:?}");
    }
    assert_eq!(store.shoot(id).await.unwrap().name, "Salt pan");
}

#[tokio::test]
async fn frames_come_in_natural_order_and_the_same_content_once() {
    let (store, id) = with_shoot().await;
    for name in ["f10.tif", "f2.tif", "f1.tif"] {
        add(&store, id, name, Role::Light).await;
    }
    add(&store, id, "d1.tif", Role::Dark).await;
    assert!(store.add_frame(id, &frame("f2.tif", Role::Light)).await.unwrap().is_none());
    let names: Vec<String> = store.frames(id).await.unwrap().into_iter().map(|f| f.name).collect();
    assert_eq!(names, ["f1.tif", "f2.tif", "f10.tif", "d1.tif"]);
    let card = store.shoots(None, 9).await.unwrap().remove(0);
    assert_eq!((card.lights, card.darks, card.state), (3, 1, ShootState::Gathered));
    assert!(card.picture.unwrap().starts_with("frame-"));
}

#[tokio::test]
async fn left_out_unreadable_and_dark_frames_are_not_in_a_run() {
    let (store, id) = with_shoot().await;
    let out = add(&store, id, "f1.tif", Role::Light).await;
    add(&store, id, "f2.tif", Role::Light).await;
    add(&store, id, "d1.tif", Role::Dark).await;
    let broken =
        NewFrame { facts: Err("f3.tif: cut short.".to_owned()), ..frame("f3.tif", Role::Light) };
    let broken = store.add_frame(id, &broken).await.unwrap().unwrap();
    let change =
        FramesChange { ids: vec![out], left_out: Some(true), role: None, set_id: None, kept: None };
    store.change_frames(id, &change).await.unwrap();
    let frames = store.frames(id).await.unwrap();
    let used: Vec<&str> = frames.iter().filter(|f| f.is_light()).map(|f| f.name.as_str()).collect();
    assert_eq!(used, ["f2.tif"]);
    // Only what cannot be read is taken off the list.
    store.remove_frame(id, broken.id).await.unwrap();
    let refused = store.remove_frame(id, out).await;
    assert!(matches!(refused, Err(ApiError::Refused(_))), "{refused:?}");
    assert_eq!(store.frames(id).await.unwrap().len(), 3);
}

#[tokio::test]
async fn jobs_are_taken_in_order_and_running_ones_become_interrupted() {
    let (store, id) = with_shoot().await;
    let plan = Plan::of(Kind::NightSky);
    let first = store.add_job(id, &plan, &[1, 2], None).await.unwrap();
    let second = store.add_job(id, &plan, &[1, 2, 3], Some(2)).await.unwrap();
    let taken = store.take_job().await.unwrap().unwrap();
    assert_eq!((taken.id, taken.frame_ids().unwrap()), (first.id, vec![1, 2]));
    store.set_progress(first.id, Stage::Align, 3, 12).await.unwrap();
    assert_eq!(store.mark_interrupted().await.unwrap(), 1);
    let job = store.job(first.id).await.unwrap().view().unwrap();
    assert_eq!((job.state, job.stage, job.done), (JobState::Interrupted, Some(Stage::Align), 3));
    let taken = store.take_job().await.unwrap().unwrap();
    assert_eq!((taken.id, taken.reference_id), (second.id, Some(2)));
    assert!(store.take_job().await.unwrap().is_none());
    store.set_state(first.id, JobState::Queued, None).await.unwrap();
    assert_eq!(store.take_job().await.unwrap().unwrap().id, first.id);
}

#[tokio::test]
async fn a_hidden_shoot_keeps_everything_and_its_jobs_wait() {
    let (store, id) = with_shoot().await;
    add(&store, id, "f1.tif", Role::Light).await;
    store.add_job(id, &Plan::of(Kind::NightSky), &[1], None).await.unwrap();
    store.set_deleted(id, true).await.unwrap();
    assert!(store.shoots(None, 9).await.unwrap().is_empty());
    assert!(matches!(store.shoot(id).await, Err(ApiError::Missing(_))));
    assert!(store.take_job().await.unwrap().is_none());
    assert!(store.ever_had("Salt pan").await.unwrap());
    store.set_deleted(id, false).await.unwrap();
    assert_eq!(store.shoot(id).await.unwrap().frames.len(), 1);
    assert!(store.take_job().await.unwrap().is_some());
}

#[tokio::test]
async fn results_exports_and_probes_stay_with_their_shoot() {
    let (store, id) = with_shoot().await;
    let reference = add(&store, id, "f2.tif", Role::Light).await;
    let record = PlanRecord {
        ground: vec![],
        plan: Plan::of(Kind::NightSky),
        reference: "f2.tif".to_owned(),
        reference_blake3: "hash of f2.tif".into(),
        frames: vec![],
        calibration: vec![],
    };
    let report = report();
    let new = NewResult {
        shoot_id: id,
        job_id: 1,
        key: "key",
        reference_id: reference,
        record: &record,
        report: &report,
        profile: b"icc",
    };
    let result = store.add_result(&new).await.unwrap();
    let (file, plan) = ("/out/a.tif".as_ref(), "/out/a.plan.json".as_ref());
    store.add_export(result, file, plan, 99).await.unwrap();
    let probe = NewProbe { name: "dark sky".to_owned(), x: 4, y: 5, size: 48 };
    store.add_probe(id, &probe).await.unwrap();
    assert!(store.add_probe(id, &NewProbe { size: 4, ..probe }).await.is_err());

    let shoot = store.shoot(id).await.unwrap();
    let export = &shoot.results[0].exports[0];
    assert_eq!(
        (export.file.as_str(), export.plan_file.as_str(), export.folder.as_str()),
        ("a.tif", "a.plan.json", "/out")
    );
    assert_eq!((shoot.probes[0].name.as_str(), shoot.probes[0].x), ("dark sky", 4));
    assert_eq!(store.shoots(None, 9).await.unwrap()[0].state, ShootState::Done);
    store.remove_probe(id, shoot.probes[0].id).await.unwrap();
    assert!(store.probes(id).await.unwrap().is_empty());
}

#[tokio::test]
async fn nothing_waits_for_a_frame_that_cannot_be_measured() {
    let (store, id) = with_shoot().await;
    let frames = [
        add(&store, id, "f1.tif", Role::Light).await,
        add(&store, id, "f2.tif", Role::Light).await,
    ];
    let gone = add(&store, id, "f3.tif", Role::Light).await;
    let measures = Measures { stars: 300, level: 0.04, sharpness: 0.3, ..Measures::default() };
    for frame in frames {
        store.set_measures(frame, &measures).await.unwrap();
    }
    assert_eq!(store.unmeasured_frames(2).await.unwrap()[0].id, gone);
    let waiting = store.shoot(id).await.unwrap();
    assert!(waiting.checks.is_empty() && waiting.proposed_reference.is_none());
    store.give_up_measuring(gone);
    assert!(store.unmeasured_frames(2).await.unwrap().is_empty());
    let shoot = store.shoot(id).await.unwrap();
    assert!(
        shoot.checks.iter().any(|check| check.text.contains("Only 2 frames")),
        "{:?}",
        shoot.checks
    );
    assert!(frames.contains(&shoot.proposed_reference.unwrap().frame_id));
}
