//! Merged focus sweeps against the truth, beside two plain ways on the same aligned frames.

use crate::bench::{self, machine, make, program, python};
use crate::run::run;
use anyhow::{Context, Result};
use serde_json::Value;
use std::fmt::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

const FRAMES: usize = 16;
const WAYS: [&str; 4] = ["fine", "smooth", "pyramid", "sharpest"];

/// Merges sweeps of a number of seeds and writes docs/quality-focus.md.
pub fn focus(seeds: Option<&str>) -> Result<()> {
    let seeds: u64 = seeds.unwrap_or("10").parse().context("give a number of seeds")?;
    bench::build()?;
    let folder = Path::new("target/bench/focus");
    std::fs::create_dir_all(folder)?;
    let python = python(Path::new("target/bench"))?;
    let mut text = format!(
        "# Quality of merged focus sweeps\n\nWritten by `cargo xtask quality-focus {seeds}`: simulated sweeps of {FRAMES} frames of 1500 x 1000 pixels, in an order that is not\ntheirs, against the sharp picture without noise. PSNR in dB after a gain for each colour, of all and of what lies within 8 pixels\nof edges where the depth changes by more than a frame; SSIM; noise in smooth parts against that of one frame. *Pyramid* and\n*sharpest* are a plain Laplacian pyramid and a plain choice of the sharpest pixel on the same aligned frames\n(`bench/focus.py`).\n\n| seed | order | alignment (px rms) | {0} |\n|---|---|---|{1}\n",
        WAYS.map(|way| format!("{way}: PSNR, edges, SSIM, noise")).join(" | "),
        "---|".repeat(WAYS.len()),
    );
    let (mut gains, mut edges, mut worst) = (vec![], vec![], 0.0f64);
    for seed in 1..=seeds {
        let found = one(folder, &python, seed)?;
        let figure = |way: &str, name: &str| found[way][name].as_f64().context("a figure");
        let order = if found["in_order"] == true { "right" } else { "wrong" };
        let align = found["align_px"].as_f64().context("a figure")?;
        worst = worst.max(align);
        write!(text, "| {seed} | {order} | {align:.3} |")?;
        for way in WAYS {
            let [psnr, edge, ssim, noise] =
                ["psnr", "edges", "ssim", "noise"].map(|name| figure(way, name));
            write!(text, " {:.2}, {:.2}, {:.4}, {:.2} |", psnr?, edge?, ssim?, noise?)?;
        }
        writeln!(text)?;
        let plain = |name: &str| -> Result<f64> {
            Ok(figure("pyramid", name)?.max(figure("sharpest", name)?))
        };
        gains.push(figure("fine", "psnr")? - plain("psnr")?);
        edges.push(figure("fine", "edges")? - plain("edges")?);
    }
    let mean = |all: &[f64]| all.iter().sum::<f64>() / all.len() as f64;
    let least = |all: &[f64]| all.iter().copied().fold(f64::MAX, f64::min);
    writeln!(
        text,
        "\nThe fine way against the better plain one: PSNR higher by {:.2} dB in the mean, {:.2} at least; at edges by {:.2} and {:.2}.\nAlignment is off by {worst:.3} px rms at most.\n\n{}",
        mean(&gains),
        least(&gains),
        mean(&edges),
        least(&edges),
        machine()
    )?;
    std::fs::write("docs/quality-focus.md", &text)?;
    print!("{text}");
    Ok(())
}

/// What one seed showed.
fn one(folder: &Path, python: &Path, seed: u64) -> Result<Value> {
    let sources = folder.join(seed.to_string());
    make(&sources, &["focus-sweep", "--seed", &seed.to_string()], FRAMES)?;
    // Always the same, and not that of the sweep.
    let mut frames: Vec<PathBuf> =
        (1..=FRAMES).map(|i| sources.join(format!("f{i:02}.tif"))).collect();
    frames.sort_by_key(|path| {
        let name = path.to_string_lossy();
        name.bytes().fold(seed, |sum, byte| sum.wrapping_mul(0x0100_0000_01b3) ^ u64::from(byte))
    });
    let report = folder.join("report.json");
    let pictures = ["fine", "smooth"].map(|way| folder.join(format!("{way}.tif")));
    for (way, picture) in ["fine", "smooth"].into_iter().zip(&pictures) {
        run(Command::new(program())
            .args(["focus", "--quiet", "--replace", "--way", way, "--out"])
            .arg(picture)
            .arg("--report")
            .arg(&report)
            .args(&frames)
            .stdout(Stdio::null()))?;
    }
    let output = Command::new(python)
        .args(["bench/focus.py", "compare"])
        .arg(&report)
        .args(&pictures)
        .arg(sources.join("truth"))
        .stderr(Stdio::null())
        .output()?;
    anyhow::ensure!(output.status.success(), "seed {seed} could not be compared");
    std::fs::remove_dir_all(&sources)?;
    Ok(serde_json::from_slice(&output.stdout)?)
}
