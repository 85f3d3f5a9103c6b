//! Stores that earlier versions made open as they were left.
//!
//! Each folder of `tests/stores` is a copy of what such a version kept, its cache and some results
//! left out, with what it answered about its shoots in `shoots.json`.

use crate::house::{House, settings};
use jade_plan::{Plan, PlanRecord};
use jade_server::types::{JobState, Shoot};
use reqwest::Method;
use serde::Deserialize;
use std::path::{Path, PathBuf};

#[derive(Deserialize)]
struct Kept {
    name: String,
    plan: Plan,
    frames: Vec<String>,
    results: Vec<KeptResult>,
}

#[derive(Deserialize)]
struct KeptResult {
    id: i64,
    plan: Plan,
    used: usize,
    exports: Vec<String>,
    /// Whether its picture is in the copy.
    with_picture: bool,
}

#[tokio::test]
async fn shoots_of_earlier_versions_are_as_they_were_left() {
    for store in stores() {
        let house = House::new(0);
        copy(&store, &house.data());
        let kept: Vec<Kept> =
            serde_json::from_slice(&std::fs::read(store.join("shoots.json")).unwrap()).unwrap();
        let guest = house.open().await;
        for (kept, id) in kept.iter().zip(1..) {
            let shoot: Shoot = guest.get(&format!("shoots/{id}")).await;
            assert_eq!((&shoot.name, &shoot.plan), (&kept.name, &kept.plan));
            let frames: Vec<&String> = shoot.frames.iter().map(|frame| &frame.name).collect();
            assert_eq!(frames, kept.frames.iter().collect::<Vec<_>>());
            assert_eq!(shoot.results.len(), kept.results.len());
            for kept in &kept.results {
                let result = shoot.results.iter().find(|result| result.id == kept.id).unwrap();
                assert_eq!(result.plan, kept.plan);
                assert_eq!(
                    result.report.frames.iter().filter(|frame| frame.used).count(),
                    kept.used
                );
                let exports: Vec<&String> =
                    result.exports.iter().map(|export| &export.file).collect();
                assert_eq!(exports, kept.exports.iter().collect::<Vec<_>>());
                if kept.with_picture {
                    let tile = format!("pictures/result-{}/tiles/0/0_0.png", kept.id);
                    let answer = guest.ask(Method::GET, &tile).send().await.unwrap();
                    assert!(answer.status().is_success(), "{}: {}", kept.id, answer.status());
                }
            }
        }
        guest.close().await;
    }
}

#[tokio::test]
async fn shoots_of_earlier_versions_are_worked_on() {
    for store in stores() {
        let house = House::new(0);
        copy(&store, &house.data());
        let guest = house.open().await;
        for id in 1..=4 {
            let shoot: Shoot = guest.get(&format!("shoots/{id}")).await;
            guest.patch::<Shoot>(&format!("shoots/{id}"), &settings(&shoot.plan)).await;
            let job = guest.run(id).await;
            assert_eq!((job.state, job.problem), (JobState::Done, None), "{}", shoot.name);
        }
        guest.close().await;
    }
}

#[test]
fn plan_files_of_earlier_versions_are_read() {
    let mut read = 0;
    for store in stores() {
        for file in std::fs::read_dir(store.join("exports")).unwrap() {
            let path = file.unwrap().path();
            if path.extension().is_some_and(|extension| extension == "json") {
                let record =
                    PlanRecord::from_json(&std::fs::read_to_string(&path).unwrap()).unwrap();
                record.plan.check().unwrap();
                assert!(record.frames.iter().any(|frame| frame.used), "{}", path.display());
                read += 1;
            }
        }
    }
    assert!(read >= 3);
}

fn stores() -> Vec<PathBuf> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/stores");
    let stores: Vec<PathBuf> =
        std::fs::read_dir(folder).unwrap().map(|store| store.unwrap().path()).collect();
    assert!(!stores.is_empty());
    stores
}

fn copy(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).unwrap();
    for entry in std::fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let to = to.join(entry.file_name());
        match entry.file_type().unwrap().is_dir() {
            true => copy(&entry.path(), &to),
            false => drop(std::fs::copy(entry.path(), to).unwrap()),
        }
    }
}
