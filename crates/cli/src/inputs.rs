//! Frames as they are named on the command line.

use crate::say::say;
use anyhow::Context;
use jade_frames::FrameInput;
use jade_plan::PreparePlan;
use std::path::PathBuf;

/// A frame as it was given, and its true path.
pub type Given<'a> = (&'a PathBuf, PathBuf);

/// Files that are there, each once, with their true paths.
pub fn files(paths: &[PathBuf]) -> anyhow::Result<Vec<Given<'_>>> {
    let mut kept: Vec<Given> = Vec::new();
    for path in paths {
        let real = path.canonicalize().with_context(|| {
            format!("{}: the frame cannot be found; check the path", path.display())
        })?;
        if kept.iter().any(|(_, other)| *other == real) {
            say(format!("jade-stack: {}: given twice, taken once", path.display()));
            continue;
        }
        kept.push((path, real));
    }
    Ok(kept)
}

/// A frame for a run with a scratch of its own, in which a file is as good as its content.
pub fn input((path, real): &Given, prepare: &PreparePlan) -> FrameInput {
    let name = path.file_name().unwrap_or(path.as_os_str());
    FrameInput {
        path: path.to_path_buf(),
        name: name.to_string_lossy().into_owned(),
        id: format!("{real:?}").into(),
        state: None,
        prepare: prepare.clone(),
        calibration: None,
    }
}

/// Frames that are not treated: for calibration.
pub fn untreated(paths: &[PathBuf]) -> anyhow::Result<Vec<FrameInput>> {
    Ok(files(paths)?.iter().map(|file| input(file, &PreparePlan::default())).collect())
}
