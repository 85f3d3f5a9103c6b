//! Files as others read them: `exiftool -validate` and `tiffinfo` say nothing about any that is written,
//! and find in every format what the camera noted.

use crate::common::{Scene, program};
use jade_pixels::colour::{Encoding, Space};
use jade_pixels::facts::{Details, Facts, FileFormat, GpsEntry, GpsValue};
use jade_pixels::write::{Picture, Taken, Target, write_picture};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::Command;

/// What a program of others says of files; nothing where it is not installed.
fn said(program: &str, arguments: &[&str], files: &[PathBuf]) -> Option<(String, String)> {
    let output = match Command::new(program).args(arguments).args(files).output() {
        Ok(output) => output,
        Err(_) => {
            eprintln!(
                "{program} is not installed, and was not asked; `cargo xtask test` installs it"
            );
            return None;
        }
    };
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).trim().to_owned();
    Some((text(&output.stdout), text(&output.stderr)))
}

fn is_valid(path: &Path) {
    are_valid(&[path.to_owned()]);
}

/// `exiftool` is asked once for all files, because it starts more slowly than it reads.
fn are_valid(files: &[PathBuf]) {
    let validate = ["-json", "-validate", "-warning", "-error", "-a", "-q"];
    if let Some((output, error)) = said("exiftool", &validate, files) {
        assert_eq!(error, "");
        let all: Vec<Value> = serde_json::from_str(&output).unwrap();
        assert_eq!(all.len(), files.len());
        for (of, path) in all.iter().zip(files) {
            assert_eq!(*of, json!({"SourceFile": path, "Validate": "OK"}));
        }
    }
    for path in files.iter().filter(|p| p.extension().is_some_and(|e| e == "tif" || e == "dng")) {
        if let Some((_, error)) = said("tiffinfo", &[], std::slice::from_ref(path)) {
            assert_eq!(error, "", "{}", path.display());
        }
    }
}

/// What a file says, by the names that EXIF has.
fn tags(path: &Path) -> Option<Value> {
    let (output, _) = said("exiftool", &["-json", "-n", "-a"], &[path.to_owned()])?;
    serde_json::from_str::<Value>(&output).ok()?.get(0).cloned()
}

fn text(text: &str) -> Option<String> {
    Some(text.to_owned())
}

/// A frame of one colour with all that a camera may note, in grey where wished.
fn frame(path: &Path, encoding: &Encoding, channels: usize, second: u32) {
    let entry = |tag, value| GpsEntry { tag, value };
    let facts = Facts {
        camera: text("Salzwerk S1"),
        lens: text("Köder 小 35mm"),
        exposure_s: Some(1.0 / 30.0),
        iso: Some(102_400),
        aperture: Some(2.8),
        focal_mm: Some(35.0),
        taken: Some(format!("2026-03-14 22:10:{second:02}")),
        details: Details {
            make: text("Salzwerk"),
            model: text("S1"),
            lens_make: text("Köder"),
            artist: text("Zoë Salt"),
            copyright: text("© Zoë Salt"),
            description: text("A mast, ein Mast"),
            subsecond: text("37"),
            offset: text("+01:00"),
            per_inch: Some([300.0; 2]),
            gps: vec![
                entry(1, GpsValue::Text("N".to_owned())),
                entry(2, GpsValue::Ratios(vec![[47, 1], [30, 1], [0, 1]])),
                entry(3, GpsValue::Text("E".to_owned())),
                entry(4, GpsValue::Ratios(vec![[8, 1], [15, 1], [0, 1]])),
            ],
        },
        ..Facts::bare(FileFormat::Tiff, 61, 47, 16)
    };
    let taken = Some(Taken { facts: &facts, stack: None, place: true });
    let picture = Picture { width: 61, height: 47, channels, encoding, taken };
    let target = match path.extension().and_then(|e| e.to_str()) {
        Some("png") => Target::Png { sixteen_bit: true },
        Some("jpg") => Target::Jpeg { quality: 92 },
        _ => Target::Tiff { sixteen_bit: true, deflate: false },
    };
    write_picture(path, target, &picture, &mut |y, rows| {
        let code = |i: usize| 9000 + ((y as usize * 977 + i * 331) % 4000) as u16;
        rows.iter_mut().enumerate().for_each(|(i, v)| *v = code(i));
        Ok(())
    })
    .unwrap();
}

fn stack(frames: &[PathBuf], out: &Path, more: &[&str]) {
    let mut command = program();
    command.arg("stack").args(frames).args(["--align", "none", "--quiet", "--out"]).arg(out);
    let output = command.args(more).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
}

