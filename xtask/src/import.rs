//! Figures of adding 200 frames to a shoot of the running application, beside only decoding them.

use crate::application::{Application, ask};
use crate::bench;
use crate::run::{cargo, run};
use anyhow::{Context, Result, bail};
use serde_json::json;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

const FRAMES: usize = 200;
const SCENES: [(&str, &[&str]); 2] = [
    (
        "compressed by deflate",
        &["night-sky", "--darks", "0", "--width", "3000", "--height", "2000", "--deflate"],
    ),
    ("plain", &["night-sky", "--darks", "0", "--width", "3000", "--height", "2000"]),
];

/// Adds both kinds of frames, and writes docs/import.md.
pub fn import() -> Result<()> {
    run(&mut cargo(&["build", "--release", "-p", "jade-stack"]))?;
    let folder = Path::new("target/bench");
    std::fs::create_dir_all(folder)?;
    let python = bench::python(folder)?;
    let mut table = String::from(
        "| frames | adding all (s) | decoding alone (s) | ratio | measuring all (s) | the shoot's answer (ms) | peak memory (MiB) |\n|---|---|---|---|---|---|---|\n",
    );
    for (kind, scene) in SCENES {
        let sources = folder.join(if kind == "plain" { "sky-6" } else { "sky-6-deflate" });
        bench::make(&sources, scene, FRAMES)?;
        let frames: Vec<PathBuf> =
            (1..=FRAMES).map(|i| sources.join(format!("f{i:03}.tif"))).collect();
        for frame in &frames {
            std::io::copy(&mut std::fs::File::open(frame)?, &mut std::io::sink())?;
        }
        let decoding = bench::decoding(folder, &python, &frames)?;
        let figures = add(&folder.join("import-data"), &sources)?;
        let Figures { adding, measuring, answer_ms, memory } = figures;
        writeln!(
            table,
            "| {FRAMES} of 6 MP, 16-bit TIFF {kind} | {adding:.1} | {decoding:.1} | {:.2} | {measuring:.1} | {answer_ms:.0} | {memory} |",
            adding / decoding
        )?;
    }
    let text = format!(
        "# Adding frames\n\nWritten by `cargo xtask import`: a folder of simulated frames in the system's memory is added to a\nshoot of the running application, which reads and names each frame, decodes and stores it where it is\ncompressed, and makes its smaller sizes; then stars, sky and details of each are measured. \"Decoding alone\" is what two processes of\nOpenCV need to only read the same files; reading plain TIFFs is a mere copy in memory there.\n\n{table}\n{}\n",
        bench::machine()
    );
    std::fs::write("docs/import.md", &text)?;
    print!("{text}");
    Ok(())
}

struct Figures {
    adding: f64,
    measuring: f64,
    answer_ms: f64,
    memory: u64,
}

fn add(data: &Path, sources: &Path) -> Result<Figures> {
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
        if frames.len() != FRAMES {
            bail!("{} of {FRAMES} frames were added", frames.len());
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
