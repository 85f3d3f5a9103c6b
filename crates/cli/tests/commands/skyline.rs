//! Sky and ground kept apart, as someone at a terminal does it.

use crate::common::program;
use jade_combine::mask::Mask;
use jade_pixels::read::PictureFile;
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::Output;

fn text(output: &[u8]) -> String {
    String::from_utf8_lossy(output).into_owned()
}

fn scene(folder: &Path) -> Vec<PathBuf> {
    let mut command = program();
    command.args(["scene", "night-sky", "--land", "hills", "--quiet", "--seed", "9", "--out"]);
    command
        .arg(folder)
        .args(["--frames", "6", "--darks", "0", "--width", "900", "--height", "600"]);
    assert!(command.status().unwrap().success());
    (1..=6).map(|i| folder.join(format!("f{i:02}.tif"))).collect()
}

fn stack(frames: &[PathBuf], out: &Path, arguments: &[&str]) -> Output {
    let mut command = program();
    command.arg("stack").args(frames).args(["--combine", "clipped", "--edges", "keep", "--out"]);
    command.arg(out).args(arguments).output().unwrap()
}

#[test]
fn a_skyline_is_found_saved_and_used_again() {
    let folder = tempfile::tempdir().unwrap();
    let frames = scene(&folder.path().join("card"));
    let path = |name: &str| folder.path().join(name);
    let (mask, report, plan) = (path("mask.png"), path("report.json"), path("joined.plan.json"));
    let named = |path: &PathBuf| path.to_str().unwrap().to_owned();
    let found = stack(
        &frames,
        &path("joined.tif"),
        &["--skyline", "auto", "--save-mask", &named(&mask), "--report", &named(&report)],
    );
    assert!(found.status.success(), "{}", text(&found.stderr));
    let output = text(&found.stderr);
    assert!(output.contains("% sky, noise of the ground ÷ 2."), "{output}");
    let written: Value = serde_json::from_slice(&std::fs::read(&report).unwrap()).unwrap();
    let stages = written["stages"].as_array().unwrap();
    let skyline = stages.iter().find(|stage| stage["stage"] == "skyline").unwrap();
    let sky = skyline["sky"].as_f64().unwrap();
    let truth = Mask::read(&path("card/truth/sky-mask.png"), (900, 600)).unwrap();
    let share = truth.shares().iter().map(|v| f64::from(*v)).sum::<f64>() / (255.0 * 540_000.0);
    assert!((sky - share).abs() < 0.01, "{sky} of {share}");
    assert_eq!(skyline["ground_frames"], 6);

    // Where the picture is cut, so is the mask, or it is as large as the frames, to be loaded again.
    let cut = path("cut.png");
    let trimmed =
        ["--edges", "trim", "--skyline", "auto", "--replace", "--save-mask", &named(&cut)];
    let size = |path: &Path| {
        let facts = PictureFile::open(path).unwrap().facts().clone();
        (facts.width, facts.height)
    };
    for (mask_size, whole) in [("result", false), ("frame", true)] {
        let mut command = program();
        command.arg("stack").args(&frames).args(trimmed).args(["--mask-size", mask_size]);
        assert!(command.arg("--out").arg(path("cut.tif")).output().unwrap().status.success());
        let picture = size(&path("cut.tif"));
        assert!(picture.0 < 900 && size(&cut) == if whole { (900, 600) } else { picture });
    }
    let [cut, whole] = [&cut, &mask].map(|file| Mask::read(file, (900, 600)).unwrap());
    let same = |at: &usize| cut.shares()[*at].abs_diff(whole.shares()[*at]) <= 2;
    let inside = (0..540_000).filter(|i| (60..840).contains(&(i % 900)) && *i > 60 * 900);
    let inside: Vec<usize> = inside.filter(|i| *i < 540 * 900).collect();
    assert!(inside.iter().filter(|at| same(at)).count() * 1000 > inside.len() * 999);

    // The saved mask gives the same picture but for what lights in the ground told of the alignment,
    // and so does the plan that was saved with it.
    let again = stack(
        &frames,
        &path("again.tif"),
        &["--skyline", &named(&mask), "--quiet", "--save-plan", &named(&plan)],
    );
    assert!(again.status.success(), "{}", text(&again.stderr));
    let bytes = |name: &str| std::fs::read(path(name)).unwrap();
    let green = |name: &str| Mask::read(&path(name), (900, 600)).unwrap();
    let (joined, again) = (green("joined.tif"), green("again.tif"));
    let pairs = joined.shares().iter().zip(again.shares());
    let apart = pairs.filter(|(a, b)| a.abs_diff(**b) > 6).count();
    assert!(apart < 540, "{apart} pixels differ");
    let mut command = program();
    command.arg("run").arg(&plan).args(["--quiet", "--frames"]).arg(folder.path());
    let run = command.arg("--out").arg(path("out")).output().unwrap();
    assert!(run.status.success(), "{}", text(&run.stderr));
    assert!(bytes("out/joined.tif") == bytes("again.tif"), "the plan gives the same bytes");

    // Another ground, and one frame alone.
    for (name, ground) in [("mean", "mean"), ("one", "frame")] {
        let out = path(&format!("{name}.tif"));
        let made = stack(
            &frames,
            &out,
            &["--skyline", &named(&mask), "--quiet", "--ground", ground, "--skyline-margin", "1"],
        );
        assert!(made.status.success(), "{}", text(&made.stderr));
        assert!(std::fs::read(&out).unwrap() != bytes("joined.tif"));
    }
}

