//! Outputs never take the place of inputs, of each other, or of files that are there.

use crate::common::{Scene, program};
use std::path::{Path, PathBuf};
use std::process::Output;

/// Frames on a card, with the bytes of all of them.
struct Card {
    _folder: tempfile::TempDir,
    scene: Scene,
    before: Vec<(PathBuf, Vec<u8>)>,
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let mut all: Vec<PathBuf> =
        std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    all.sort();
    all
}

impl Card {
    fn new(frames: u32) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let scene = Scene::new(folder.path(), frames, (300, 200));
        let mut all = scene.frames();
        all.extend(files(&scene.folder.join("darks")));
        let before = all.into_iter().map(|path| (path.clone(), std::fs::read(&path).unwrap()));
        Self { before: before.collect(), scene, _folder: folder }
    }

    fn at(&self, name: &str) -> PathBuf {
        self.scene.folder.join(name)
    }

    /// Whether every file of the card is as it was, and none was left beside them.
    fn is_whole(&self) -> bool {
        let asides = files(&self.scene.folder);
        let none = asides.iter().all(|path| !path.to_string_lossy().contains(".aside"));
        none && self.before.iter().all(|(path, bytes)| std::fs::read(path).unwrap() == *bytes)
    }

    /// Stacks the frames with these options.
    fn stack(&self, options: &[&str], paths: &[(&str, &Path)]) -> Output {
        let mut command = program();
        command.arg("stack").args(self.scene.frames()).args(["--align", "none"]).args(options);
        paths.iter().for_each(|(option, path)| {
            command.arg(option).arg(path);
        });
        command.output().unwrap()
    }

    fn refused(&self, options: &[&str], paths: &[(&str, &Path)]) -> String {
        let output = self.stack(options, paths);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(output.status.code(), Some(1), "{said}");
        assert!(said.starts_with("jade-stack: ") && said.lines().count() == 1, "{said}");
        assert!(self.is_whole(), "{said}");
        said
    }
}

#[test]
fn no_output_takes_the_place_of_an_input() {
    let card = Card::new(4);
    let (frame, free) = (card.at("f02.tif"), card.at("free.tif"));
    for replace in [&[][..], &["--replace"]] {
        assert!(
            card.refused(replace, &[("--out", &frame)]).contains("--out would replace a frame")
        );
        for option in ["--report", "--save-plan", "--save-coverage"] {
            let said = card.refused(replace, &[("--out", &free), (option, &frame)]);
            assert!(said.contains(&format!("{option} would replace a frame")), "{said}");
        }
        let dark = files(&card.at("darks"))[0].clone();
        let said = card.refused(replace, &[("--dark", &dark), ("--out", &dark)]);
        assert!(said.contains("would replace a dark frame"), "{said}");
        let link = card.at("link.tif");
        let _ = std::fs::remove_file(&link);
        std::os::unix::fs::symlink(&frame, &link).unwrap();
        assert!(card.refused(replace, &[("--out", &link)]).contains("--out would replace a frame"));
    }
    assert!(!free.exists());
}

/// `--out f*.tif` is `--out f01.tif f02.tif ...` to the program.
#[test]
fn a_pattern_in_the_wrong_place_costs_no_frame() {
    let card = Card::new(4);
    let output = program().arg("stack").arg("--out").args(card.scene.frames()).output().unwrap();
    assert_eq!(output.status.code(), Some(1));
    assert!(
        String::from_utf8_lossy(&output.stderr).contains("f01.tif: there is a file of this name")
    );
    assert!(card.is_whole());
}

#[test]
fn two_outputs_are_not_one_file_and_none_replaces_another_unasked() {
    let card = Card::new(4);
    let (out, other) = (card.at("darks/r.png"), card.at("darks/./r.png"));
    let said = card.refused(&[], &[("--out", &out), ("--report", &other)]);
    assert!(said.contains("are one file"), "{said}");
    std::fs::write(&out, "somebody's").unwrap();
    assert!(card.refused(&[], &[("--out", &out)]).contains("add --replace"));
    assert_eq!(std::fs::read(&out).unwrap(), b"somebody's");
    assert!(card.stack(&["--replace", "--quiet"], &[("--out", &out)]).status.success());
    assert!(std::fs::read(&out).unwrap().starts_with(b"\x89PNG"));
    let missing = card.at("nowhere/r.tif");
    assert!(card.refused(&[], &[("--out", &missing)]).contains("no such folder"));
}

#[test]
fn a_plan_that_is_run_costs_no_frame() {
    let card = Card::new(4);
    let plan = card.at("f01.plan.json");
    let (out, folder) = (card.at("out.tif"), card.scene.folder.clone());
    let saved = card.stack(&["--quiet"], &[("--out", &out), ("--save-plan", &plan)]);
    assert!(saved.status.success());
    // Its result would be `f01.tif`, which is one of its frames.
    for replace in [&[][..], &["--replace"]] {
        let mut command = program();
        command.arg("run").arg(&plan).args(replace).arg("--out").arg(&folder);
        let output = command.output().unwrap();
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(output.status.code(), Some(1), "{said}");
        assert!(said.contains("f01.tif") && card.is_whole(), "{said}");
    }
}

#[test]
fn other_commands_spare_their_inputs_too() {
    let card = Card::new(3);
    let frames = card.scene.frames();
    for (command, option) in
        [("lens", "--out"), ("focus", "--report"), ("skyline", "--report"), ("lens", "--report")]
    {
        let mut program = program();
        program.arg(command).args(&frames).arg(option).arg(&frames[1]).arg("--replace");
        if command == "skyline" {
            program.arg("--out").arg(card.at("mask.png"));
        }
        let output = program.output().unwrap();
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(
            !output.status.success() && said.contains("would replace a frame"),
            "{command}: {said}"
        );
        assert!(card.is_whole(), "{command}");
    }
    let scene = program().args(["scene", "night-sky", "--out"]).arg(&card.scene.folder).output();
    let scene = scene.unwrap();
    let said = String::from_utf8_lossy(&scene.stderr).into_owned();
    assert!(!scene.status.success() && said.contains("choose an empty one"), "{said}");
    assert!(card.is_whole());
}
