//! Raw frames and what they are calibrated with, as a person types them.

use crate::common::program;
use jade_pixels::read::PictureFile;
use std::path::{Path, PathBuf};

fn files(folder: &Path) -> Vec<PathBuf> {
    let mut files: Vec<PathBuf> = std::fs::read_dir(folder)
        .unwrap()
        .flatten()
        .map(|file| file.path())
        .filter(|path| path.extension().is_some_and(|e| e == "dng"))
        .collect();
    files.sort();
    files
}

/// The mean of a column of pixels near the right rim, where the amplifier glows.
fn rim(path: &Path) -> f64 {
    let file = PictureFile::open(path).unwrap();
    let width = file.facts().width as usize;
    let (mut sum, mut count) = (0.0, 0.0);
    file.rows(&mut |_, rows| {
        for row in rows.chunks_exact(width * 3) {
            sum += f64::from(row[(width - 8) * 3]);
            count += 1.0;
        }
        Ok(())
    })
    .unwrap();
    sum / count
}

#[test]
fn raw_frames_are_calibrated_and_stacked() {
    let folder = tempfile::tempdir().unwrap();
    let scene = folder.path().join("scene");
    let made = program()
        .args(["scene", "night-sky", "--raw", "--frames", "5", "--darks", "4", "--seed", "3"])
        .args(["--width", "600", "--height", "400", "--quiet", "--out"])
        .arg(&scene)
        .status()
        .unwrap();
    assert!(made.success());
    let plain = folder.path().join("plain.tif");
    let calibrated = folder.path().join("calibrated.tif");
    let stack = |out: &Path, more: &[&str]| {
        let mut command = program();
        command.arg("stack").args(files(&scene)).args(["--edges", "keep", "--out"]).arg(out);
        if !more.is_empty() {
            for (option, from) in [("--dark", "darks"), ("--flat", "flats"), ("--bias", "biases")] {
                command.arg(option).args(files(&scene.join(from)));
            }
        }
        let output = command.args(more).output().unwrap();
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(output.status.success(), "{said}");
        said
    };
    stack(&plain, &[]);
    let said = stack(&calibrated, &["--white-balance", "4800,-5", "--combine", "median"]);
    assert!(said.contains("faulty samples repaired"), "{said}");
    let (before, after) = (rim(&plain), rim(&calibrated));
    assert!(after < 0.9 * before, "the glow at the rim: {before} before, {after} after");

    // Darks of another size are refused in one sentence.
    let other = folder.path().join("other");
    let made = program()
        .args(["scene", "night-sky", "--raw", "--frames", "1", "--darks", "1", "--width", "300"])
        .args(["--height", "200", "--quiet", "--out"])
        .arg(&other)
        .status()
        .unwrap();
    assert!(made.success());
    let output = program()
        .arg("stack")
        .args(files(&scene))
        .arg("--out")
        .arg(folder.path().join("none.tif"))
        .arg("--dark")
        .arg(other.join("darks/d01.dng"))
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert_eq!(output.status.code(), Some(1), "{said}");
    assert!(said.contains("The dark frames are raw, 300 x 200 pixels"), "{said}");
}

#[test]
fn a_card_is_made_and_darks_that_do_not_fit_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let card = folder.path().join("card");
    let made = program()
        .args(["scene", "night-sky", "--card", "--raw", "--frames", "5", "--ground", "2"])
        .args(["--darks", "2", "--flats", "2", "--biases", "0", "--seed", "3"])
        .args(["--width", "600", "--height", "400", "--quiet", "--out"])
        .arg(&card)
        .status()
        .unwrap();
    assert!(made.success());
    // Two flats, five of the sky, two for the ground, two darks, in the order they were taken.
    let all = files(&card);
    assert_eq!(all.len(), 11);
    let (sky, ground, darks) = (&all[2..7], &all[7..9], &all[9..]);
    let stack = |lights: &[PathBuf], more: &[&str]| {
        let mut command = program();
        command.arg("stack").args(lights);
        command.args(["--align", "none", "--quiet", "--replace", "--out"]);
        command.arg(folder.path().join("out.tif")).arg("--dark").args(darks).args(more);
        let output = command.output().unwrap();
        (output.status.code(), String::from_utf8_lossy(&output.stderr).into_owned())
    };
    assert_eq!(stack(sky, &["--denoise", "0.5", "--denoise-colour", "0.7"]).0, Some(0));
    let (code, said) = stack(ground, &[]);
    assert_eq!(code, Some(1), "{said}");
    assert!(said.contains("exposed 8 s at ISO 6400, and pan2048.dng was exposed 120 s"), "{said}");
    let (code, said) = stack(&all[2..9], &[]);
    assert_eq!(code, Some(1), "mixed lights: {said}");
    assert!(said.contains("leave these out"), "{said}");
    let (code, said) = stack(sky, &["--denoise", "3"]);
    assert_eq!(code, Some(1), "{said}");
    assert!(said.contains("choose from 0 to 1"), "{said}");
}

/// The raw library takes memory for as many values as an entry announces, before it reads them.
#[test]
fn a_value_without_end_in_a_raw_frame_does_not_end_the_program() {
    let folder = tempfile::tempdir().unwrap();
    let scene = folder.path().join("scene");
    let made = program()
        .args(["scene", "night-sky", "--raw", "--frames", "4", "--darks", "0", "--seed", "3"])
        .args(["--width", "480", "--height", "320", "--quiet", "--out"])
        .arg(&scene)
        .status()
        .unwrap();
    assert!(made.success());
    let frames = files(&scene);
    let whole = std::fs::read(&frames[3]).unwrap();
    let first = u32::from_le_bytes(whole[4..8].try_into().unwrap()) as usize;
    let entries = usize::from(u16::from_le_bytes([whole[first], whole[first + 1]]));
    for i in (0..entries).step_by(5) {
        let at = first + 2 + 12 * i;
        // Numbers of eight bytes, 34 GB of them.
        let mut bytes = whole.clone();
        bytes[at + 2..at + 4].copy_from_slice(&12u16.to_le_bytes());
        bytes[at + 4..at + 8].copy_from_slice(&u32::MAX.to_le_bytes());
        std::fs::write(&frames[3], bytes).unwrap();
        let out = folder.path().join(format!("{i}.tif"));
        let mut command = program();
        command.args(["stack", "--align", "none", "--combine", "mean"]).args(&frames);
        let output = command.arg("--out").arg(&out).output().unwrap();
        let said = String::from_utf8_lossy(&output.stderr);
        assert!(output.status.success() && out.exists(), "entry {i}: {said}");
    }
}
