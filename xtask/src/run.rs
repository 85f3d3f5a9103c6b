//! Running other programs.

use anyhow::{Context, Result, bail};
use std::process::{Command, Stdio};

/// Cargo with these arguments.
pub fn cargo(arguments: &[&str]) -> Command {
    let mut command = Command::new(std::env::var_os("CARGO").unwrap_or("cargo".into()));
    command.args(arguments);
    command
}

/// Runs a command and fails when it does.
pub fn run(command: &mut Command) -> Result<()> {
    let shown = format!("{command:?}").replace('"', "");
    eprintln!("> {shown}");
    let status = command.status().with_context(|| format!("cannot start: {shown}"))?;
    if !status.success() {
        bail!("failed ({status}): {shown}");
    }
    Ok(())
}

/// Whether a program can be started.
pub fn has(program: &str) -> bool {
    Command::new(program)
        .arg("--version")
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status()
        .is_ok_and(|status| status.success())
}
