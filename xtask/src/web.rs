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

/// When a file changed last, if it is there.
fn changed(path: &str) -> Option<SystemTime> {
    std::fs::metadata(path).and_then(|file| file.modified()).ok()
}

/// Installs the packages when the lock file is newer than they are.
pub fn install() -> Result<()> {
    let installed = changed("web/node_modules/.package-lock.json");
    if installed.is_none() || installed < changed("web/package-lock.json") {
        run(&mut npm(&["ci", "--no-audit", "--no-fund", "--loglevel=error"]))?;
    }
    Ok(())
}

/// Builds the front end if a source is newer than what was built.
pub fn build() -> Result<()> {
    install()?;
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

/// Writes the types of the API from its document.
pub fn types() -> Result<()> {
    run(&mut npm(&["run", "types", "--silent"]))
}

/// Freshness of the API's types, type check, lint, formatting and unit tests.
pub fn check() -> Result<()> {
    run(&mut npm(&["run", "types", "--silent", "--", "--check"]))?;
    for script in ["check", "lint", "test"] {
        run(&mut npm(&["run", script, "--silent"]))?;
    }
    Ok(())
}
