//! What merging focus sweeps takes, beside a plain reference in Python (bench/focus.py) in the same
//! run, and how it grows with the number of frames.

use crate::application::{Application, ask, shoot, tiles};
use crate::bench::{self, Figures, machine, make, program, python, timed, warm};
use anyhow::{Context, Result, bail};
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

/// The sweep that the reference merges too.
const LARGE: (&str, [&str; 2], usize) = ("sweep-24", ["6000", "4000"], 20);
/// The sweep of which more and more frames are merged, the far ones first.
const LONG: (&str, [&str; 2], usize) = ("sweep-6", ["3000", "2000"], 60);
const COUNTS: [usize; 3] = [15, 30, 60];
/// Frames in which nothing is sharp, before the nearest leaf and behind the crest, cannot be placed.
const LEFT_OUT: usize = 3;

/// Measures all, and writes docs/benchmarks-focus.md; or patches alone, and prints what they take.
pub fn focus(only: Option<&str>) -> Result<()> {
    bench::build()?;
    let folder = Path::new("target/bench");
    std::fs::create_dir_all(folder)?;
    if only == Some("patches") {
        sweep(folder, LARGE, LARGE.2)?;
        print!("{}", patches(folder)?);
        return Ok(());
    }
    let python = python(folder)?;
    let mut table = String::from(
        "| case | way | | frames read (s) | align (s) | combine (s) | whole (s) | for one frame (s) | CPU (s) | peak memory (MiB) |\n|---|---|---|---|---|---|---|---|---|---|\n",
    );
    let mut against = String::new();
    let frames = sweep(folder, LARGE, LARGE.2)?;
    let case = format!("{} frames of 24 MP", LARGE.2);
    let before = ours(folder, "fine", &frames)?;
    let other = reference(folder, &python, &frames)?;
    // Before and after the reference, whose run is long enough for the machine to change.
    let figures = before.mean(ours(folder, "fine", &frames)?);
    row(&mut table, &case, "fine", "Jade Stack", &figures)?;
    row(&mut table, "", "pyramid", "reference", &other)?;
    row(&mut table, "", "smooth", "Jade Stack", &ours(folder, "smooth", &frames)?)?;
    writeln!(
        against,
        "- fine way against a plain pyramid: {:.1} times as fast, {:.1} times without aligning, with {:.1} times less processor time and {:.0} % of the memory",
        other.whole / figures.whole,
        (other.whole - other.stage("align")) / (figures.whole - figures.stage("align")),
        other.cpu / figures.cpu,
        100.0 * figures.memory as f64 / other.memory as f64
    )?;
    let mut off = String::new();
    placed(&mut off, folder, &python, &case, LARGE.0)?;
    let mut growth = String::new();
    let mut last: Option<(usize, f64)> = None;
    for count in COUNTS {
        let figures = ours(folder, "fine", &sweep(folder, LONG, count)?)?;
        let used = used(folder)?;
        let all = if used == count { String::new() } else { format!(", {used} of them used") };
        row(&mut table, &format!("{count} frames of 6 MP{all}"), "fine", "Jade Stack", &figures)?;
        placed(&mut off, folder, &python, &format!("{count} frames of 6 MP"), LONG.0)?;
        if let Some((few, short)) = last {
            let each = (figures.whole - short) / (count - few) as f64;
            writeln!(growth, "- from {few} to {count} frames: {each:.3} s for each frame more")?;
        }
        last = Some((count, figures.whole));
    }
    let patches = patches(folder)?;
    let text = format!(
        "# Benchmarks of focus sweeps\n\nWritten by `cargo xtask focus`: simulated frames, plain TIFF in the system's memory, two threads, a memory budget\nof 1 GiB, whole processes from start to the result on the disk. The reference is `bench/focus.py`: OpenCV and NumPy,\nwith all cores, each frame aligned on the one before by ECC with an affine model, and merged by a plain pyramid; beside it\nstand the means of one run before and one after it. Frames that show nothing sharp are left\nout of the picture once they are looked over.\n\n{table}\n## Against the reference\n\n{against}\n## Growth with the number of frames\n\n{growth}\n## Alignment against the truth\n\n{off}\n## Patches\n\n{patches}\n{}\n",
        machine()
    );
    std::fs::write("docs/benchmarks-focus.md", &text)?;
    print!("{text}");
    Ok(())
}

/// What strokes take, in words.
fn patches(folder: &Path) -> Result<String> {
    let [usual, worst] = strokes(folder)?;
    Ok(format!(
        "From the change of the plan until the last visible tile of the picture has it, fitted to a page of 1280 x 800, each from\nanother frame of 24 MP: {usual:.0} ms, {worst:.0} ms at most.\n"
    ))
}

