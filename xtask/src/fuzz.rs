//! Fuzzing of the readers.

use crate::run::{cargo, run};
use anyhow::{Result, bail};

/// The fuzz targets, one for each reader.
const TARGETS: [&str; 9] = ["tiff", "png", "jpeg", "dng", "webp", "exr", "fits", "plan", "mask"];
/// Version of the program that builds and starts them.
const VERSION: &str = "0.13.2";

/// Fuzzes one reader or all, each for so many seconds, from the whole files that the trials make.
pub fn fuzz(arguments: &[String]) -> Result<()> {
    let (names, rest): (Vec<&str>, Vec<&str>) =
        arguments.iter().map(String::as_str).partition(|one| TARGETS.contains(one));
    let seconds: u32 = match rest.as_slice() {
        [] => 600,
        [seconds] => seconds.parse()?,
        _ => bail!("usage: cargo xtask fuzz [{}]... [SECONDS]", TARGETS.join("|")),
    };
    if !cargo(&["fuzz", "--version"]).output()?.status.success() {
        run(&mut cargo(&["install", "cargo-fuzz", "--locked", "--version", VERSION]))?;
    }
    run(&mut cargo(&[
        "run",
        "--release",
        "-p",
        "jade-trials",
        "--bin",
        "seeds",
        "--",
        "fuzz/corpus",
    ]))?;
    let names = if names.is_empty() { TARGETS.to_vec() } else { names };
    for name in names {
        // Without a sanitizer, which only a nightly compiler has; the readers are safe Rust.
        let before = ["fuzz", "run", "--sanitizer", "none", name, "--"];
        let time = format!("-max_total_time={seconds}");
        let bounds = ["-timeout=5", "-rss_limit_mb=1024", "-max_len=65536", "-print_final_stats=1"];
        run(cargo(&before).args(bounds).arg(time))?;
    }
    Ok(())
}
