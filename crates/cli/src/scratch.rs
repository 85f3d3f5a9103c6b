//! A scratch folder for one run, removed afterwards; folders of runs that were killed are removed
//! by the next one.

use anyhow::Context;
use jade_core::cache::Cache;
use std::path::{Path, PathBuf};

const PREFIX: &str = "jade-stack-scratch-";

/// A folder that goes away with this value.
pub struct Scratch(PathBuf);

impl Scratch {
    /// Makes a folder in `parent`, or beside the system's temporary files.
    pub fn new(parent: Option<&Path>) -> anyhow::Result<Self> {
        let parent = parent.map_or_else(std::env::temp_dir, Path::to_owned);
        sweep(&parent);
        let folder = parent.join(format!("{PREFIX}{}", std::process::id()));
        std::fs::create_dir_all(&folder)
            .with_context(|| format!("{}: the scratch folder cannot be made", folder.display()))?;
        Ok(Self(folder))
    }

    /// The folder.
    pub fn path(&self) -> &Path {
        &self.0
    }
}

impl Drop for Scratch {
    fn drop(&mut self) {
        Cache::at(&self.0).drop_frames();
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

/// Removes scratch folders whose process is gone.
fn sweep(parent: &Path) {
    for entry in std::fs::read_dir(parent).into_iter().flatten().flatten() {
        let name = entry.file_name();
        let Some(process) = name.to_str().and_then(|n| n.strip_prefix(PREFIX)) else { continue };
        let gone =
            process.parse::<u32>().is_ok_and(|id| !Path::new(&format!("/proc/{id}")).exists());
        if gone {
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
}
