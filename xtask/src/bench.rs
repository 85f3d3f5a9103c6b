//! Figures of time and memory on simulated frames, from the release build, beside a plain reference
//! in Python (bench/reference.py) in the same run.

use crate::run::{cargo, run};
use anyhow::{Context, Result};
use serde_json::Value;
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::fmt::Write;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

pub const PROGRAM: &str = "target/release/jade-stack";
/// Variable that names another build of the program to be measured, such as an earlier one.
const OTHER: &str = "JADE_STACK";

/// The program that is measured.
pub fn program() -> PathBuf {
    std::env::var_os(OTHER).map_or(PROGRAM.into(), PathBuf::from)
}

/// Builds the program that is measured, unless another build is named.
///
/// # Errors
/// Those of the build.
pub fn build() -> Result<()> {
    match std::env::var_os(OTHER) {
        Some(_) => Ok(()),
        None => run(&mut cargo(&["build", "--release", "-p", "jade-stack"])),
    }
}

/// Frames of one scene that several cases use.
struct Set {
    name: &'static str,
    scene: &'static [&'static str],
    frames: usize,
}

const SETS: [Set; 3] = [
    Set {
        name: "sky-24",
        scene: &["night-sky", "--darks", "0", "--width", "6000", "--height", "4000", "--deflate"],
        frames: 16,
    },
    Set {
        name: "yard-24",
        scene: &["kiln-yard", "--width", "6000", "--height", "4000", "--deflate"],
        frames: 10,
    },
    Set {
        name: "sky-6",
        scene: &["night-sky", "--darks", "0", "--width", "3000", "--height", "2000"],
        frames: 200,
    },
];

struct Case {
    name: &'static str,
    set: usize,
    frames: usize,
    align: &'static str,
    combine: &'static str,
    /// Whether the plain reference does it too.
    compared: bool,
}

const fn case(
    name: &'static str,
    set: usize,
    frames: usize,
    align: &'static str,
    combine: &'static str,
    compared: bool,
) -> Case {
    Case { name, set, frames, align, combine, compared }
}

const CASES: [Case; 6] = [
    case("16 frames of 24 MP on the stars, median", 0, 16, "stars", "median", true),
    case("16 frames of 24 MP on the stars, clipped mean", 0, 16, "stars", "clipped", true),
    case("10 frames of 24 MP handheld, clipped mean", 1, 10, "scene", "clipped", true),
    case("16 frames of 6 MP on the stars, clipped mean", 2, 16, "stars", "clipped", false),
    case("64 frames of 6 MP on the stars, clipped mean", 2, 64, "stars", "clipped", false),
    case("200 frames of 6 MP on the stars, clipped mean", 2, 200, "stars", "clipped", false),
];

/// What one run took.
pub struct Figures {
    /// Seconds from start to end.
    pub whole: f64,
    /// Seconds of processor time.
    pub cpu: f64,
    stages: Vec<(String, f64)>,
    /// Peak memory in MiB.
    pub memory: u64,
    /// Frames.
    pub count: usize,
}

impl Figures {
    /// Between this run and another one of the same; of memory the larger.
    pub fn mean(self, other: Self) -> Self {
        let half = |a: f64, b: f64| 0.5 * (a + b);
        let stages =
            self.stages.iter().map(|(name, s)| (name.clone(), half(*s, other.stage(name))));
        Self {
            whole: half(self.whole, other.whole),
            cpu: half(self.cpu, other.cpu),
            stages: stages.collect(),
            memory: self.memory.max(other.memory),
            count: self.count,
        }
    }

    /// Seconds of a stage.
    pub fn stage(&self, name: &str) -> f64 {
        self.stages.iter().filter(|(n, _)| n == name).map(|(_, s)| s).sum()
    }
}

