//! Focus sweeps, as someone at a terminal uses them.

use crate::common::program;
use jade_pixels::read::PictureFile;
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::Output;

fn text(output: &[u8]) -> String {
    String::from_utf8_lossy(output).into_owned()
}

fn focus(frames: &[PathBuf], report: &Path) -> Output {
    let mut command = program();
    command.arg("focus").args(frames).arg("--quiet").arg("--report").arg(report).output().unwrap()
}

#[test]
fn a_sweep_is_put_in_order_and_a_missing_plane_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let card = folder.path().join("card");
    let mut command = program();
    command.args(["scene", "focus-sweep", "--quiet", "--seed", "5", "--frames", "9", "--out"]);
    command.arg(&card).args(["--width", "600", "--height", "400"]);
    assert!(command.status().unwrap().success());
    assert!(card.join("truth/sharp.tif").is_file() && card.join("truth/depth.png").is_file());
    // Without the fifth, and under names that tell nothing.
    let shown = [("a", 7), ("b", 2), ("c", 9), ("d", 1), ("e", 4), ("f", 8), ("g", 3), ("h", 6)];
    let named = |name: &str| folder.path().join(format!("{name}.tif"));
    for (name, number) in shown {
        std::fs::rename(card.join(format!("f{number:02}.tif")), named(name)).unwrap();
    }
    let frames: Vec<PathBuf> = shown.iter().map(|(name, _)| named(name)).collect();
    let report = folder.path().join("sweep.json");
    let found = focus(&frames, &report);
    assert!(found.status.success(), "{}", text(&found.stderr));
    let said = text(&found.stdout);
    let mut order: Vec<&str> = said.lines().collect();
    if order[0] == "c.tif" {
        order.reverse();
    }
    assert_eq!(order.concat(), "d.tifb.tifg.tife.tifh.tifa.tiff.tifc.tif");
    let doubt = text(&found.stderr);
    let both = doubt.contains("e.tif") && doubt.contains("h.tif");
    assert!(both && doubt.contains("times as far as usual"), "{doubt}");
    let report: Value = serde_json::from_slice(&std::fs::read(&report).unwrap()).unwrap();
    let merge =
        report["stages"].as_array().unwrap().iter().find(|s| s["stage"] == "merge").unwrap();
    assert_eq!(["steps", "doubts"].map(|part| merge[part].as_array().unwrap().len()), [7, 1]);
}

#[test]
fn a_sweep_is_merged_and_its_depth_map_saved() {
    let folder = tempfile::tempdir().unwrap();
    let card = folder.path().join("card");
    let mut command = program();
    command.args(["scene", "focus-sweep", "--quiet", "--seed", "6", "--frames", "8", "--out"]);
    command.arg(&card).args(["--width", "600", "--height", "400"]);
    assert!(command.status().unwrap().success());
    let frames: Vec<PathBuf> = (1..=8).map(|i| card.join(format!("f{i:02}.tif"))).collect();
    let [out, map, report] =
        ["merged.png", "focus.png", "merged.json"].map(|name| folder.path().join(name));
    let merge = |more: &[&str]| {
        let mut command = program();
        command.arg("focus").args(&frames).args(["--quiet", "--replace", "--out"]).arg(&out);
        command.arg("--save-depth").arg(&map).arg("--report").arg(&report).args(more);
        command.output().unwrap()
    };
    for way in ["smooth", "fine"] {
        let made = merge(&["--way", way]);
        assert!(made.status.success(), "{}", text(&made.stderr));
        let written: Value = serde_json::from_slice(&std::fs::read(&report).unwrap()).unwrap();
        let size: Vec<u32> = serde_json::from_value(written["size"].clone()).unwrap();
        // Trimmed to what all frames cover: the picture grows by three percent.
        assert!((570..600).contains(&size[0]) && (380..400).contains(&size[1]), "{size:?}");
        for file in [&out, &map] {
            let facts = PictureFile::open(file).unwrap().facts().clone();
            assert_eq!((vec![facts.width, facts.height], facts.bits), (size.clone(), 16));
        }
        let placed = written["frames"].as_array().unwrap();
        assert!(placed.len() == 8 && placed.iter().all(|frame| frame["used"] == true));
        std::fs::remove_file(&out).unwrap();
    }
    let plan = folder.path().join("merged.plan.json");
    let filled_out = folder.path().join("filled.tif");
    let mut command = program();
    command.arg("focus").args(&frames).args(["--quiet", "--edges", "fill", "--out"]);
    let filled = command.arg(&filled_out).arg("--save-plan").arg(&plan).output().unwrap();
    assert!(filled.status.success(), "{}", text(&filled.stderr));
    assert_eq!(text(&filled.stdout).lines().count(), 8, "the order of focus");
    assert_eq!(PictureFile::open(&filled_out).unwrap().facts().width, 600);
    let moving = folder.path().join("moving.png");
    let mut command = program();
    command.arg("focus").args(&frames).args(["--quiet", "--out"]).arg(&out);
    let made = command.arg("--moving").arg(&moving).output().unwrap();
    assert!(made.status.success(), "{}", text(&made.stderr));
    // Through the frames and back, marked as moving before the first one.
    let written = std::fs::read(&moving).unwrap();
    let at = written.windows(4).position(|four| four == b"acTL").unwrap();
    assert_eq!(written[at + 4..at + 8], 14u32.to_be_bytes());
    // The plan gives the same picture again.
    let mut command = program();
    command.arg("run").arg(&plan).args(["--quiet", "--frames"]).arg(&card);
    let again = command.arg("--out").arg(folder.path().join("again")).output().unwrap();
    assert!(again.status.success(), "{}", text(&again.stderr));
    let bytes = |path: &Path| std::fs::read(path).unwrap();
    assert!(bytes(&filled_out) == bytes(&folder.path().join("again/merged.tif")));
    // With a frame's own pixels painted over it, it differs there.
    let mut record: Value = serde_json::from_slice(&bytes(&plan)).unwrap();
    let blake3 = record["frames"][0]["blake3"].clone();
    record["plan"]["focus"]["patches"] = serde_json::json!([
        { "from": { "by": "frame", "blake3": blake3 }, "points": [[300, 200, 30]], "soft": 0.5 }
    ]);
    std::fs::write(&plan, record.to_string()).unwrap();
    let mut command = program();
    command.arg("run").arg(&plan).args(["--quiet", "--frames"]).arg(&card);
    let patched = command.arg("--out").arg(folder.path().join("patched")).output().unwrap();
    assert!(patched.status.success(), "{}", text(&patched.stderr));
    assert!(bytes(&filled_out) != bytes(&folder.path().join("patched/merged.tif")));
    let mut command = program();
    let refused =
        command.arg("focus").args(&frames).arg("--save-depth").arg(&map).output().unwrap();
    assert!(text(&refused.stderr).contains("--save-depth needs --out"));
}

#[test]
fn what_is_no_sweep_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let mut command = program();
    command.args(["scene", "kiln-yard", "--quiet", "--frames", "4", "--out"]).arg(folder.path());
    assert!(command.args(["--width", "600", "--height", "400"]).status().unwrap().success());
    let frames: Vec<PathBuf> =
        (1..=4).map(|i| folder.path().join(format!("f{i:02}.tif"))).collect();
    let report = folder.path().join("sweep.json");
    let said = text(&focus(&frames, &report).stderr);
    assert!(said.contains("What is sharp does not move through these frames"), "{said}");
    let said = text(&focus(&frames[..2], &report).stderr);
    assert!(said.contains("takes three frames or more, and 2 can be read"), "{said}");
}
