//! Figures of adding 200 frames to a shoot of the running application, beside only decoding them.

use crate::bench::{self, PROGRAM};
use crate::run::{cargo, run};
use anyhow::{Context, Result, bail};
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

const ADDRESS: &str = "127.0.0.1:8157";
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
        "# Adding frames\n\nWritten by `cargo xtask import`: a folder of simulated frames in the system's memory is added to a\nshoot of the running application, which reads, names, decodes and stores each frame and makes its smaller\nsizes; then stars, sky and details of each are measured. \"Decoding alone\" is what two processes of\nOpenCV need to only read the same files; reading plain TIFFs is a mere copy in memory there.\n\n{table}\n{}\n",
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

/// The application, ended with this.
struct Application(Child);

impl Drop for Application {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

fn add(data: &Path, sources: &Path) -> Result<Figures> {
    let _ = std::fs::remove_dir_all(data);
    let sources = sources.canonicalize()?;
    let child = Command::new(PROGRAM)
        .args(["serve", "--listen", ADDRESS, "--data"])
        .arg(data)
        .arg("--frames-root")
        .arg(&sources)
        .stderr(Stdio::null())
        .spawn()?;
    let application = Application(child);
    let begin = Instant::now();
    while ask("GET", "/api/shoots", None).is_err() {
        if begin.elapsed() > Duration::from_secs(20) {
            bail!("the application does not answer on {ADDRESS}");
        }
        std::thread::sleep(Duration::from_millis(50));
    }
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
    let status = std::fs::read_to_string(format!("/proc/{}/status", application.0.id()))?;
    let peak = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    let kib = peak.and_then(|rest| rest.split_whitespace().next()?.parse::<u64>().ok());
    drop(application);
    std::fs::remove_dir_all(data)?;
    let memory = kib.context("the system tells the memory of a process")? / 1024;
    Ok(Figures { adding, measuring, answer_ms, memory })
}

/// Asks the application, and reads its answer.
fn ask(method: &str, path: &str, body: Option<&Value>) -> Result<Value> {
    let body = body.map(Value::to_string).unwrap_or_default();
    let mut stream = TcpStream::connect(ADDRESS)?;
    write!(
        stream,
        "{method} {path} HTTP/1.0\r\nHost: {ADDRESS}\r\nContent-Type: application/json\r\nContent-Length: {}\r\n\r\n{body}",
        body.len()
    )?;
    let mut answer = String::new();
    stream.read_to_string(&mut answer)?;
    let (head, body) = answer.split_once("\r\n\r\n").context("an answer has a head")?;
    if !head.lines().next().is_some_and(|line| line.contains(" 200 ")) {
        bail!("{method} {path}: {head}");
    }
    Ok(serde_json::from_str(body)?)
}
