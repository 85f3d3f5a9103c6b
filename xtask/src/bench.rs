//! Figures of time and memory on simulated frames, from the release build.

use crate::run::{cargo, run};
use anyhow::{Context, Result};
use serde_json::Value;
use std::fmt::Write;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

const PROGRAM: &str = "target/release/jade-stack";

struct Case {
    name: &'static str,
    frames: usize,
    combine: &'static str,
}

const CASES: [Case; 4] = [
    Case { name: "12 frames, mean", frames: 12, combine: "mean" },
    Case { name: "12 frames, median", frames: 12, combine: "median" },
    Case { name: "24 frames, mean", frames: 24, combine: "mean" },
    Case { name: "24 frames, median", frames: 24, combine: "median" },
];

/// Runs all cases and writes docs/benchmarks.md.
pub fn bench() -> Result<()> {
    run(&mut cargo(&["build", "--release", "-p", "jade-stack"]))?;
    let folder = Path::new("target/bench");
    let begin = Instant::now();
    run(Command::new(PROGRAM)
        .args(["scene", "night-sky", "--frames", "24", "--darks", "0", "--quiet", "--out"])
        .arg(folder))?;
    let made = begin.elapsed().as_secs_f64();
    let frames: Vec<PathBuf> = (1..=24).map(|i| folder.join(format!("f{i:02}.tif"))).collect();

    let mut table = String::from(
        "| case | frames (s) | align (s) | combine (s) | export (s) | whole (s) | against decoding | peak memory (MiB) |\n|---|---|---|---|---|---|---|---|\n",
    );
    for case in &CASES {
        // Frames around the middle one, which is the reference in both sizes.
        let first = (24 - case.frames) / 2;
        let chosen = &frames[first..first + case.frames];
        let (whole, report) = stack(folder, chosen, case.combine)?;
        let seconds = |stage: &str| -> f64 {
            let stages = report["stages"].as_array().into_iter().flatten();
            stages.filter(|s| s["name"] == stage).filter_map(|s| s["seconds"].as_f64()).sum()
        };
        let [frames_s, align, combine, export] =
            ["frames", "align", "combine", "export"].map(seconds);
        writeln!(
            table,
            "| {} | {frames_s:.2} | {align:.2} | {combine:.2} | {export:.2} | {whole:.2} | {:.1} | {} |",
            case.name,
            whole / frames_s,
            report["peak_memory_mib"]
        )?;
    }
    let text = format!(
        "# Benchmarks\n\nWritten by `cargo xtask bench`: 2400 x 1600 pixels, 16-bit TIFF, aligned on the stars, whole\nprocess from start to the result on the disk; \"against decoding\" is the whole time over the time of\nonly decoding the frames to scratch in the same run.\n\n{table}\nMaking the 24 frames with the simulated camera took {made:.1} s.\n\n{}\n",
        machine()
    );
    std::fs::write("docs/benchmarks.md", &text)?;
    print!("{text}");
    Ok(())
}

fn stack(folder: &Path, frames: &[PathBuf], combine: &str) -> Result<(f64, Value)> {
    let report = folder.join("report.json");
    let begin = Instant::now();
    run(Command::new(PROGRAM)
        .args(["stack", "--quiet", "--threads", "2", "--combine", combine, "--out"])
        .arg(folder.join("result.tif"))
        .arg("--report")
        .arg(&report)
        .args(frames))?;
    let whole = begin.elapsed().as_secs_f64();
    let text = std::fs::read_to_string(report).context("the report is missing")?;
    Ok((whole, serde_json::from_str(&text)?))
}

/// What the figures were taken on.
fn machine() -> String {
    let read = |path: &str| std::fs::read_to_string(path).unwrap_or_default();
    let cpu = read("/proc/cpuinfo");
    let model = cpu.lines().find_map(|l| l.strip_prefix("model name")?.split(':').nth(1));
    let memory = read("/proc/meminfo");
    let kib = memory.lines().next().and_then(|l| l.split_whitespace().nth(1)?.parse::<u64>().ok());
    let cores = std::thread::available_parallelism().map_or(0, |n| n.get());
    format!(
        "Machine: {cores} cores of {}, {} GiB of memory.",
        model.unwrap_or("unknown kind").trim(),
        kib.unwrap_or(0) / (1 << 20)
    )
}