/// Milliseconds from the change of the plan until the last visible tile of the merged picture has a
/// patch, fitted to the page: the median and the worst of strokes that come from one frame after the other.
fn strokes(folder: &Path) -> Result<[f64; 2]> {
    let sources = folder.join(LARGE.0).canonicalize()?;
    let _application = Application::start(&folder.join("strokes-data"), &sources)?;
    shoot("Strokes", &sources)?;
    let mut shoot = ask("PATCH", "/api/shoots/1", Some(&json!({ "kind": "focus-sweep" })))?;
    ask("POST", "/api/shoots/1/runs", None)?;
    while shoot["results"].as_array().is_none_or(Vec::is_empty) {
        std::thread::sleep(Duration::from_millis(500));
        shoot = ask("GET", "/api/shoots/1", None)?;
        if shoot["jobs"][0]["state"] == "failed" {
            bail!("the sweep could not be merged: {}", shoot["jobs"][0]["problem"]);
        }
    }
    let size: [u32; 2] = serde_json::from_value(shoot["results"][0]["report"]["size"].clone())?;
    let picture = format!("painted-{}", shoot["results"][0]["id"]);
    let (mut plan, frames) = (shoot["plan"].clone(), shoot["frames"].clone());
    let mut taken = vec![];
    for (i, frame) in frames.as_array().into_iter().flatten().enumerate() {
        let at = [600 + 240 * i as u32, 2400];
        let points: Vec<[u32; 3]> = (0..12).map(|k| [at[0] + 12 * k, at[1], 120]).collect();
        let from = json!({ "by": "frame", "blake3": frame["blake3"] });
        let patches = plan["focus"]["patches"].as_array_mut().context("a plan has patches")?;
        patches.push(json!({ "from": from, "points": points, "soft": 0.5 }));
        let begin = Instant::now();
        ask("PATCH", "/api/shoots/1", Some(&json!({ "plan": plan })))?;
        let picture_info = ask("GET", &format!("/api/pictures/{picture}"), None)?;
        let version = picture_info["version"].as_str().unwrap_or_default();
        tiles(&picture, size, 3, &format!("v={version}"))?;
        taken.push(begin.elapsed().as_secs_f64() * 1000.0);
    }
    taken.sort_by(f64::total_cmp);
    Ok([taken[taken.len() / 2], taken[taken.len() - 1]])
}

/// The first `count` frames of a sweep, which is made if it is not there.
fn sweep(
    folder: &Path,
    (name, [width, height], all): (&str, [&str; 2], usize),
    count: usize,
) -> Result<Vec<PathBuf>> {
    let sources = folder.join(name);
    make(&sources, &["focus-sweep", "--width", width, "--height", height], all)?;
    let frame = |i: usize| sources.join(format!("f{:02}.tif", 1 + all - count + i));
    let frames: Vec<PathBuf> = (0..count).map(frame).collect();
    warm(&frames)?;
    Ok(frames)
}

fn row(table: &mut String, case: &str, way: &str, who: &str, figures: &Figures) -> Result<()> {
    let [frames, align, merge] = ["frames", "align", "merge"].map(|s| figures.stage(s));
    let Figures { whole, cpu, memory, count, .. } = figures;
    let each = whole / *count as f64;
    writeln!(
        table,
        "| {case} | {way} | {who} | {frames:.1} | {align:.1} | {merge:.1} | {whole:.1} | {each:.2} | {cpu:.1} | {memory} |",
    )?;
    Ok(())
}

fn ours(folder: &Path, way: &str, frames: &[PathBuf]) -> Result<Figures> {
    let report = folder.join("report.json");
    let mut command = Command::new(program());
    command
        .args([
            "focus",
            "--quiet",
            "--replace",
            "--threads",
            "2",
            "--memory",
            "1024",
            "--way",
            way,
            "--scratch",
        ])
        .arg(folder.join("scratch"))
        .arg("--out")
        .arg(folder.join("result.tif"))
        .arg("--report")
        .arg(&report)
        .args(frames);
    std::fs::create_dir_all(folder.join("scratch"))?;
    let figures = timed(&mut command, &report, frames.len())?;
    let used = used(folder)?;
    if used + LEFT_OUT < frames.len() {
        bail!("{used} of {} frames were used, so that the times say nothing", frames.len());
    }
    Ok(figures)
}

/// How many frames the last run used.
fn used(folder: &Path) -> Result<usize> {
    let report: Value =
        serde_json::from_str(&std::fs::read_to_string(folder.join("report.json"))?)?;
    let used = |frame: &&Value| frame["used"] == true;
    Ok(report["frames"].as_array().map_or(0, |all| all.iter().filter(used).count()))
}

/// How far the frames of the last run lie off, in words.
fn placed(
    text: &mut String,
    folder: &Path,
    python: &Path,
    case: &str,
    sources: &str,
) -> Result<()> {
    let mut command = Command::new(python);
    command.args(["bench/focus.py", "placed"]).arg(folder.join("report.json"));
    let output = command.arg(folder.join(sources).join("truth")).output()?;
    if !output.status.success() {
        bail!("{case} could not be compared with their truth");
    }
    let found: Value = serde_json::from_slice(&output.stdout)?;
    let [reference, neighbours] =
        ["reference_px", "neighbours_px"].map(|name| found[name].as_f64());
    let (reference, neighbours) = reference.zip(neighbours).context("two figures")?;
    writeln!(
        text,
        "- {case}: {reference:.2} px rms off the reference frame, neighbours {neighbours:.2} px off each other",
    )?;
    Ok(())
}

fn reference(folder: &Path, python: &Path, frames: &[PathBuf]) -> Result<Figures> {
    let report = folder.join("reference.json");
    let mut command = Command::new(python);
    command
        .args(["bench/focus.py", "merge", "pyramid"])
        .arg(folder.join("reference.tif"))
        .arg(&report)
        .args(frames);
    timed(&mut command, &report, frames.len())
}