/// Runs all cases, or those with `only` in their name, and writes docs/benchmarks.md.
pub fn bench(only: Option<&str>) -> Result<()> {
    let chosen = || CASES.iter().filter(|case| only.is_none_or(|only| case.name.contains(only)));
    build()?;
    let folder = Path::new("target/bench");
    std::fs::create_dir_all(folder)?;
    let python = python(folder)?;
    for (i, set) in SETS.iter().enumerate() {
        if chosen().any(|case| case.set == i) {
            make(&folder.join(set.name), set.scene, set.frames)?;
        }
    }
    let mut table = String::from(
        "| case | | frames (s) | align (s) | combine (s) | export (s) | whole (s) | for one frame (s) | CPU (s) | peak memory (MiB) | decoding alone |\n|---|---|---|---|---|---|---|---|---|---|---|\n",
    );
    let mut ratios = String::new();
    // Frames and seconds of the cases that differ in nothing else.
    let mut times: Vec<(f64, f64)> = vec![];
    let mut plain: HashMap<(usize, usize), f64> = HashMap::new();
    for case in chosen() {
        let set = &SETS[case.set];
        let sources = folder.join(set.name);
        // Frames around the middle one, so that they have the same reference frame.
        let first = (set.frames - case.frames) / 2;
        let name = |i: usize| match set.frames > 99 {
            true => format!("f{i:03}.tif"),
            false => format!("f{i:02}.tif"),
        };
        let frames: Vec<PathBuf> =
            (first + 1..=first + case.frames).map(|i| sources.join(name(i))).collect();
        warm(&frames)?;
        let mut figures = ours(folder, &frames, case)?;
        let decoding = match plain.entry((case.set, case.frames)) {
            Entry::Occupied(known) => *known.get(),
            Entry::Vacant(new) => *new.insert(decoding(folder, &python, &frames)?),
        };
        let other = match case.compared {
            true => Some(reference(folder, &python, &frames, case)?),
            false => None,
        };
        if other.is_some() {
            // Before and after the reference, whose run is long enough for the machine to change.
            figures = figures.mean(ours(folder, &frames, case)?);
        }
        row(&mut table, case.name, "Jade Stack", &figures, Some(decoding))?;
        if let Some(other) = other {
            row(&mut table, "", "reference", &other, None)?;
            writeln!(
                ratios,
                "- {}: {:.1} times as fast, with {:.1} times less processor time and {:.0} % of the memory",
                case.name,
                other.whole / figures.whole,
                other.cpu / figures.cpu,
                100.0 * figures.memory as f64 / other.memory as f64
            )?;
        } else {
            times.push((case.frames as f64, figures.whole));
        }
    }
    let mut growth = String::new();
    for pair in times.windows(2) {
        let [(few, short), (many, long)] = [pair[0], pair[1]];
        writeln!(
            growth,
            "- from {few} to {many} frames: {:.3} s for each frame more",
            (long - short) / (many - few)
        )?;
    }
    if !growth.is_empty() {
        growth = format!("\n## Growth with the number of frames\n\n{growth}");
    }
    let against = match ratios.is_empty() {
        true => String::new(),
        false => format!("\n## Against the reference\n\n{ratios}"),
    };
    let text = format!(
        "# Benchmarks\n\nWritten by `cargo xtask bench`: simulated frames, 16-bit TIFF (24 MP\ncompressed by deflate, 6 MP plain) in the system's memory, two threads, a memory budget of 1 GiB, whole\nprocesses from start to the result on the disk. \"Decoding alone\" is what two processes of OpenCV need\nto only read the same files in the same run, and how many times that the whole job takes. The\nreference is `bench/reference.py`: OpenCV and NumPy, with all cores; beside it stand the\nmeans of one run before and one after it. The time for one frame leaves out nothing, so that costs which do not grow with the frames show in it.\n\n{table}{against}{growth}\n{}\n",
        machine()
    );
    std::fs::write("docs/benchmarks.md", &text)?;
    print!("{text}");
    Ok(())
}

fn row(
    table: &mut String,
    case: &str,
    who: &str,
    figures: &Figures,
    decoding: Option<f64>,
) -> Result<()> {
    let [frames, align, combine, export] =
        ["frames", "align", "combine", "export"].map(|s| figures.stage(s));
    let Figures { whole, cpu, memory, count, .. } = figures;
    let decoding = match decoding {
        Some(seconds) => format!("{seconds:.1} s, {:.1} x", whole / seconds),
        None => String::new(),
    };
    let each = whole / *count as f64;
    writeln!(
        table,
        "| {case} | {who} | {frames:.1} | {align:.1} | {combine:.1} | {export:.1} | {whole:.1} | {each:.2} | {cpu:.1} | {memory} | {decoding} |",
    )?;
    Ok(())
}

