//! The served application over plain HTTP, as a process of its own that can be killed.

use crate::common::{Scene, Served};
use serde_json::{Value, json};

#[test]
fn foreign_hosts_and_origins_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let served = Served::start(folder.path(), &[]);
    assert_eq!(served.get("/api/shoots").0, 200);
    assert_eq!(served.send("GET", "/api/shoots", "Host: salt.example\r\n", b"").0, 403);
    let foreign = format!("Host: {}\r\nOrigin: http://salt.example\r\n", served.address);
    let body = br#"{"name":"x","kind":"night-sky"}"#;
    let json = format!("{foreign}Content-Type: application/json\r\n");
    assert_eq!(served.send("POST", "/api/shoots", &json, body).0, 403);
    assert_eq!(served.get("/api/shoots").1, json!([]));
}

#[test]
fn only_opened_folders_can_be_read() {
    let folder = tempfile::tempdir().unwrap();
    let open = folder.path().join("card");
    std::fs::create_dir(&open).unwrap();
    let served = Served::start(&folder.path().join("data"), &[&open]);
    let shoot = served.add_shoot("A");
    let (status, listed) = served.get("/api/folders");
    assert_eq!((status, listed["folders"].as_array().unwrap().len()), (200, 1));
    for path in ["/etc", folder.path().to_str().unwrap(), open.join("..").to_str().unwrap()] {
        let (status, problem) = served.get(&format!("/api/folders?path={path}"));
        assert_eq!(status, 422, "{path}");
        assert!(problem["detail"].as_str().unwrap().contains("not among those"), "{problem}");
        let wish = json!({"path": path, "role": "light"});
        assert_eq!(served.post(&format!("/api/shoots/{shoot}/folder"), &wish).0, 422);
    }
}

#[test]
fn odd_files_are_listed_with_one_sentence_and_break_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 3, (300, 200));
    let served = Served::start(&folder.path().join("data"), &[]);
    let shoot = served.add_shoot("Düne / \"one\"");
    let good = scene.bytes("f01.tif");
    let upload = |name: &str, bytes: &[u8]| served.upload(shoot, name, bytes);

    let cut = upload("cut.tif", &good[..good.len() / 2]);
    assert!(
        cut["frame"]["problem"].as_str().unwrap().starts_with("cut.tif: the file is cut short"),
        "{cut}"
    );
    let text = upload("notes.tif", b"the moon sets at four");
    assert!(
        text["frame"]["problem"]
            .as_str()
            .unwrap()
            .starts_with("notes.tif: this is not a camera raw"),
        "{text}"
    );
    let fine = upload("card%2Fnight%20%22one%22.tif", &good);
    assert_eq!(fine["frame"]["name"], "night \"one\".tif");
    assert_eq!(fine["frame"]["problem"], Value::Null);
    let same = upload("again.tif", &good);
    assert_eq!((&same["frame"], &same["same_as"]), (&Value::Null, &json!("night \"one\".tif")));

    let (_, shown) = served.get(&format!("/api/shoots/{shoot}"));
    assert_eq!(shown["name"], "Düne / \"one\"");
    assert_eq!(shown["frames"].as_array().unwrap().len(), 3);
    let (status, problem) = served.post(&format!("/api/shoots/{shoot}/runs"), &json!({}));
    assert_eq!(status, 422);
    assert!(problem["detail"].as_str().unwrap().contains("two are the least"), "{problem}");
}

#[test]
fn a_deleted_shoot_comes_back_whole() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 2, (300, 200));
    let served = Served::start(&folder.path().join("data"), &[]);
    let shoot = served.add_shoot("A");
    served.upload(shoot, "f01.tif", &scene.bytes("f01.tif"));
    assert_eq!(served.send_json("DELETE", &format!("/api/shoots/{shoot}"), None).0, 204);
    assert_eq!(served.get("/api/shoots").1, json!([]));
    assert_eq!(served.get(&format!("/api/shoots/{shoot}")).0, 404);
    let (status, back) = served.post(&format!("/api/shoots/{shoot}/restore"), &json!({}));
    assert_eq!((status, back["frames"].as_array().unwrap().len()), (200, 1));
}

