//! The program under trial, run as a person would.

use anyhow::{Context, Result};
use std::collections::BTreeSet;
use std::ffi::OsStr;
use std::io::Read;
use std::path::PathBuf;
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::Mutex;
use std::time::{Duration, Instant};

/// How long a run of a few small frames may take before it hangs.
const LONGEST: Duration = Duration::from_secs(60);

pub struct Program {
    path: PathBuf,
    /// All sentences that it said, numbers put as N.
    said: Mutex<BTreeSet<String>>,
}

/// How a run ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum End {
    Done,
    /// With a sentence.
    Refused(String),
    /// By a panic or a signal that it brought upon itself.
    Crashed(String),
    Hung,
}

impl Program {
    pub fn new(path: PathBuf) -> Self {
        Self { path, said: Mutex::default() }
    }

    pub fn command(&self) -> Command {
        Command::new(&self.path)
    }

    /// Starts it with its messages caught.
    pub fn start(&self, arguments: &[impl AsRef<OsStr>]) -> Result<Child> {
        let mut command = self.command();
        command.args(arguments).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::piped());
        command.spawn().with_context(|| self.path.display().to_string())
    }

    /// Runs it to its end.
    pub fn run(&self, arguments: &[impl AsRef<OsStr>]) -> Result<End> {
        let mut child = self.start(arguments)?;
        let mut said = child.stderr.take().context("its messages are caught")?;
        let listener = std::thread::spawn(move || {
            let mut bytes = Vec::new();
            let _ = said.read_to_end(&mut bytes);
            bytes
        });
        let begun = Instant::now();
        let status = loop {
            match child.try_wait()? {
                Some(status) => break status,
                None if begun.elapsed() > LONGEST => {
                    child.kill()?;
                    child.wait()?;
                    return Ok(End::Hung);
                }
                None => std::thread::sleep(Duration::from_millis(2)),
            }
        };
        let said = listener.join().expect("the listener does not panic");
        Ok(self.end(status, &said))
    }

    /// How a run ended, from its status and what it said.
    fn end(&self, status: ExitStatus, said: &[u8]) -> End {
        let text = String::from_utf8_lossy(said);
        let lines = text.lines().map(str::trim).filter(|line| !line.is_empty());
        let last = lines.clone().next_back().unwrap_or_default().to_owned();
        for line in lines {
            self.note(line);
        }
        if text.contains("panicked at") {
            return End::Crashed(text.into_owned());
        }
        match status.code() {
            Some(0) => End::Done,
            Some(1 | 2) => End::Refused(last),
            other => End::Crashed(format!("ended with {other:?}: {text}")),
        }
    }

    /// Keeps a sentence for the list of all.
    pub fn note(&self, said: &str) {
        let mut plain = String::new();
        for letter in said.chars() {
            match letter {
                '0'..='9' if plain.ends_with('N') => {}
                '0'..='9' => plain.push('N'),
                other => plain.push(other),
            }
        }
        self.said.lock().expect("no thread fails with the lock").insert(plain);
    }

    pub fn messages(&self) -> String {
        let said = self.said.lock().expect("no thread fails with the lock");
        said.iter().map(|line| format!("{line}\n")).collect()
    }
}
