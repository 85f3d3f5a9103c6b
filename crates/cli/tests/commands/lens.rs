//! The lens and saved plans, as someone at a terminal uses them.

use crate::common::program;
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::Output;

const SIZE: [&str; 4] = ["--width", "900", "--height", "600"];

fn scene(folder: &Path, arguments: &[&str]) -> Vec<PathBuf> {
    let mut command = program();
    command.args(["scene", "night-sky", "--quiet", "--seed", "17", "--out"]).arg(folder);
    assert!(command.args(SIZE).args(arguments).status().unwrap().success());
    files(folder)
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
    let mut files: Vec<PathBuf> = entries.filter(|path| path.is_file()).collect();
    files.sort();
    files
}

fn text(output: &[u8]) -> String {
    String::from_utf8_lossy(output).into_owned()
}

fn json(path: &Path) -> Value {
    serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap()
}

fn well(output: &Output) {
    assert!(output.status.success(), "{}", text(&output.stderr));
}

#[test]
fn a_lens_is_found_once_and_given_to_other_runs() {
    let folder = tempfile::tempdir().unwrap();
    let card = folder.path().join("card");
    let frames = scene(&card, &["--frames", "24", "--darks", "0", "--fringes", "1.2,-0.8"]);
    let lens = folder.path().join("lens.json");
    let mut command = program();
    command.arg("lens").args(&frames).args(["--quiet", "--out"]).arg(&lens);
    let found = command.output().unwrap();
    well(&found);
    let said = text(&found.stdout);
    assert!(said.contains("distortion: corners -"), "{said}");
    assert!(said.contains("red: +1.") && said.contains("blue: -0."), "{said}");
    assert!(json(&lens)["red"][0].is_number());

    let plan = folder.path().join("plan.json");
    let run = |lens: &str, out: &str| {
        let mut command = program();
        command.arg("stack").args(&frames[..3]).args([
            "--quiet",
            "--replace",
            "--edges",
            "keep",
            "--lens",
        ]);
        command.arg(lens).arg("--out").arg(folder.path().join(out));
        command.arg("--save-plan").arg(&plan).output().unwrap()
    };
    well(&run(lens.to_str().unwrap(), "straight.tif"));
    assert_eq!(json(&plan)["plan"]["prepare"]["lens"], json(&lens));
    let wrong = run(frames[0].to_str().unwrap(), "wrong.tif");
    assert_eq!(wrong.status.code(), Some(1));
    assert!(text(&wrong.stderr).contains("f01.tif: the lens cannot be read"));
    std::fs::write(&lens, r#"{"distortion": [3.0, 0.0]}"#).unwrap();
    let said = text(&run(lens.to_str().unwrap(), "wrong.tif").stderr);
    assert!(said.contains("No lens bends a picture by 3"), "{said}");
    assert!(!folder.path().join("wrong.tif").exists());
}

#[test]
fn flats_tell_shading_and_other_frames_do_not() {
    let folder = tempfile::tempdir().unwrap();
    let frames = scene(folder.path(), &["--frames", "2", "--darks", "0", "--raw", "--flats", "1"]);
    let flats = files(&folder.path().join("flats"));
    let of =
        |flat: &Path| program().args(["lens", "--quiet", "--flat"]).arg(flat).output().unwrap();
    let found = of(&flats[0]);
    well(&found);
    assert!(text(&found.stdout).contains("shading: 62 % of the light reaches the corners"));
    let refused = of(&frames[0]);
    assert_eq!(refused.status.code(), Some(1));
    assert!(text(&refused.stderr).contains("shows no evenly lit surface"));
}

#[test]
fn a_saved_plan_is_carried_out_again_with_the_same_bytes() {
    let folder = tempfile::tempdir().unwrap();
    let card = folder.path().join("card");
    let frames = scene(&card, &["--frames", "5", "--darks", "3", "--raw", "--biases", "3"]);
    let [darks, biases] = ["darks", "biases"].map(|name| files(&card.join(name)));
    let (first, plan) = (folder.path().join("night.tif"), folder.path().join("night.plan.json"));
    let mut command = program();
    command.arg("stack").args(&frames).arg("--dark").args(&darks).arg("--bias").args(&biases);
    command.args(["--quiet", "--combine", "clipped", "--exposure", "0.5", "--denoise", "0.3"]);
    command.arg("--reference").arg(&frames[1]);
    well(&command.arg("--save-plan").arg(&plan).arg("--out").arg(&first).output().unwrap());
    let record = json(&plan);
    assert_eq!(record["calibration"].as_array().unwrap().len(), 6);
    assert_eq!(record["calibration"][0]["shows"], "dark");

    let again = |frames: &Path| {
        let mut command = program();
        command.arg("run").arg(&plan).args(["--quiet", "--replace", "--frames"]).arg(frames);
        command.arg("--out").arg(folder.path().join("again")).output().unwrap()
    };
    well(&again(&card));
    let second = folder.path().join("again/night.tif");
    assert!(std::fs::read(&first).unwrap() == std::fs::read(&second).unwrap(), "other bytes");
    assert_eq!(json(&folder.path().join("again/night.plan.json")), record);

    // A frame that was changed since, and one that is gone.
    std::fs::remove_file(&second).unwrap();
    std::fs::copy(&frames[3], &frames[2]).unwrap();
    let said = text(&again(&card).stderr);
    assert!(said.contains("this is not the file that the plan was made with"), "{said}");
    std::fs::remove_file(&frames[2]).unwrap();
    let said = text(&again(&card).stderr);
    assert!(said.contains("the plan needs this frame"), "{said}");
    assert!(!second.exists());
    std::fs::write(&plan, "{").unwrap();
    let said = text(&again(&card).stderr);
    assert!(said.contains("night.plan.json: This is no plan"), "{said}");
}
