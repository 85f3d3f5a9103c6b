//! What merging a focus sweep takes in frames of 24 MP, beside a plain reference in Python
//! (bench/focus.py) in the same run.

use crate::bench::{Figures, PROGRAM, machine, make, python, timed};
use crate::run::{cargo, run};
use anyhow::Result;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::process::Command;

const FRAMES: usize = 60;
/// So many of them in each case, spread evenly; the first is compared with the reference.
const CASES: [usize; 3] = [20, 30, 60];
const SCENE: [&str; 5] = ["focus-sweep", "--width", "6000", "--height", "4000"];

/// Measures all, and writes docs/benchmarks-focus.md.
pub fn focus() -> Result<()> {
    run(&mut cargo(&["build", "--release", "-p", "jade-stack"]))?;
    let folder = Path::new("target/bench");
    std::fs::create_dir_all(folder)?;
    let python = python(folder)?;
    let sources = folder.join("sweep-24");
    make(&sources, &SCENE, FRAMES)?;
    let mut table = String::from(
        "| frames | way | | frames read (s) | align (s) | combine (s) | whole (s) | for one frame (s) | CPU (s) | peak memory (MiB) |\n|---|---|---|---|---|---|---|---|---|---|\n",
    );
    let mut against = String::new();
    for count in CASES {
        let frames: Vec<PathBuf> = (0..count)
            .map(|i| sources.join(format!("f{:02}.tif", 1 + i * FRAMES / count)))
            .collect();
        // All are read from the system's memory, so that the disk has no part in the times.
        for frame in &frames {
            std::io::copy(&mut std::fs::File::open(frame)?, &mut std::io::sink())?;
        }
        let fine = own(folder, "fine", &frames)?;
        if count != CASES[0] {
            row(&mut table, count, "fine", "Jade Stack", &fine)?;
            continue;
        }
        let smooth = own(folder, "smooth", &frames)?;
        for (way, plain, before) in [("fine", "pyramid", fine), ("smooth", "sharpest", smooth)] {
            let other = reference(folder, &python, plain, &frames)?;
            // Before and after the reference, whose run is long enough for the machine to change.
            let figures = before.mean(own(folder, way, &frames)?);
            row(&mut table, count, way, "Jade Stack", &figures)?;
            row(&mut table, count, plain, "reference", &other)?;
            writeln!(
                against,
                "- {way} way against {plain}: {:.1} times as fast; without aligning {:.1} times; {:.1} times less processor time and {:.0} % of the memory",
                other.whole / figures.whole,
                (other.whole - other.stage("align")) / (figures.whole - figures.stage("align")),
                other.cpu / figures.cpu,
                100.0 * figures.memory as f64 / other.memory as f64
            )?;
        }
    }
    let text = format!(
        "# Benchmarks of focus sweeps\n\nWritten by `cargo xtask focus`: simulated frames of 24 MP, plain TIFF in the system's memory, two threads, a memory\nbudget of 1 GiB, whole processes from start to the result on the disk; those of 20 and 30 frames are frames of one sweep of\n60. The reference is `bench/focus.py`: OpenCV and NumPy, with all cores, each frame aligned on the one\nbefore by ECC with an affine model and merged by a plain pyramid or by choosing the sharpest pixels; beside it\nstand the means of one run before and one after it.\n\n{table}\n{against}\n{}\n",
        machine()
    );
    std::fs::write("docs/benchmarks-focus.md", &text)?;
    print!("{text}");
    Ok(())
}

fn row(table: &mut String, count: usize, way: &str, who: &str, figures: &Figures) -> Result<()> {
    let [frames, align, combine] = ["frames", "align", "combine"].map(|s| figures.stage(s));
    let Figures { whole, cpu, memory, .. } = figures;
    let each = whole / count as f64;
    writeln!(
        table,
        "| {count} | {way} | {who} | {frames:.1} | {align:.1} | {combine:.1} | {whole:.1} | {each:.2} | {cpu:.1} | {memory} |",
    )?;
    Ok(())
}

fn own(folder: &Path, way: &str, frames: &[PathBuf]) -> Result<Figures> {
    let report = folder.join("report.json");
    let mut command = Command::new(PROGRAM);
    command
        .args(["focus", "--quiet", "--threads", "2", "--memory", "1024", "--way", way, "--scratch"])
        .arg(folder.join("scratch"))
        .arg("--out")
        .arg(folder.join("result.tif"))
        .arg("--report")
        .arg(&report)
        .args(frames);
    std::fs::create_dir_all(folder.join("scratch"))?;
    timed(&mut command, &report, frames.len())
}

fn reference(folder: &Path, python: &Path, way: &str, frames: &[PathBuf]) -> Result<Figures> {
    let report = folder.join("reference.json");
    let mut command = Command::new(python);
    command
        .args(["bench/focus.py", "merge", way])
        .arg(folder.join("reference.tif"))
        .arg(&report)
        .args(frames);
    timed(&mut command, &report, frames.len())
}
