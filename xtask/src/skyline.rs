//! What keeping sky and ground apart costs in frames of 24 MP: a run against a plain one, and strokes
//! on the page.

use crate::application::{Application, ask, shoot, tiles};
use crate::bench::{self, machine, make, program, timed, warm};
use anyhow::{Context, Result};
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

const SIZE: [u32; 2] = [6000, 4000];
const FRAMES: usize = 12;
/// Runs of each kind, one after the other in turns.
const RUNS: usize = 3;
const LANDS: [&str; 2] = ["hills", "branches"];
/// Strokes that come one by one.
const STROKES: u32 = 9;
/// Strokes that come at once, as after a restart.
const MANY: u32 = 100;

/// Measures both, and writes docs/benchmarks-skyline.md.
pub fn skyline() -> Result<()> {
    bench::build()?;
    let folder = Path::new("target/bench");
    std::fs::create_dir_all(folder)?;
    let mut runs = String::from(
        "| land | plain run (s) | with the skyline (s) | ratio | skyline alone (s) | peak memory (MiB) |\n|---|---|---|---|---|---|\n",
    );
    let mut strokes = String::from(
        "| land | stroke, median (ms) | worst (ms) | taken back, median (ms) | worst (ms) | a hundred at once (ms) | memory of the application (MiB) |\n|---|---|---|---|---|---|---|\n",
    );
    for land in LANDS {
        let sources = folder.join(format!("{land}-24"));
        let [width, height] = SIZE.map(|side| side.to_string());
        let scene =
            ["night-sky", "--land", land, "--darks", "0", "--width", &width, "--height", &height];
        make(&sources, &scene, FRAMES)?;
        let frames: Vec<PathBuf> =
            (1..=FRAMES).map(|i| sources.join(format!("f{i:02}.tif"))).collect();
        warm(&frames)?;
        let mut taken = [vec![], vec![]];
        let (mut skyline, mut memory) = (vec![], 0);
        for _ in 0..RUNS {
            for (mode, taken) in ["none", "auto"].into_iter().zip(&mut taken) {
                let figures = timed(&mut stack(folder, &frames, mode), &report(folder), FRAMES)?;
                taken.push(figures.whole);
                if mode == "auto" {
                    skyline.push(figures.stage("skyline"));
                    memory = memory.max(figures.memory);
                }
            }
        }
        let [plain, joined] = taken.map(median);
        let skyline = median(skyline);
        let ratio = joined / plain;
        writeln!(
            runs,
            "| {land} | {plain:.1} | {joined:.1} | {ratio:.2} | {skyline:.2} | {memory} |"
        )?;
        let Stroked { drawn: [drawn, worst], back: [back, worst_back], many, memory } =
            stroked(folder, &sources)?;
        writeln!(
            strokes,
            "| {land} | {drawn:.0} | {worst:.0} | {back:.0} | {worst_back:.0} | {many:.0} | {memory} |"
        )?;
    }
    let text = format!(
        "# Benchmarks of sky and ground kept apart\n\nWritten by `cargo xtask skyline`: {FRAMES} simulated frames of 24 MP, plain TIFF in the system's memory, clipped mean, two\nthreads, a memory budget of 1 GiB; medians of {RUNS} runs of each kind in turns. The skyline is found once the frames are\naligned.\n\n{runs}\nStrokes on the page, from the change of the plan until the last visible tile of the skyline has arrived, fitted to\na page of 1280 x 800:\n\n{strokes}\n{}\n",
        machine()
    );
    std::fs::write("docs/benchmarks-skyline.md", &text)?;
    print!("{text}");
    Ok(())
}

fn report(folder: &Path) -> PathBuf {
    folder.join("report.json")
}

fn stack(folder: &Path, frames: &[PathBuf], skyline: &str) -> Command {
    let mut command = Command::new(program());
    command
        .args(["stack", "--quiet", "--replace", "--threads", "2", "--memory", "1024"])
        .args(["--combine", "clipped", "--skyline", skyline, "--out"])
        .arg(folder.join("result.tif"))
        .arg("--report")
        .arg(report(folder))
        .args(frames);
    command
}

fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// What strokes cost, in milliseconds.
struct Stroked {
    /// Median and worst of single ones.
    drawn: [f64; 2],
    /// Of taking them back.
    back: [f64; 2],
    /// Of [`MANY`] at once, none of which was known before.
    many: f64,
    /// The application's peak memory in MiB.
    memory: u64,
}

fn stroked(folder: &Path, sources: &Path) -> Result<Stroked> {
    let sources = sources.canonicalize()?;
    let application = Application::start(&folder.join("strokes-data"), &sources)?;
    let mut plan = shoot("Strokes", &sources)?["plan"].clone();
    plan["align"]["mode"] = json!("stars");
    plan["skyline"]["mode"] = json!("auto");
    show(&plan)?;
    let mut drawn = vec![];
    for i in 0..STROKES {
        let strokes = plan["skyline"]["strokes"].as_array_mut().context("a plan has strokes")?;
        strokes.push(stroke(i, STROKES));
        drawn.push(show(&plan)?);
    }
    let mut back = vec![];
    while plan["skyline"]["strokes"].as_array_mut().is_some_and(|all| all.pop().is_some()) {
        back.push(show(&plan)?);
    }
    plan["skyline"]["strokes"] = (0..MANY).map(|i| stroke(i, MANY)).collect();
    let many = show(&plan)?;
    let worst = |all: &[f64]| all.iter().copied().fold(0.0, f64::max);
    let (most, most_back) = (worst(&drawn), worst(&back));
    Ok(Stroked {
        drawn: [median(drawn), most],
        back: [median(back), most_back],
        many,
        memory: application.peak_mib()?,
    })
}

/// One of several strokes along a row of places across the picture, alternately for the sky and the
/// ground.
fn stroke(i: u32, among: u32) -> Value {
    let [width, height] = SIZE.map(f64::from);
    let x = width * f64::from(i + 1) / f64::from(among + 1);
    let (paint, y) =
        if i.is_multiple_of(2) { ("sky-stroke", 0.85) } else { ("ground-stroke", 0.2) };
    let points: Vec<[f64; 3]> =
        (0..12).map(|k| [x + 12.0 * f64::from(k), height * y, 20.0]).collect();
    json!({ "paint": paint, "points": points, "soft": 0.0 })
}

/// Changes the plan and waits for all that is seen of the skyline; how long that took in
/// milliseconds.
fn show(plan: &Value) -> Result<f64> {
    let begin = Instant::now();
    ask("PATCH", "/api/shoots/1", Some(&json!({ "plan": plan })))?;
    let skyline = ask("POST", "/api/shoots/1/skyline", None)?;
    let version = skyline["version"].as_str().unwrap_or_default();
    tiles("skyline-1", SIZE, 3, &format!("laid=hatching&v={version}"))?;
    Ok(begin.elapsed().as_secs_f64() * 1000.0)
}
