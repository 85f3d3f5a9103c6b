//! The web application under trial, asked over HTTP.

use crate::program::Program;
use crate::tally::Tally;
use anyhow::{Context, Result, bail};
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

const ADDRESS: &str = "127.0.0.1:8163";
/// How long anything may take that is waited for.
const LONGEST: Duration = Duration::from_secs(120);

/// It runs until this is dropped, and is killed then.
pub struct Server {
    child: Child,
    log: std::path::PathBuf,
}

/// An answer: its status and its body.
pub struct Answer {
    pub status: u16,
    pub body: Vec<u8>,
}

impl Answer {
    /// What it says is wrong.
    pub fn problem(&self) -> String {
        String::from_utf8_lossy(&self.body).into_owned()
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Server {
    /// Starts it on a data folder; what it says goes to a file.
    pub fn start(program: &Program, data: &Path, frames: &Path, log: &Path) -> Result<Self> {
        let said = std::fs::OpenOptions::new().create(true).append(true).open(log)?;
        let mut command = program.command();
        command.args(["serve", "--listen", ADDRESS, "--data"]).arg(data);
        command.arg("--frames-root").arg(frames).stdout(Stdio::null()).stderr(said);
        let mut server = Self { child: command.spawn()?, log: log.to_owned() };
        let begun = Instant::now();
        while ask("GET", "/api/shoots", &[]).is_err() {
            if server.child.try_wait()?.is_some() {
                bail!("{}", server.said());
            }
            if begun.elapsed() > LONGEST {
                bail!("the server does not answer");
            }
            std::thread::sleep(Duration::from_millis(10));
        }
        Ok(server)
    }

    /// Its last words.
    fn said(&self) -> String {
        let text = std::fs::read_to_string(&self.log).unwrap_or_default();
        text.lines().next_back().unwrap_or_default().to_owned()
    }

    /// Ends it as a power cut would.
    pub fn kill(mut self) -> Result<()> {
        self.child.kill()?;
        self.child.wait()?;
        Ok(())
    }
}

/// Asks with a body of bytes.
pub fn ask(method: &str, path: &str, body: &[u8]) -> Result<Answer> {
    let mut stream = TcpStream::connect(ADDRESS)?;
    stream.set_read_timeout(Some(LONGEST))?;
    let length = body.len();
    write!(
        stream,
        "{method} {path} HTTP/1.0\r\nHost: {ADDRESS}\r\nContent-Type: application/json\r\nContent-Length: {length}\r\n\r\n"
    )?;
    stream.write_all(body)?;
    let mut answer = Vec::new();
    stream.read_to_end(&mut answer)?;
    let end = answer.windows(4).position(|bytes| bytes == b"\r\n\r\n");
    let body = answer.split_off(end.context("the answer has no head")? + 4);
    let head = String::from_utf8_lossy(&answer);
    let status = head.split(' ').nth(1).and_then(|code| code.parse().ok());
    Ok(Answer { status: status.context("the answer has no status")?, body })
}

/// Asks in JSON for JSON.
pub fn json(method: &str, path: &str, body: &Value) -> Result<Value> {
    let sent = if body.is_null() { vec![] } else { body.to_string().into_bytes() };
    let answer = ask(method, path, &sent)?;
    if answer.status / 100 != 2 {
        bail!("{method} {path}: {} {}", answer.status, answer.problem());
    }
    Ok(serde_json::from_slice(&answer.body)?)
}

pub fn get(path: &str) -> Result<Value> {
    json("GET", path, &Value::Null)
}

/// Makes a shoot.
pub fn shoot() -> Result<i64> {
    let made = json("POST", "/api/shoots", &json!({ "name": "Salt pan", "kind": "night-sky" }))?;
    made["id"].as_i64().context("a shoot has a number")
}

/// Asks for a shoot until it is as wanted.
pub fn until(shoot: i64, is: impl Fn(&Value) -> bool) -> Result<Value> {
    let begun = Instant::now();
    loop {
        let now = get(&format!("/api/shoots/{shoot}"))?;
        if is(&now) {
            return Ok(now);
        }
        if begun.elapsed() > LONGEST {
            bail!("it hangs: the jobs are {}", now["jobs"]);
        }
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// Whether no job is under way.
pub fn is_still(shoot: &Value) -> bool {
    let jobs = shoot["jobs"].as_array().map(Vec::as_slice).unwrap_or_default();
    jobs.iter().all(|job| !matches!(job["state"].as_str(), Some("queued" | "running")))
}

/// Begins a job and waits until it is done.
fn carry_out(path: &str, body: &Value) -> Result<()> {
    let begun = Instant::now();
    let mut job = json("POST", path, body)?;
    while matches!(job["state"].as_str(), Some("queued" | "running")) {
        if begun.elapsed() > LONGEST {
            bail!("it hangs: {job}");
        }
        std::thread::sleep(Duration::from_millis(20));
        job = get(&format!("/api/jobs/{}", job["id"]))?;
    }
    if job["state"] != "done" {
        bail!("{path} ended as {}: {}", job["state"], job["problem"]);
    }
    Ok(())
}

/// Runs a shoot, and saves what comes of it as the command line would.
pub fn result(shoot: i64) -> Result<Vec<u8>> {
    carry_out(&format!("/api/shoots/{shoot}/runs"), &Value::Null)?;
    let done = until(shoot, is_still)?;
    // One that was there before is found again.
    let of_plan = |result: &&Value| result["plan"] == done["plan"];
    let results = done["results"].as_array().map(Vec::as_slice).unwrap_or_default();
    let id = &results.iter().find(of_plan).context("a result of the plan")?["id"];
    let wish = json!({ "format": "tiff16" });
    carry_out(&format!("/api/results/{id}/exports"), &wish)?;
    let saved = get(&format!("/api/shoots/{shoot}"))?;
    let results = saved["results"].as_array().into_iter().flatten();
    let exports = results.flat_map(|result| result["exports"].as_array().into_iter().flatten());
    let newest = exports.filter_map(|export| export["id"].as_i64()).max();
    let id = newest.context("a saved file")?;
    let file = ask("GET", &format!("/api/exports/{id}/file"), &[])?;
    if file.status != 200 {
        bail!("the saved file: {} {}", file.status, file.problem());
    }
    Ok(file.body)
}

/// Notes the panics that a server logged, and its warnings for the list of sentences.
pub fn note_log(tally: &mut Tally, program: &Program, log: &Path) -> Result<()> {
    for line in std::fs::read_to_string(log)?.lines() {
        if line.contains("panicked at") {
            tally.panics.push(line.to_owned());
        }
        // After the time and the level.
        if line.contains("WARN") || line.contains("ERROR") || line.starts_with("error") {
            program.note(line.split_once("Z ").map_or(line, |(_, said)| said));
        }
    }
    Ok(())
}
