//! The program as a process, made scenes, and just enough HTTP to talk to it.

use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// The built program.
pub fn program() -> Command {
    Command::new(env!("CARGO_BIN_EXE_jade-stack"))
}

/// Frames of the simulated camera.
pub struct Scene {
    /// Where they lie.
    pub folder: PathBuf,
}

impl Scene {
    /// Makes `frames` frames of a size in a folder below `parent`.
    pub fn new(parent: &Path, frames: u32, (width, height): (u32, u32)) -> Self {
        let folder = parent.join("card");
        let status = program()
            .args(["scene", "night-sky", "--quiet", "--seed", "7", "--darks", "1", "--out"])
            .arg(&folder)
            .args(["--frames", &frames.to_string()])
            .args(["--width", &width.to_string(), "--height", &height.to_string()])
            .status()
            .unwrap();
        assert!(status.success());
        Self { folder }
    }

    /// A file's content.
    pub fn bytes(&self, name: &str) -> Vec<u8> {
        std::fs::read(self.folder.join(name)).unwrap()
    }

    /// All light frames.
    pub fn frames(&self) -> Vec<PathBuf> {
        let mut frames: Vec<PathBuf> = std::fs::read_dir(&self.folder)
            .unwrap()
            .map(|e| e.unwrap().path())
            .filter(|p| p.extension().is_some_and(|e| e == "tif"))
            .collect();
        frames.sort();
        frames
    }
}

/// A server process, killed with this value.
pub struct Served {
    child: Child,
    /// Host and port.
    pub address: String,
}

impl Served {
    /// Starts it on a free port.
    pub fn start(data: &Path, roots: &[&Path]) -> Self {
        let mut command = program();
        command.args(["serve", "--listen", "127.0.0.1:0", "--threads", "2", "--data"]).arg(data);
        roots.iter().for_each(|root| {
            command.arg("--frames-root").arg(root);
        });
        let mut child = command.stdout(Stdio::piped()).spawn().unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
        let address = line.trim().rsplit("http://").next().unwrap().to_owned();
        assert!(!address.is_empty(), "the server did not start");
        Self { child, address }
    }

    /// Sends it a signal by name and waits for its end; gives the status that it ended with.
    pub fn end(mut self, signal: &str) -> Option<i32> {
        let id = self.child.id().to_string();
        assert!(Command::new("kill").args(["-s", signal, &id]).status().unwrap().success());
        self.child.wait().unwrap().code()
    }

    /// Ends it as a power cut would.
    pub fn kill(mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }

    /// Sends a request with these headers; gives status and body.
    pub fn send(&self, method: &str, path: &str, headers: &str, body: &[u8]) -> (u16, Value) {
        let mut stream = TcpStream::connect(&self.address).unwrap();
        stream.set_read_timeout(Some(Duration::from_secs(60))).unwrap();
        let length = body.len();
        write!(stream, "{method} {path} HTTP/1.1\r\n{headers}Content-Length: {length}\r\nConnection: close\r\n\r\n").unwrap();
        stream.write_all(body).unwrap();
        let mut answer = Vec::new();
        stream.read_to_end(&mut answer).unwrap();
        let answer = String::from_utf8_lossy(&answer);
        let status = answer.split(' ').nth(1).unwrap().parse().unwrap();
        let body = answer.split_once("\r\n\r\n").map_or("", |(_, body)| body);
        (status, serde_json::from_str(body).unwrap_or(Value::Null))
    }

    pub fn send_json(&self, method: &str, path: &str, body: Option<&Value>) -> (u16, Value) {
        let headers = format!("Host: {}\r\nContent-Type: application/json\r\n", self.address);
        let body = body.map(Value::to_string).unwrap_or_default();
        self.send(method, path, &headers, body.as_bytes())
    }

    pub fn get(&self, path: &str) -> (u16, Value) {
        self.send_json("GET", path, None)
    }

    pub fn post(&self, path: &str, body: &Value) -> (u16, Value) {
        self.send_json("POST", path, Some(body))
    }

    /// Makes a night-sky shoot and gives its number.
    pub fn add_shoot(&self, name: &str) -> i64 {
        let (status, shoot) = self.post("/api/shoots", &json!({"name": name, "kind": "night-sky"}));
        assert_eq!(status, 201, "{shoot}");
        shoot["id"].as_i64().unwrap()
    }

    /// Uploads a file under a name that is already encoded for an address.
    pub fn upload(&self, shoot: i64, name: &str, bytes: &[u8]) -> Value {
        let headers = format!("Host: {}\r\n", self.address);
        let path = format!("/api/shoots/{shoot}/upload?name={name}");
        let (status, added) = self.send("POST", &path, &headers, bytes);
        assert!(matches!(status, 200 | 201), "{added}");
        added
    }

    /// Waits until the newest job of a shoot is as wanted.
    /// Begins a job and waits until it is done.
    pub fn carry_out(&self, path: &str, body: &Value) {
        let (status, mut job) = self.post(path, body);
        assert_eq!(status, 201, "{job}");
        while ["queued", "running"].map(Value::from).contains(&job["state"]) {
            std::thread::sleep(Duration::from_millis(10));
            job = self.get(&format!("/api/jobs/{}", job["id"])).1;
        }
        assert_eq!(job["state"], "done", "{job}");
    }

    pub fn until_job(&self, shoot: i64, wanted: impl Fn(&Value) -> bool) {
        for _ in 0..6000 {
            let (_, shown) = self.get(&format!("/api/shoots/{shoot}"));
            if wanted(&shown["jobs"][0]) {
                return;
            }
            std::thread::sleep(Duration::from_millis(10));
        }
        panic!(
            "the job does not get there: {}",
            self.get(&format!("/api/shoots/{shoot}")).1["jobs"][0]
        );
    }
}

impl Drop for Served {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// The signals that end the program, each with the status it ends with. A hang-up is not among them
/// where these tests ignore it, as under `nohup`: programs that they start ignore it too.
pub fn ending_signals() -> Vec<(&'static str, i32)> {
    let status = std::fs::read_to_string("/proc/self/status").unwrap();
    let ignored = status.lines().find_map(|line| line.strip_prefix("SigIgn:")).unwrap();
    let hang_ups_are_ignored = u64::from_str_radix(ignored.trim(), 16).unwrap() & 1 == 1;
    let mut all = vec![("INT", 130), ("TERM", 143), ("HUP", 143)];
    if hang_ups_are_ignored {
        all.pop();
    }
    all
}