/// Killed hard in the middle of a run and started again: the shoot is whole, the run says that it
/// was interrupted, and it goes on without decoding or matching again.
#[test]
fn a_killed_server_leaves_a_whole_shoot_and_a_run_that_goes_on() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 16, (1500, 1000));
    let data = folder.path().join("data");
    let served = Served::start(&data, &[&scene.folder]);
    let shoot = served.add_shoot("Salt");
    let wish = json!({"path": scene.folder, "role": "light"});
    let (status, added) = served.post(&format!("/api/shoots/{shoot}/folder"), &wish);
    assert_eq!((status, added.as_array().unwrap().len()), (201, 16), "{added}");
    served.post(&format!("/api/shoots/{shoot}/runs"), &json!({}));
    served.until_job(shoot, |job| job["stage"] == "combine" || job["state"] == "done");
    served.kill();

    let served = Served::start(&data, &[&scene.folder]);
    let (_, shown) = served.get(&format!("/api/shoots/{shoot}"));
    assert_eq!(shown["frames"].as_array().unwrap().len(), 16);
    let job = &shown["jobs"][0];
    assert_eq!(job["state"], "interrupted", "{job}");
    assert_eq!(shown["results"], json!([]));
    let (status, _) = served.post(&format!("/api/jobs/{}/resume", job["id"]), &json!({}));
    assert_eq!(status, 200);
    served.until_job(shoot, |job| job["state"] == "done");
    let (_, shown) = served.get(&format!("/api/shoots/{shoot}"));
    let report = &shown["results"][0]["report"];
    assert!(report["frames"].as_array().unwrap().iter().all(|f| f["used"] == true), "{report}");
    let stages = report["stages"].as_array().unwrap().iter().filter(|s| !s["seconds"].is_null());
    let stages: Vec<&str> = stages.map(|s| s["stage"].as_str().unwrap()).collect();
    assert_eq!(stages, ["frames", "combine"], "aligned before the kill");
}

/// Killed right after a stroke: all strokes that were answered are there, and give the same mask.
#[test]
fn painted_strokes_survive_a_kill() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 4, (900, 600));
    let data = folder.path().join("data");
    let served = Served::start(&data, &[&scene.folder]);
    let shoot = served.add_shoot("Salt");
    let path = format!("/api/shoots/{shoot}");
    let wish = json!({"path": scene.folder, "role": "light"});
    assert_eq!(served.post(&format!("{path}/folder"), &wish).0, 201);
    let mut plan = served.get(&path).1["plan"].clone();
    plan["align"]["mode"] = json!("stars");
    plan["skyline"]["mode"] = json!("auto");
    let paints = ["ground-stroke", "sky-brush", "ground-brush"];
    for (i, paint) in paints.iter().enumerate() {
        let points = [[100.0 + 150.0 * i as f64, 80.0, 25.0]];
        let strokes = plan["skyline"]["strokes"].as_array_mut().unwrap();
        strokes.push(json!({"paint": paint, "points": points, "soft": 0.0}));
        let (status, said) = served.send_json("PATCH", &path, Some(&json!({"plan": plan})));
        assert_eq!(status, 200, "{said}");
        if i == 1 {
            served.carry_out(&format!("{path}/skyline"), &json!(null));
        }
    }
    served.kill();

    let served = Served::start(&data, &[&scene.folder]);
    let kept = served.get(&path).1["plan"]["skyline"]["strokes"].clone();
    assert_eq!(kept, plan["skyline"]["strokes"]);
    let found = |served: &Served| {
        served.carry_out(&format!("{path}/skyline"), &json!(null));
        served.get(&format!("{path}/skyline"))
    };
    let (status, seen) = found(&served);
    assert_eq!((status, &seen["frames"]), (200, &json!(4)), "{seen}");
    served.kill();
    // Found anew, it is the same.
    let served = Served::start(&data, &[&scene.folder]);
    assert_eq!(found(&served).1, seen);
}

#[test]
fn a_running_job_can_be_cancelled() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 12, (1500, 1000));
    let served = Served::start(&folder.path().join("data"), &[&scene.folder]);
    let shoot = served.add_shoot("Salt");
    served.post(
        &format!("/api/shoots/{shoot}/folder"),
        &json!({"path": scene.folder, "role": "light"}),
    );
    let (_, job) = served.post(&format!("/api/shoots/{shoot}/runs"), &json!({}));
    served.until_job(shoot, |job| job["state"] == "running");
    served.post(&format!("/api/jobs/{}/cancel", job["id"]), &json!({}));
    served.until_job(shoot, |job| job["state"] != "running");
    let (_, shown) = served.get(&format!("/api/shoots/{shoot}"));
    assert_eq!((&shown["jobs"][0]["state"], &shown["results"]), (&json!("cancelled"), &json!([])));
}

#[test]
fn listening_elsewhere_needs_a_password() {
    let folder = tempfile::tempdir().unwrap();
    let output = crate::common::program()
        .args(["serve", "--listen", "0.0.0.0:0", "--data"])
        .arg(folder.path())
        .output()
        .unwrap();
    assert_eq!(output.status.code(), Some(1));
    let said = String::from_utf8(output.stderr).unwrap();
    assert!(said.contains("JADE_STACK_PASSWORD"), "{said}");
}
