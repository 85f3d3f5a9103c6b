//! `scene` and `stack` as a person types them.

use crate::common::{Scene, program};
use serde_json::Value;
use std::path::Path;
use std::process::Output;

fn stack(scene: &Scene, out: &Path, more: &[&str]) -> Output {
    program().arg("stack").args(scene.frames()).arg("--out").arg(out).args(more).output().unwrap()
}

fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

#[test]
fn frames_become_a_picture_and_a_report() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 6, (900, 600));
    let report = folder.path().join("report.json");
    let out = folder.path().join("r.tif");
    let more =
        ["--combine", "median", "--edges", "keep", "--memory", "256", "--threads", "2", "--report"];
    let reference = scene.folder.join("f02.tif");
    let mut more: Vec<&str> = more.to_vec();
    more.extend([report.to_str().unwrap(), "--reference", reference.to_str().unwrap()]);
    let output = stack(&scene, &out, &more);
    assert!(output.status.success(), "{}", said(&output));
    let report: Value = serde_json::from_slice(&std::fs::read(report).unwrap()).unwrap();
    assert_eq!(report["version"], 2);
    assert_eq!(report["reference"], "f02.tif");
    assert_eq!(report["size"], serde_json::json!([900, 600]));
    assert_eq!(report["origin"], serde_json::json!([0, 0]));
    let frames = report["frames"].as_array().unwrap();
    assert_eq!(frames.len(), 6);
    for frame in frames {
        assert_eq!(frame["used"], true, "{frame}");
        assert!(frame["grid"].as_array().unwrap().len() >= 63);
        assert_eq!(frame["to_reference"].as_array().unwrap().len(), 3);
        assert!(
            frame["stars"].as_u64().unwrap() > 20 && frame["sky_level"].as_f64().unwrap() > 0.0
        );
    }
    let combine = report["stages"].as_array().unwrap().iter().find(|s| s["stage"] == "combine");
    assert!(combine.unwrap()["noise"]["gain"].as_f64().unwrap() > 1.5);
    let stages = report["stages"].as_array().unwrap().iter().filter(|s| !s["seconds"].is_null());
    let stages: Vec<&str> = stages.map(|s| s["stage"].as_str().unwrap()).collect();
    assert_eq!(stages, ["frames", "align", "combine", "export"]);
    assert!(report["peak_memory_mib"].as_u64().unwrap() > 0);
    let picture = jade_pixels::read::PictureFile::open(&out).unwrap();
    assert_eq!((picture.facts().bits, picture.facts().iso), (16, Some(6400)));
}

/// Whatever comes to be decoded together, frames that are cut short are left out.
#[test]
fn streamed_methods_leave_out_frames_that_are_cut_short() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 5, (300, 200));
    let jpegs = folder.path().join("jpegs");
    std::fs::create_dir(&jpegs).unwrap();
    let mut frames = vec![];
    for (i, frame) in scene.frames().iter().enumerate() {
        let out = jpegs.join(format!("f{:02}.jpg", i + 1));
        let two = [frame, &scene.frames()[(i + 1) % 5]];
        let mut made = program();
        made.arg("stack").args(two).args(["--align", "none", "--quiet", "--out"]);
        assert!(made.arg(&out).status().unwrap().success());
        frames.push(out);
    }
    // The last one, which comes alone to the last thread; and the middle one, which is the reference.
    for spoiled in [vec![4], vec![2], vec![2, 3, 4]] {
        let bytes: Vec<Vec<u8>> = frames.iter().map(|path| std::fs::read(path).unwrap()).collect();
        for i in &spoiled {
            std::fs::write(&frames[*i], &bytes[*i][..bytes[*i].len() * 2 / 3]).unwrap();
        }
        for method in ["mean", "lightest", "darkest"] {
            let out = folder.path().join("r.tif");
            let mut command = program();
            command.arg("stack").args(&frames).args(["--align", "none", "--combine", method]);
            let output = command.args(["--threads", "2", "--replace", "--out"]).arg(&out).output();
            let output = output.unwrap();
            assert!(output.status.success(), "{method} {spoiled:?}: {}", said(&output));
            for i in &spoiled {
                let name = format!("f{:02}.jpg is left out: the picture data are damaged", i + 1);
                assert!(said(&output).contains(&name), "{method} {spoiled:?}: {}", said(&output));
            }
        }
        frames.iter().zip(bytes).for_each(|(path, bytes)| std::fs::write(path, bytes).unwrap());
    }
}

