//! A scratch folder for one run, removed afterwards; folders of runs that were killed are removed
//! by the next one.

use anyhow::Context;
use jade_frames::cache::Cache;
use jade_plan::CoreError;
use std::fs::File;
use std::path::{Path, PathBuf};
use tempfile::TempDir;

const PREFIX: &str = "jade-stack-scratch-";

/// A folder that goes away with this value.
pub struct Scratch {
    folder: TempDir,
    /// Tells runs on other machines and in other containers that this one lives.
    _lock: Option<File>,
}

impl Scratch {
    /// Makes a folder in `parent`, or beside the system's temporary files, that nobody else reads.
    pub fn new(parent: Option<&Path>) -> anyhow::Result<Self> {
        let parent = parent.map_or_else(std::env::temp_dir, Path::to_owned);
        std::fs::create_dir_all(&parent)
            .with_context(|| format!("{}: the scratch folder cannot be made", parent.display()))?;
        sweep(&parent);
        let folder = tempfile::Builder::new()
            .prefix(&format!("{PREFIX}{}-", std::process::id()))
            .tempdir_in(&parent)
            .with_context(|| {
                format!(
                    "{}: no scratch folder can be made there; choose another with --scratch",
                    parent.display()
                )
            })?;
        let lock = File::open(folder.path()).ok().filter(|lock| lock.try_lock().is_ok());
        Ok(Self { folder, _lock: lock })
    }

    /// The folder.
    pub fn path(&self) -> &Path {
        self.folder.path()
    }
}

impl Drop for Scratch {
    fn drop(&mut self) {
        Cache::at(self.path()).drop_frames();
    }
}

/// An error as the person sees it: too little room is said of the folder that was chosen, rather than
/// of the run's own in it.
pub fn as_chosen(error: anyhow::Error) -> anyhow::Error {
    let mut error = match error.downcast::<CoreError>() {
        Ok(error) => error,
        Err(other) => return other,
    };
    if let CoreError::Scratch { folder, .. } = &mut error {
        let path = PathBuf::from(&folder);
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        if let (true, Some(chosen)) = (name.starts_with(PREFIX), path.parent()) {
            *folder = chosen.display().to_string();
        }
    }
    error.into()
}

/// Removes scratch folders whose process is gone.
fn sweep(parent: &Path) {
    for entry in std::fs::read_dir(parent).into_iter().flatten().flatten() {
        if is_left(&entry.path()) {
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
}

fn is_left(folder: &Path) -> bool {
    let name = folder.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let process = name.strip_prefix(PREFIX).and_then(|rest| rest.split('-').next());
    let Some(process) = process.and_then(|digits| digits.parse::<u32>().ok()) else { return false };
    !Path::new(&format!("/proc/{process}")).exists()
        && File::open(folder).is_ok_and(|folder| folder.try_lock().is_ok())
}
