//! The running application, and just enough HTTP to ask it.

use crate::bench::program;
use anyhow::{Context, Result, bail};
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::Mutex;
use std::time::{Duration, Instant};

const ADDRESS: &str = "127.0.0.1:8157";
/// The picture's place on a page of 1280 x 800, in pixels.
const VIEW: [u32; 2] = [750, 606];
const TILE: u32 = 256;
/// Connections that a browser opens at a time.
pub const CONNECTIONS: usize = 6;

/// The application, ended with this.
pub struct Application(Child);

impl Drop for Application {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

impl Application {
    /// Starts it on a new data folder, with a folder of frames.
    pub fn start(data: &Path, frames: &Path) -> Result<Self> {
        Self::of(&program(), data, frames)
    }

    /// Starts any build of it.
    pub fn of(program: &Path, data: &Path, frames: &Path) -> Result<Self> {
        let _ = std::fs::remove_dir_all(data);
        let child = Command::new(program)
            .args(["serve", "--listen", ADDRESS, "--data"])
            .arg(data)
            .arg("--frames-root")
            .arg(frames)
            .stderr(Stdio::null())
            .spawn()?;
        let application = Self(child);
        let begin = Instant::now();
        while ask("GET", "/api/shoots", None).is_err() {
            if begin.elapsed() > Duration::from_secs(20) {
                bail!("the application does not answer on {ADDRESS}");
            }
            std::thread::sleep(Duration::from_millis(50));
        }
        Ok(application)
    }

    /// Where it answers.
    pub fn address(&self) -> String {
        format!("http://{ADDRESS}")
    }

    /// Its largest resident memory so far in MiB.
    pub fn peak_mib(&self) -> Result<u64> {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.0.id()))?;
        let peak = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
        let kib = peak.and_then(|rest| rest.split_whitespace().next()?.parse::<u64>().ok());
        Ok(kib.context("the system tells the memory of a process")? / 1024)
    }
}

/// Asks the application, and reads its answer.
pub fn ask(method: &str, path: &str, body: Option<&Value>) -> Result<Value> {
    let answer = answer(method, path, body)?;
    Ok(if answer.is_empty() { Value::Null } else { serde_json::from_slice(&answer)? })
}

/// A request with any kind of answer.
pub fn answer(method: &str, path: &str, body: Option<&Value>) -> Result<Vec<u8>> {
    let body = body.map(Value::to_string).unwrap_or_default();
    let mut stream = TcpStream::connect(ADDRESS)?;
    write!(
        stream,
        "{method} {path} HTTP/1.0\r\nHost: {ADDRESS}\r\nContent-Type: application/json\r\nContent-Length: {}\r\n\r\n{body}",
        body.len()
    )?;
    let mut answer = Vec::new();
    stream.read_to_end(&mut answer)?;
    let end = answer.windows(4).position(|bytes| bytes == b"\r\n\r\n");
    let body = answer.split_off(end.context("an answer has a head")? + 4);
    let head = String::from_utf8_lossy(&answer);
    if !head.split_whitespace().nth(1).is_some_and(|status| status.starts_with('2')) {
        bail!("{method} {path}: {head}");
    }
    Ok(body)
}

/// Fetches the tiles in the middle of a level of a picture that the view shows.
pub fn tiles(picture: &str, size: [u32; 2], level: u32, query: &str) -> Result<()> {
    let span = |axis: usize| {
        let size = size[axis] >> level;
        let from = size.saturating_sub(VIEW[axis]) / 2;
        from / TILE..=(from + VIEW[axis].min(size) - 1) / TILE
    };
    let all: Vec<(u32, u32)> = span(1).flat_map(|y| span(0).map(move |x| (x, y))).collect();
    let next = Mutex::new(all.into_iter());
    std::thread::scope(|scope| {
        let fetchers: Vec<_> = (0..CONNECTIONS)
            .map(|_| {
                scope.spawn(|| -> Result<()> {
                    loop {
                        let tile = next.lock().expect("no thread fails with the lock").next();
                        let Some((x, y)) = tile else { return Ok(()) };
                        let path =
                            format!("/api/pictures/{picture}/tiles/{level}/{x}_{y}.png?{query}");
                        answer("GET", &path, None)?;
                    }
                })
            })
            .collect();
        fetchers.into_iter().try_for_each(|fetcher| fetcher.join().expect("no thread panics"))
    })
}

/// Begins a shoot with a folder of frames, and waits until all were measured.
pub fn shoot(name: &str, frames: &Path) -> Result<Value> {
    ask("POST", "/api/shoots", Some(&json!({ "name": name, "kind": "night-sky" })))?;
    ask("POST", "/api/shoots/1/folder", Some(&json!({ "path": frames, "role": "light" })))?;
    loop {
        let shoot = ask("GET", "/api/shoots/1", None)?;
        let frames = shoot["frames"].as_array().context("a shoot has frames")?;
        if !frames.is_empty() && frames.iter().all(|frame| frame["measures"].is_object()) {
            return Ok(shoot);
        }
        std::thread::sleep(Duration::from_millis(200));
    }
}
