//! The data folder: its copy, its lock, and who may read it.

use crate::common::{Scene, Served, ending_signals, program};
use serde_json::json;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::Output;

fn carried_out(command: &str, folder: &Path, data: &Path) -> Output {
    program().arg(command).arg(folder).arg("--data").arg(data).output().unwrap()
}

fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

#[test]
fn a_backup_of_a_running_server_is_whole_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let scene = Scene::new(folder.path(), 3, (300, 200));
    let served = Served::start(&at("data"), &[&scene.folder]);
    let shoot = served.add_shoot("Salt");
    let path = format!("/api/shoots/{shoot}");
    for name in ["f01.tif", "f02.tif"] {
        served.upload(shoot, name, &scene.bytes(name));
    }
    let wish = json!({"path": scene.folder, "role": "light"});
    assert_eq!(served.post(&format!("{path}/folder"), &wish).0, 201);
    served.carry_out(&format!("{path}/runs"), &json!({}));
    let result = served.get(&path).1["results"][0]["id"].clone();
    served.carry_out(&format!("/api/results/{result}/exports"), &json!({"format": "jpeg"}));
    let done = carried_out("backup", &at("copy"), &at("data"));
    assert!(done.status.success(), "{}", said(&done));
    let output = String::from_utf8_lossy(&done.stdout).into_owned();
    assert!(output.contains("1 frames lie in folders of their own"), "{output}");
    let before = served.get(&path).1;
    // What comes after the copy is not in it.
    served.add_shoot("Later");
    let again = carried_out("backup", &at("copy"), &at("data"));
    assert!(said(&again).contains("a folder of its own"), "{}", said(&again));
    served.kill();

    let back = carried_out("restore", &at("copy"), &at("again"));
    assert!(back.status.success(), "{}", said(&back));
    let served = Served::start(&at("again"), &[&scene.folder]);
    assert_eq!(served.get("/api/shoots").1.as_array().unwrap().len(), 1);
    let after = served.get(&path).1;
    for part in ["name", "plan", "frames", "results", "jobs"] {
        assert_eq!(after[part], before[part], "{part}");
    }
    for picture in [format!("result-{result}"), format!("frame-{}", after["frames"][0]["id"])] {
        assert_eq!(served.get(&format!("/api/pictures/{picture}")).0, 200, "{picture}");
    }
    // A store that is there is never replaced, nor that of a server that runs.
    let onto = carried_out("restore", &at("copy"), &at("again"));
    assert!(said(&onto).contains("is in use by process"), "{}", said(&onto));
    drop(served);
    let onto = carried_out("restore", &at("copy"), &at("again"));
    assert!(said(&onto).contains("there is a store in this folder already"), "{}", said(&onto));
}

#[test]
fn what_is_no_backup_or_no_store_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let none = carried_out("backup", &at("copy"), &at("data"));
    assert_eq!(none.status.code(), Some(1));
    assert!(said(&none).contains("there is no store in this folder"), "{}", said(&none));
    let none = carried_out("restore", &at("copy"), &at("data"));
    assert!(said(&none).contains("this folder is no backup"), "{}", said(&none));
    assert!(!at("copy").exists() && !at("data").exists());
}

#[test]
fn a_second_server_leaves_the_folder_of_the_first_alone() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 12, (1500, 1000));
    let data = folder.path().join("data");
    let served = Served::start(&data, &[&scene.folder]);
    let shoot = served.add_shoot("Salt");
    let wish = json!({"path": scene.folder, "role": "light"});
    served.post(&format!("/api/shoots/{shoot}/folder"), &wish);
    served.post(&format!("/api/shoots/{shoot}/runs"), &json!({}));
    served.until_job(shoot, |job| job["state"] == "running");
    let incoming = data.join("incoming").join("upload-half");
    std::fs::write(&incoming, "half of a frame").unwrap();
    let second = program().args(["serve", "--data"]).arg(&data).output().unwrap();
    assert_eq!(second.status.code(), Some(1));
    let problem = said(&second);
    assert!(
        problem.contains("is in use by process") && problem.contains(&served.address),
        "{problem}"
    );
    // Nor one that finds its port taken, with a folder of its own.
    let second_data = folder.path().join("second");
    let taken =
        program().args(["serve", "--listen", &served.address, "--data"]).arg(&second_data).output();
    let problem = said(&taken.unwrap());
    assert!(
        problem.contains("--listen") && !second_data.join("jade-stack.sqlite").exists(),
        "{problem}"
    );
    assert!(incoming.exists());
    served.until_job(shoot, |job| job["state"] != "running");
    assert_eq!(served.get(&format!("/api/shoots/{shoot}")).1["jobs"][0]["state"], "done");
}

#[test]
fn the_data_folder_is_its_owners_alone() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 2, (300, 200));
    let data = folder.path().join("data");
    let served = Served::start(&data, &[]);
    let shoot = served.add_shoot("Salt");
    served.upload(shoot, "f01.tif", &scene.bytes("f01.tif"));
    assert_eq!(std::fs::metadata(&data).unwrap().permissions().mode() & 0o777, 0o700);
    let mut folders = vec![data];
    let mut files = 0;
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap().flatten() {
            let mode = entry.metadata().unwrap().permissions().mode();
            assert_eq!(mode & 0o077, 0, "{}: {mode:o}", entry.path().display());
            match entry.metadata().unwrap().is_dir() {
                true => folders.push(entry.path()),
                false => files += 1,
            }
        }
    }
    assert!(files >= 3, "a store, an original and what was decoded of it");
}

#[test]
fn a_server_ends_on_every_signal_and_is_whole_after_it() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    for (count, (signal, status)) in ending_signals().iter().enumerate() {
        let served = Served::start(&data, &[]);
        assert_eq!(served.get("/api/shoots").1.as_array().unwrap().len(), count);
        served.add_shoot(signal);
        assert_eq!(served.end(signal), Some(*status), "{signal}");
        // The store is one file again.
        let beside = ["jade-stack.sqlite-wal", "jade-stack.sqlite-shm"];
        assert!(beside.iter().all(|name| !data.join(name).exists()), "{signal}");
    }
}

#[test]
fn a_store_of_a_later_version_is_told_of_in_one_sentence() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    Served::start(&data, &[]).end("TERM");
    let path = data.join("jade-stack.sqlite");
    // As a version that knows one more step of the store would leave it.
    let runtime = tokio::runtime::Runtime::new().unwrap();
    runtime.block_on(async {
        use sqlx::Connection;
        let options = sqlx::sqlite::SqliteConnectOptions::new().filename(&path);
        let mut store = sqlx::SqliteConnection::connect_with(&options).await.unwrap();
        sqlx::query("INSERT INTO _sqlx_migrations SELECT 9999, 'later', installed_on, success, checksum, execution_time FROM _sqlx_migrations LIMIT 1")
            .execute(&mut store)
            .await
            .unwrap();
        store.close().await.unwrap();
    });
    let ended = program().args(["serve", "--listen", "127.0.0.1:0", "--data"]).arg(&data).output();
    let problem = said(&ended.unwrap());
    assert_eq!(problem.trim().lines().count(), 1, "{problem}");
    assert!(problem.contains("later version"), "{problem}");
}