/// Seconds that two processes of the reference's library need to only decode the frames.
pub fn decoding(folder: &Path, python: &Path, frames: &[PathBuf]) -> Result<f64> {
    let report = folder.join("decoding.json");
    let mut command = Command::new(python);
    command.args(["bench/reference.py", "decode", "none", "none"]).arg(&report).args(frames);
    Ok(timed(&mut command, &report, frames.len())?.stage("frames"))
}

/// Raw lights of 24 MP without calibration frames.
pub const RAW_24: [&str; 12] = [
    "night-sky",
    "--raw",
    "--darks",
    "0",
    "--flats",
    "0",
    "--biases",
    "0",
    "--width",
    "6000",
    "--height",
    "4000",
];

/// Reads frames into the system's memory, so that the disk has no part in the times.
pub fn warm(frames: &[PathBuf]) -> Result<()> {
    for frame in frames {
        std::io::copy(&mut std::fs::File::open(frame)?, &mut std::io::sink())?;
    }
    Ok(())
}

/// Makes a scene unless its frames are there from an earlier run.
pub fn make(folder: &Path, scene: &[&str], frames: usize) -> Result<()> {
    if folder.join("truth/motion.json").exists() {
        return Ok(());
    }
    let frames = frames.to_string();
    run(Command::new(program())
        .arg("scene")
        .args(scene)
        .args(["--frames", &frames, "--quiet", "--replace", "--out"])
        .arg(folder))
}

/// A virtual environment with what the reference needs.
pub fn python(folder: &Path) -> Result<PathBuf> {
    let environment = folder.join("venv");
    let python = environment.join("bin/python");
    if !python.exists() {
        run(Command::new("python3").args(["-m", "venv"]).arg(&environment))?;
    }
    run(Command::new(&python).args([
        "-m",
        "pip",
        "install",
        "-q",
        "-r",
        "bench/requirements.txt",
    ]))?;
    Ok(python)
}

fn ours(folder: &Path, frames: &[PathBuf], case: &Case) -> Result<Figures> {
    let report = folder.join("report.json");
    let mut command = Command::new(program());
    command
        .args(["stack", "--quiet", "--replace", "--threads", "2", "--memory", "1024"])
        .args(["--align", case.align, "--combine", case.combine, "--scratch"])
        .arg(folder.join("scratch"))
        .arg("--out")
        .arg(folder.join("result.tif"))
        .arg("--report")
        .arg(&report)
        .args(frames);
    if case.align == "scene" {
        command.arg("--level");
    }
    std::fs::create_dir_all(folder.join("scratch"))?;
    timed(&mut command, &report, frames.len())
}

fn reference(folder: &Path, python: &Path, frames: &[PathBuf], case: &Case) -> Result<Figures> {
    let report = folder.join("reference.json");
    let mut command = Command::new(python);
    command
        .args(["bench/reference.py", case.align, case.combine])
        .arg(folder.join("reference.tif"))
        .arg(&report)
        .args(frames);
    timed(&mut command, &report, frames.len())
}

/// Runs a command that writes a report, and reads what it took.
pub fn timed(command: &mut Command, report: &Path, count: usize) -> Result<Figures> {
    let before = children_cpu();
    let begin = Instant::now();
    run(command)?;
    let whole = begin.elapsed().as_secs_f64();
    let cpu = children_cpu() - before;
    let text = std::fs::read_to_string(report).context("the report is missing")?;
    let report: Value = serde_json::from_str(&text)?;
    let stages = report["stages"].as_array().into_iter().flatten();
    let stages = stages
        // Programs before the second form of reports called a stage's name `name`.
        .filter_map(|s| {
            let name = s["stage"].as_str().or(s["name"].as_str())?;
            Some((name.to_owned(), s["seconds"].as_f64()?))
        })
        .collect();
    let memory = report["peak_memory_mib"].as_u64().unwrap_or(0);
    Ok(Figures { whole, cpu, stages, memory, count })
}

/// Seconds of processor time that ended child processes took, as the system tells in clock ticks
/// of a hundredth of a second.
fn children_cpu() -> f64 {
    let stat = std::fs::read_to_string("/proc/self/stat").unwrap_or_default();
    // Fields after the command's name in parentheses: 16th and 17th of all.
    let rest = stat.rsplit(')').next().unwrap_or_default();
    let ticks = rest.split_whitespace().skip(13).take(2).filter_map(|t| t.parse::<f64>().ok());
    ticks.sum::<f64>() / 100.0
}

/// What the figures were taken on.
pub fn machine() -> String {
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