#[test]
fn a_mask_is_found_without_stacking_in_one_frame_too() {
    let folder = tempfile::tempdir().unwrap();
    let frames = scene(&folder.path().join("card"));
    let mask = folder.path().join("mask.tif");
    let truth = folder.path().join("card/truth/sky-mask.png");
    let truth = Mask::read(&truth, (900, 600)).unwrap();
    let report = folder.path().join("report.json");
    let find = |frames: &[PathBuf], out: &Path| {
        let mut command = program();
        command
            .arg("skyline")
            .args(frames)
            .arg("--replace")
            .arg("--report")
            .arg(&report)
            .arg("--out");
        command.arg(out).output().unwrap()
    };
    for (count, alone) in [(6, false), (1, true)] {
        let done = find(&frames[..count], &mask);
        let said = text(&done.stderr);
        assert!(done.status.success(), "{said}");
        assert_eq!(said.contains("one frame alone"), alone, "{said}");
        assert!(said.contains("% sky in "), "{said}");
        let measured: Value = serde_json::from_slice(&std::fs::read(&report).unwrap()).unwrap();
        assert_eq!(measured["frames"], count);
        let found = Mask::read(&mask, (900, 600)).unwrap();
        let pairs = found.shares().iter().zip(truth.shares());
        let wrong = pairs.filter(|(a, b)| a.abs_diff(**b) > 127).count();
        assert!(wrong < 540_000 / 50, "{wrong} pixels of {count} frames");
    }
    let refused = find(&frames, &folder.path().join("mask.jpg"));
    assert!(!refused.status.success());
    assert!(text(&refused.stderr).contains("mask.jpg: name the mask .tif or .png"));
}

#[test]
fn the_sky_is_finished_and_the_ground_is_the_same() {
    let folder = tempfile::tempdir().unwrap();
    let frames = scene(&folder.path().join("card"));
    let path = |name: &str| folder.path().join(name);
    let named = |name: &str| path(name).to_str().unwrap().to_owned();
    let mask = named("card/truth/sky-mask.png");
    let (report, plan) = (named("report.json"), named("even.plan.json"));
    let plain = stack(&frames, &path("plain.tif"), &["--skyline", &mask, "--quiet"]);
    assert!(plain.status.success(), "{}", text(&plain.stderr));
    let finish = ["--sky-glow", "1", "--sky-smoothing", "0.5"];
    let kept = ["--skyline", &mask, "--report", &report, "--save-plan", &plan];
    let done = stack(&frames, &path("even.tif"), &[&kept[..], &finish].concat());
    let output = text(&done.stderr);
    assert!(done.status.success(), "{output}");
    assert!(output.contains("; sky uneven by ") && output.contains("noise of the sky smoothed ÷"));
    let written: Value = serde_json::from_slice(&std::fs::read(&report).unwrap()).unwrap();
    let stages = written["stages"].as_array().unwrap();
    let finish = stages.iter().find(|stage| stage["stage"] == "finish").unwrap();
    let [was, is] = [0, 1].map(|i| finish["uneven"][i].as_f64().unwrap());
    assert!(is < 0.7 * was, "{was} {is}");
    let stages: Vec<&str> = stages.iter().filter_map(|s| s["stage"].as_str()).collect();
    assert_eq!(stages[stages.len() - 2..], ["finish", "export"]);
    let picture = |name: &str| Mask::read(&path(name), (900, 600)).unwrap();
    let sky = picture("card/truth/sky-mask.png");
    let (plain, even) = (picture("plain.tif"), picture("even.tif"));
    let ground = (0..540_000).filter(|i| sky.shares()[*i] == 0);
    assert!(ground.clone().all(|i| plain.shares()[i] == even.shares()[i]));
    let changed = (0..540_000).filter(|i| plain.shares()[*i] != even.shares()[*i]).count();
    assert!(changed > ground.count() / 2, "{changed} pixels of the sky");

    // The plan that was saved gives the same bytes.
    let mut command = program();
    command.arg("run").arg(&plan).args(["--quiet", "--frames"]).arg(folder.path());
    let run = command.arg("--out").arg(path("out")).output().unwrap();
    assert!(run.status.success(), "{}", text(&run.stderr));
    assert!(
        std::fs::read(path("out/even.tif")).unwrap() == std::fs::read(path("even.tif")).unwrap()
    );

    let refused = stack(&frames, &path("no.tif"), &["--sky-glow", "1.5"]);
    assert!(!refused.status.success() && !path("no.tif").exists());
    assert!(text(&refused.stderr).contains("Sky glow cannot be set to 1.5; choose from 0"));
}

#[test]
fn what_does_not_fit_together_is_said_before_anything_is_done() {
    let folder = tempfile::tempdir().unwrap();
    let frames = scene(&folder.path().join("card"));
    let out = folder.path().join("out.tif");
    let said = |arguments: &[&str]| {
        let made = stack(&frames, &out, arguments);
        assert_eq!(made.status.code(), Some(1));
        assert!(!out.exists());
        text(&made.stderr)
    };
    let unaligned = said(&["--skyline", "auto", "--align", "none"]);
    assert!(unaligned.contains("aligned on the stars"), "{unaligned}");
    let missing = said(&["--skyline", "nowhere.png"]);
    assert!(missing.contains("nowhere.png: there is no such mask"), "{missing}");
    let off = said(&["--save-mask", "mask.png"]);
    assert!(off.contains("need --skyline auto or a mask"), "{off}");
    let jpeg = said(&["--skyline", "auto", "--save-mask", "mask.jpg"]);
    assert!(jpeg.contains("name the mask .tif or .png"), "{jpeg}");
}
