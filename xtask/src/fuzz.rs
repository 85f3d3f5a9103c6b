//! Fuzzing of the readers.

use crate::run::{cargo, run};
use anyhow::{Result, bail};

/// Version of the program that builds and starts the targets.
const VERSION: &str = "0.13.2";

/// Fuzzes one reader or all, each for a number of seconds, from the whole files that the trials make.
pub fn fuzz(arguments: &[String]) -> Result<()> {
    if !cargo(&["fuzz", "--version"]).output()?.status.success() {
        run(&mut cargo(&["install", "cargo-fuzz", "--locked", "--version", VERSION]))?;
    }
    let listed = String::from_utf8(cargo(&["fuzz", "list"]).output()?.stdout)?;
    let targets: Vec<&str> = listed.lines().collect();
    let (chosen, rest): (Vec<&str>, Vec<&str>) =
        arguments.iter().map(String::as_str).partition(|one| targets.contains(one));
    let seconds: u32 = match rest.as_slice() {
        [] => 600,
        [one] if one.parse::<u32>().is_ok() => one.parse()?,
        _ => bail!("usage: cargo xtask fuzz [{}]... [SECONDS]", targets.join("|")),
    };
    let seeds = ["run", "--release", "-p", "jade-trials", "--bin", "seeds", "--", "fuzz/corpus"];
    run(&mut cargo(&seeds))?;
    for name in if chosen.is_empty() { targets } else { chosen } {
        // Without a sanitizer, which only a nightly compiler has; the readers are safe Rust.
        let before = ["fuzz", "run", "--sanitizer", "none", name, "--"];
        let time = format!("-max_total_time={seconds}");
        let bounds = ["-timeout=5", "-rss_limit_mb=1024", "-max_len=65536", "-print_final_stats=1"];
        run(cargo(&before).args(bounds).arg(time))?;
    }
    Ok(())
}
