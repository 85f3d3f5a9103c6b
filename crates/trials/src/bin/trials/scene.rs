//! The frames that the trials stack, and what comes of them undisturbed.

use crate::program::{End, Program};
use anyhow::{Result, bail};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

pub struct Scene {
    pub folder: PathBuf,
    pub frames: Vec<PathBuf>,
    /// BLAKE3 of each.
    contents: Vec<blake3::Hash>,
    /// The result's file as an undisturbed run writes it.
    pub result: Vec<u8>,
    /// Its plan.
    pub plan: PathBuf,
    /// How long that run took.
    pub time: Duration,
}

impl Scene {
    pub fn new(program: &Program, place: &Path) -> Result<Self> {
        let folder = place.join("frames");
        let shown = folder.display().to_string();
        let scene = ["scene", "night-sky", "--out", &shown, "--frames", "6"];
        let size = ["--width", "540", "--height", "360", "--darks", "0", "--seed", "4"];
        if program.run(&[scene.as_slice(), &size].concat())? != End::Done {
            bail!("the frames cannot be made");
        }
        let frames: Vec<PathBuf> = (1..=6).map(|i| folder.join(format!("f{i:02}.tif"))).collect();
        let contents = frames.iter().map(|path| hash(path)).collect::<Result<_>>()?;
        let whole = place.join("whole");
        std::fs::create_dir_all(&whole)?;
        let plan = whole.join("r.plan.json");
        let mut scene =
            Self { folder, frames, contents, result: vec![], plan, time: Duration::ZERO };
        let begun = Instant::now();
        let out = whole.join("r.tif");
        let mut arguments = scene.stack(&out);
        arguments.extend(["--save-plan".into(), scene.plan.display().to_string()]);
        let end = program.run(&arguments)?;
        if end != End::Done {
            bail!("the undisturbed run ended with {end:?}");
        }
        scene.time = begun.elapsed();
        scene.result = std::fs::read(out)?;
        Ok(scene)
    }

    /// Arguments that stack all frames, sky and ground apart.
    pub fn stack(&self, out: &Path) -> Vec<String> {
        stack(&self.frames, out)
    }

    /// The frames that are not any more what they were.
    pub fn changed(&self) -> Vec<String> {
        let pairs = self.frames.iter().zip(&self.contents);
        let changed = pairs.filter(|(path, was)| hash(path).ok() != Some(**was));
        changed.map(|(path, _)| format!("{} was changed", path.display())).collect()
    }
}

/// Arguments that stack frames, sky and ground apart, on the third.
pub fn stack(frames: &[PathBuf], out: &Path) -> Vec<String> {
    let mut arguments = vec!["stack".to_owned()];
    arguments.extend(frames.iter().map(|path| path.display().to_string()));
    arguments.extend(["--skyline", "auto", "--reference"].map(str::to_owned));
    arguments.extend([frames[2].display().to_string(), "--out".to_owned()]);
    arguments.push(out.display().to_string());
    arguments
}

pub fn hash(path: &Path) -> Result<blake3::Hash> {
    Ok(blake3::hash(&std::fs::read(path)?))
}

/// Names of the entries of a folder, in order.
pub fn inside(folder: &Path) -> Result<Vec<String>> {
    let mut all = vec![];
    for entry in std::fs::read_dir(folder)? {
        all.push(entry?.file_name().to_string_lossy().into_owned());
    }
    all.sort();
    Ok(all)
}