#[test]
fn a_spoiled_frame_is_a_warning_and_the_rest_is_stacked() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 5, (900, 600));
    let bytes = scene.bytes("f04.tif");
    std::fs::write(scene.folder.join("f04.tif"), &bytes[..bytes.len() / 3]).unwrap();
    let out = folder.path().join("r.png");
    let output = stack(&scene, &out, &[]);
    assert!(output.status.success(), "{}", said(&output));
    assert!(
        said(&output).contains("f04.tif is left out: the file is cut short"),
        "{}",
        said(&output)
    );
    assert!(said(&output).contains("4 of 5 frames combined"), "{}", said(&output));
    assert!(out.exists());
}

#[test]
fn failures_say_why_in_one_sentence_and_leave_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 2, (300, 200));
    let cases: [(&str, &[&str], i32, &str); 5] = [
        ("r.bmp", &[], 1, "name the result .tif, .png or .jpg"),
        ("r.tif", &["--memory", "10"], 1, "memory budget of 10 MiB is too little"),
        (
            "r.tif",
            &["--reference", "/nowhere.tif"],
            1,
            "/nowhere.tif: the reference frame cannot be found",
        ),
        ("r.jpg", &["--depth", "16"], 1, "a JPEG holds 8 bits"),
        ("r.tif", &["--combine", "loudest"], 2, "invalid value 'loudest'"),
    ];
    for (name, more, status, why) in cases {
        let out = folder.path().join(name);
        let output = stack(&scene, &out, more);
        assert_eq!(output.status.code(), Some(status), "{}", said(&output));
        assert!(said(&output).contains(why), "{}", said(&output));
        assert!(!out.exists());
    }
}

#[test]
fn a_handheld_burst_becomes_a_picture_of_light_with_its_maps() {
    let folder = tempfile::tempdir().unwrap();
    let yard = folder.path().join("yard");
    let made = program()
        .args(["scene", "kiln-yard", "--quiet", "--deflate", "--frames", "4", "--seed", "9"])
        .args(["--width", "900", "--height", "600", "--out"])
        .arg(&yard)
        .status()
        .unwrap();
    assert!(made.success());
    let path = |name: &str| folder.path().join(name);
    let stack = |more: &[&str]| {
        let frames = (1..=4).map(|i| yard.join(format!("f0{i}.tif")));
        program()
            .arg("stack")
            .args(frames)
            .args(["--align", "scene", "--level", "--quiet"])
            .args(more)
            .arg("--out")
            .arg(path("light.tif"))
            .args(["--save-rejected".as_ref(), path("rejected.png").as_os_str()])
            .args(["--save-coverage".as_ref(), path("coverage.tif").as_os_str()])
            .args(["--report".as_ref(), path("report.json").as_os_str()])
            .output()
            .unwrap()
    };
    let wrong = stack(&["--combine", "mean"]);
    assert_eq!(wrong.status.code(), Some(1));
    assert!(said(&wrong).contains("--combine clipped"), "{}", said(&wrong));
    let clip = ["--combine", "clipped", "--clip", "3", "--edges", "keep", "--depth", "32f"];
    let output = stack(&clip);
    assert!(output.status.success(), "{}", said(&output));
    let report: Value =
        serde_json::from_slice(&std::fs::read(path("report.json")).unwrap()).unwrap();
    for frame in report["frames"].as_array().unwrap() {
        assert_eq!(frame["used"], true, "{frame}");
        assert!(frame["rejected"].as_f64().unwrap() > 0.0, "{frame}");
    }
    let light = std::fs::read(path("light.tif")).unwrap();
    assert!(light.len() > 900 * 600 * 12, "three floats for each pixel");
    for map in ["rejected.png", "coverage.tif"] {
        let facts = jade_pixels::read::PictureFile::open(&path(map)).unwrap().facts().clone();
        assert_eq!((facts.width, facts.height, facts.bits), (900, 600, 16), "{map}");
    }
}

#[test]
fn settings_that_do_not_fit_are_refused_in_a_sentence() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 2, (300, 200));
    let out = folder.path().join("r.tif");
    for (more, wanted) in [
        (&["--fill-gaps"][..], "star trails"),
        (&["--combine", "clipped", "--clip", "0"], "choose from 0.5 to 20"),
        (&["--save-coverage", "map.jpg"], ".tif or .png"),
    ] {
        let output = stack(&scene, &out, more);
        assert_eq!(output.status.code(), Some(1), "{more:?}");
        assert!(said(&output).contains(wanted), "{}", said(&output));
        assert!(!out.exists());
    }
}
