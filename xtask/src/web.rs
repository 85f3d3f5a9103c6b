//! The front end: packages, build, checks.

use crate::run::run;
use anyhow::Result;
use std::path::Path;
use std::process::Command;
use std::time::SystemTime;

fn npm(arguments: &[&str]) -> Command {
    let mut command = Command::new("npm");
    command.args(arguments).current_dir("web");
    command
}

/// Installs the packages when the lock file is newer than they are, and builds.
pub fn build() -> Result<()> {
    let changed = |path: &str| std::fs::metadata(path).and_then(|m| m.modified()).ok();
    let installed = changed("web/node_modules/.package-lock.json");
    if installed.is_none() || installed < changed("web/package-lock.json") {
        run(&mut npm(&["ci", "--no-audit", "--no-fund", "--loglevel=error"]))?;
    }
    let newest = newest(Path::new("web"));
    if changed("web/dist/index.html").is_none_or(|built| newest.is_some_and(|n| n > built)) {
        run(&mut npm(&["run", "build", "--silent"]))?;
    }
    Ok(())
}

/// When a source of the front end changed last.
fn newest(folder: &Path) -> Option<SystemTime> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let entries = entries.filter(|e| e.file_name() != "node_modules" && e.file_name() != "dist");
    entries
        .filter_map(|entry| match entry.file_type().ok()?.is_dir() {
            true => newest(&entry.path()),
            false => entry.metadata().ok()?.modified().ok(),
        })
        .max()
}

/// Type check, lint, formatting and unit tests.
pub fn check() -> Result<()> {
    for script in ["check", "lint", "test"] {
        run(&mut npm(&["run", script, "--silent"]))?;
    }
    Ok(())
}