#[test]
fn every_format_says_what_the_camera_noted() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let encoding = Encoding::of_space(Space::A98);
    // Frames of every format that is written, so that each is read as well.
    for kind in ["tif", "png", "jpg"] {
        let frames: Vec<PathBuf> = (0..3).map(|i| at(&format!("f{i}.{kind}"))).collect();
        for (i, path) in frames.iter().enumerate() {
            frame(path, &encoding, 3, 10 + i as u32);
            is_valid(path);
        }
        for name in ["r.tif", "r.png", "r.jpg", "light.tif"] {
            let out = at(&format!("{kind}-{name}"));
            stack(&frames, &out, if name == "light.tif" { &["--depth", "32f"] } else { &[] });
            is_valid(&out);
            let Some(said) = tags(&out) else { continue };
            for (tag, value) in [
                ("Make", json!("Salzwerk")),
                ("Model", json!("S1")),
                ("LensMake", json!("Köder")),
                ("LensModel", json!("Köder 小 35mm")),
                ("Artist", json!("Zoë Salt")),
                ("Copyright", json!("© Zoë Salt")),
                ("ImageDescription", json!("A mast, ein Mast")),
                ("ISO", json!(65_535)),
                ("RecommendedExposureIndex", json!(102_400)),
                ("FNumber", json!(2.8)),
                ("FocalLength", json!(35)),
                ("DateTimeOriginal", json!("2026:03:14 22:10:11")),
                ("SubSecTimeOriginal", json!(37)),
                ("OffsetTimeOriginal", json!("+01:00")),
                ("XResolution", json!(300)),
                ("GPSLatitude", json!(47.5)),
                ("GPSLongitude", json!(8.25)),
                ("CompositeImage", json!(2)),
                ("CompositeImageCount", json!("3 3")),
            ] {
                assert_eq!(said[tag], value, "{tag} of {}", out.display());
            }
            let software = said["Software"].as_str().unwrap();
            assert!(software.starts_with("Jade Stack"), "{software}");
            // All frames together: a tenth of a second.
            let exposures = said["CompositeImageExposureTimes"].as_str().unwrap().to_owned();
            assert!(exposures.starts_with("0.1 0.1 0.1 0.0333"), "{exposures}");
        }
        let out = at(&format!("{kind}-anywhere.jpg"));
        stack(&frames, &out, &["--no-location"]);
        is_valid(&out);
        if let Some(said) = tags(&out) {
            assert!(said.get("GPSLatitude").is_none() && said["Model"] == "S1", "{said}");
        }
    }
}

#[test]
fn every_kind_of_file_is_valid() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let scene = Scene::new(folder.path(), 5, (600, 400));
    let frames = scene.frames();
    for depth in ["8", "16", "32f"] {
        for profile in ["input", "srgb", "display-p3", "a98", "prophoto", "linear"] {
            if (depth, profile) == ("8", "linear") {
                continue;
            }
            let out = at(&format!("r-{depth}-{profile}.tif"));
            stack(&frames, &out, &["--depth", depth, "--profile", profile]);
            if depth != "32f" {
                let out = out.with_extension("png");
                stack(&frames, &out, &["--depth", depth, "--profile", profile]);
            }
        }
    }
    let save = |option: &str, name: &str| [option.to_owned(), at(name).display().to_string()];
    let beside = [
        save("--save-mask", "mask.tif"),
        save("--save-coverage", "coverage.png"),
        save("--save-rejected", "rejected.tif"),
    ];
    let mut more: Vec<&str> = beside.iter().flatten().map(String::as_str).collect();
    more.extend(["--combine", "clipped", "--skyline", "auto", "--align", "stars"]);
    let mut command = program();
    command.arg("stack").args(&frames).args(["--quiet", "--out"]).arg(at("joined.tif")).args(more);
    assert!(command.status().unwrap().success());
    let moss = at("moss");
    let mut command = program();
    command.args(["scene", "focus-sweep", "--frames", "5", "--width", "400", "--height", "300"]);
    assert!(command.args(["--quiet", "--out"]).arg(&moss).status().unwrap().success());
    let planes = (1..=5).map(|i| moss.join(format!("f{i:02}.tif")));
    let planes: Vec<PathBuf> = planes.filter(|path| path.exists()).collect();
    let mut command = program();
    command.arg("focus").args(&planes).args(["--quiet", "--out"]).arg(at("moss.jpg"));
    command.arg("--save-depth").arg(at("depth.tif")).arg("--moving").arg(at("moving.png"));
    assert!(command.output().unwrap().status.success());
    let raw = at("raw");
    let mut command = program();
    command.args([
        "scene",
        "night-sky",
        "--raw",
        "--frames",
        "2",
        "--darks",
        "1",
        "--width",
        "601",
    ]);
    command.args(["--height", "401", "--quiet", "--out"]).arg(&raw);
    assert!(command.status().unwrap().success());
    let mut written = vec![];
    let mut folders = vec![folder.path().to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap().flatten() {
            let path = entry.path();
            match path.extension().and_then(|e| e.to_str()) {
                _ if path.is_dir() => folders.push(path),
                Some("tif" | "png" | "jpg" | "dng") => written.push(path),
                _ => {}
            }
        }
    }
    assert!(written.len() > 30, "{} files", written.len());
    are_valid(&written);
}

/// Grey frames become a picture whose colours mean the same: no profile for grey in a file of colours.
#[test]
fn grey_frames_have_a_profile_that_fits() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let frames: Vec<PathBuf> = (0..2).map(|i| at(&format!("f{i}.tif"))).collect();
    for path in &frames {
        frame(path, &Encoding::srgb(), 1, 0);
        is_valid(path);
    }
    for name in ["r.tif", "r.png", "r.jpg"] {
        let out = at(name);
        stack(&frames, &out, &[]);
        is_valid(&out);
        if let Some(said) = tags(&out) {
            assert_eq!(said["ColorSpaceData"], "RGB ", "{name}");
        }
    }
}
