//! Figures of adding 200 frames to a shoot of the running application, beside only decoding them.

use crate::application::{Application, ask};
use crate::bench;
use crate::run::run;
use anyhow::{Context, Result, bail};
use serde_json::json;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

/// Frames of one kind.
struct Kind {
    name: &'static str,
    folder: &'static str,
    frames: usize,
    /// How the simulated camera makes them; nothing for copies of the plain TIFFs as JPEG.
    scene: &'static [&'static str],
    /// Whether the reference can decode them.
    decoded: bool,
}

const KINDS: [Kind; 4] = [
    Kind {
        name: "6 MP, 16-bit TIFF compressed by deflate",
        folder: "sky-6-deflate",
        frames: 200,
        scene: &["night-sky", "--darks", "0", "--width", "3000", "--height", "2000", "--deflate"],
        decoded: true,
    },
    Kind {
        name: "6 MP, 16-bit TIFF plain",
        folder: "sky-6",
        frames: 200,
        scene: &["night-sky", "--darks", "0", "--width", "3000", "--height", "2000"],
        decoded: true,
    },
    Kind { name: "6 MP, JPEG", folder: "sky-6-jpeg", frames: 200, scene: &[], decoded: true },
    Kind {
        name: "24 MP, raw",
        folder: "raw-24-many",
        frames: 16,
        scene: &bench::RAW_24,
        decoded: false,
    },
];

/// Adds frames of all kinds, and writes docs/import.md.
pub fn import() -> Result<()> {
    bench::build()?;
    let folder = Path::new("target/bench");
    std::fs::create_dir_all(folder)?;
    let python = bench::python(folder)?;
    let mut table = String::from(
        "| frames | adding all (s) | of their files (MB/s) | decoding alone (s) | ratio | measuring all (s) | the shoot's answer (ms) | peak memory (MiB) |\n|---|---|---|---|---|---|---|---|\n",
    );
    for Kind { name, folder: sources, frames: count, scene, decoded } in KINDS {
        let sources = folder.join(sources);
        match scene.is_empty() {
            true => jpegs(&python, &folder.join("sky-6"), &sources)?,
            false => bench::make(&sources, scene, count)?,
        }
        let mut frames: Vec<PathBuf> =
            std::fs::read_dir(&sources)?.flatten().map(|entry| entry.path()).collect();
        frames.retain(|path| path.is_file());
        frames.sort();
        let mut bytes = 0;
        for frame in &frames {
            bytes += std::io::copy(&mut std::fs::File::open(frame)?, &mut std::io::sink())?;
        }
        let decoding = match decoded {
            true => Some(bench::decoding(folder, &python, &frames)?),
            false => None,
        };
        let figures = add(&folder.join("import-data"), &sources, frames.len())?;
        let Figures { adding, measuring, answer_ms, memory } = figures;
        let said = |value: Option<f64>, digits: usize| match value {
            Some(value) => format!("{value:.digits$}"),
            None => "".to_owned(),
        };
        writeln!(
            table,
            "| {count} of {name} | {adding:.1} | {:.0} | {} | {} | {measuring:.1} | {answer_ms:.0} | {memory} |",
            bytes as f64 / 1e6 / adding,
            said(decoding, 1),
            said(decoding.map(|alone| adding / alone), 2),
        )?;
    }
    let text = format!(
        "# Adding frames\n\nWritten by `cargo xtask import`: a folder of simulated frames in the system's memory is added to a\nshoot of the running application, which reads and names each frame, decodes it where it is compressed\nor raw (and stores it, unless it is a JPEG), and makes its smaller sizes; then stars, sky and details\nof each are measured.\n\"Decoding alone\" is what two processes of OpenCV need to only read the same files; reading plain TIFFs\nis a mere copy in memory there, and raw files it does not develop.\n\n{table}\n{}\n",
        bench::machine()
    );
    std::fs::write("docs/import.md", &text)?;
    print!("{text}");
    Ok(())
}

/// Saves the frames of a folder as JPEG.
fn jpegs(python: &Path, from: &Path, to: &Path) -> Result<()> {
    if to.exists() {
        return Ok(());
    }
    let mut frames: Vec<PathBuf> = std::fs::read_dir(from)?.flatten().map(|e| e.path()).collect();
    frames.retain(|path| path.is_file());
    // A folder that was left half filled does not stand for the whole.
    let aside = to.with_extension("aside");
    let _ = std::fs::remove_dir_all(&aside);
    run(Command::new(python).arg("bench/jpegs.py").arg(&aside).args(frames))?;
    Ok(std::fs::rename(aside, to)?)
}

struct Figures {
    adding: f64,
    measuring: f64,
    answer_ms: f64,
    memory: u64,
}

fn add(data: &Path, sources: &Path, count: usize) -> Result<Figures> {
    let sources = sources.canonicalize()?;
    let application = Application::start(data, &sources)?;
    ask("POST", "/api/shoots", Some(&json!({ "name": "Two hundred", "kind": "night-sky" })))?;
    let begin = Instant::now();
    let wish = json!({ "path": sources, "role": "light" });
    ask("POST", "/api/shoots/1/folder", Some(&wish))?;
    let adding = begin.elapsed().as_secs_f64();
    let asked = Instant::now();
    ask("GET", "/api/shoots/1", None)?;
    let answer_ms = asked.elapsed().as_secs_f64() * 1000.0;
    let begin = Instant::now();
    loop {
        let shoot = ask("GET", "/api/shoots/1", None)?;
        let frames = shoot["frames"].as_array().context("a shoot has frames")?;
        if frames.len() != count {
            bail!("{} of {count} frames were added", frames.len());
        }
        if frames.iter().all(|frame| frame["measures"].is_object()) {
            break;
        }
        std::thread::sleep(Duration::from_millis(200));
    }
    let measuring = begin.elapsed().as_secs_f64();
    let memory = application.peak_mib()?;
    drop(application);
    std::fs::remove_dir_all(data)?;
    Ok(Figures { adding, measuring, answer_ms, memory })
}
