//! A server on a free port with a data folder of its own, and small frames to give it.

use jade_engine::Budget;
use jade_engine::export::Colours;
use jade_plan::{Kind, Plan};
use jade_scenes::night_sky::{NightSky, Options};
use jade_server::types::{
    Added, Event, Export, ExportFormat, Job, JobState, NewExport, NewShoot, Problem, Role, Shoot,
    ShootChange,
};
use jade_server::{Config, Server};
use reqwest::{Client, Method, RequestBuilder, Response, StatusCode};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::path::{Path, PathBuf};
use std::time::Duration;
use tempfile::TempDir;
use tokio::sync::oneshot;
use tokio::task::JoinHandle;

/// Width and height of the frames.
pub const SIZE: (u32, u32) = (420, 300);

/// Folders that outlive a server: its data, and the card with the frames.
pub struct House {
    folder: TempDir,
    pub frames: Vec<PathBuf>,
}

impl House {
    /// A house with a card of `frames` frames of a night sky.
    pub fn new(frames: u32) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let card = folder.path().join("card");
        let (width, height) = SIZE;
        std::fs::create_dir(&card).unwrap();
        if frames > 0 {
            let options = Options { frames, darks: 0, width, height, seed: 65, deflate: true };
            NightSky::new(options).unwrap().write(&card, |_, _| true).unwrap();
        }
        let name = |i| card.join(jade_scenes::frame_name(i, frames));
        Self { frames: (0..frames).map(name).collect(), folder }
    }

    pub fn card(&self) -> PathBuf {
        self.folder.path().join("card")
    }

    pub fn data(&self) -> PathBuf {
        self.folder.path().join("data")
    }

    pub fn config(&self) -> Config {
        Config {
            data: self.data(),
            listen: "127.0.0.1:0".parse().unwrap(),
            roots: vec![self.card()],
            demo: false,
            password: None,
            budget: Budget::new(Some(256), Some(2)).unwrap(),
            cache_limit: 1 << 30,
        }
    }

    pub async fn open(&self) -> Guest {
        Guest::of(self.config()).await
    }
}

/// Somebody at a running server's door.
pub struct Guest {
    pub client: Client,
    pub host: String,
    stop: oneshot::Sender<()>,
    served: JoinHandle<()>,
}

impl Guest {
    pub async fn of(config: Config) -> Self {
        let server = Server::start(config).await.unwrap();
        let host = server.address().unwrap().to_string();
        let (stop, stopped) = oneshot::channel::<()>();
        let served = tokio::spawn(async move {
            server.run(async move { drop(stopped.await) }).await.unwrap();
        });
        Self { client: Client::new(), host, stop, served }
    }

    /// Ends the server.
    pub async fn close(self) {
        self.stop.send(()).unwrap();
        self.served.await.unwrap();
    }

    pub fn ask(&self, method: Method, path: &str) -> RequestBuilder {
        self.client.request(method, format!("http://{}/api/{path}", self.host))
    }

    pub async fn get<T: DeserializeOwned>(&self, path: &str) -> T {
        read(self.ask(Method::GET, path).send().await.unwrap()).await
    }

    pub async fn post<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize) -> T {
        read(self.ask(Method::POST, path).json(body).send().await.unwrap()).await
    }

    pub async fn patch<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize) -> T {
        read(self.ask(Method::PATCH, path).json(body).send().await.unwrap()).await
    }

    pub async fn delete(&self, path: &str) {
        let answer = self.ask(Method::DELETE, path).send().await.unwrap();
        assert!(answer.status().is_success(), "DELETE {path}: {}", answer.status());
    }

    /// The status and sentence of a request that must fail.
    pub async fn refused(&self, request: RequestBuilder) -> (StatusCode, String) {
        let answer = request.send().await.unwrap();
        let status = answer.status();
        assert!(!status.is_success(), "{status}");
        (status, answer.json::<Problem>().await.unwrap().detail)
    }

    pub async fn shoot(&self, name: &str) -> Shoot {
        self.post("shoots", &NewShoot { name: name.to_owned(), kind: Kind::NightSky }).await
    }

    pub async fn upload(&self, shoot: i64, name: &str, bytes: Vec<u8>) -> Added {
        let request = self.ask(Method::POST, &format!("shoots/{shoot}/upload"));
        read(request.query(&[("name", name)]).body(bytes).send().await.unwrap()).await
    }

    /// A shoot with all frames of the card.
    pub async fn filled(&self, house: &House) -> Shoot {
        let shoot = self.shoot("Mast").await;
        let wish = serde_json::json!({ "path": house.card(), "role": Role::Light });
        let added: Vec<Added> = self.post(&format!("shoots/{}/folder", shoot.id), &wish).await;
        assert_eq!(added.len(), house.frames.len());
        self.get(&format!("shoots/{}", shoot.id)).await
    }

    /// A shoot once all its frames are measured.
    pub async fn measured(&self, shoot: i64) -> Shoot {
        for _ in 0..1200 {
            let now: Shoot = self.get(&format!("shoots/{shoot}")).await;
            if now.frames.iter().all(|f| f.measures.is_some()) {
                return now;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("the frames are not measured");
    }

    /// Queues a run and waits until it has ended.
    pub async fn run(&self, shoot: i64) -> Job {
        self.carry_out(&format!("shoots/{shoot}/runs"), &()).await
    }

    /// Begins a job and waits until it has ended.
    pub async fn carry_out(&self, path: &str, body: &impl Serialize) -> Job {
        let job: Job = self.post(path, body).await;
        self.ended(job.id).await
    }

    pub async fn ended(&self, job: i64) -> Job {
        for _ in 0..2400 {
            let job: Job = self.get(&format!("jobs/{job}")).await;
            if !matches!(job.state, JobState::Queued | JobState::Running) {
                return job;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("the job does not end");
    }

    /// What a job finds that is begun at an address and asked for there.
    pub async fn find<T: DeserializeOwned>(&self, path: &str) -> T {
        let job = self.carry_out(path, &()).await;
        assert_eq!((job.state, job.problem), (JobState::Done, None));
        self.get(path).await
    }

    /// Saves a result, and returns the new file.
    pub async fn save(&self, result: i64, wish: &NewExport) -> Export {
        let job = self.carry_out(&format!("results/{result}/exports"), wish).await;
        assert_eq!((job.state, job.problem), (JobState::Done, None));
        let shoot: Shoot = self.get(&format!("shoots/{}", job.shoot_id)).await;
        let result = shoot.results.into_iter().find(|r| r.id == result).unwrap();
        result.exports.into_iter().max_by_key(|export| export.id).unwrap()
    }
}

pub async fn read<T: DeserializeOwned>(answer: Response) -> T {
    let (status, path) = (answer.status(), answer.url().path().to_owned());
    let text = answer.text().await.unwrap();
    assert!(status.is_success(), "{path}: {status} {text}");
    serde_json::from_str(if text.is_empty() { "null" } else { &text }).unwrap()
}

/// All settings of a plan as a change.
pub fn settings(plan: &Plan) -> ShootChange {
    let plan = Some(serde_json::to_value(plan).unwrap());
    ShootChange { plan, ..ShootChange::default() }
}

/// A wish for a file as it is made where nothing else is said.
pub fn wish(format: ExportFormat) -> NewExport {
    NewExport { format, colours: Colours::default(), place: true }
}

/// What the server tells, event after event.
pub struct Events {
    answer: Response,
    text: String,
}

impl Events {
    pub async fn of(guest: &Guest) -> Self {
        let answer = guest.ask(Method::GET, "events").send().await.unwrap();
        assert_eq!(answer.headers()["content-type"], "text/event-stream");
        Self { answer, text: String::new() }
    }

    pub async fn next(&mut self) -> Event {
        loop {
            if let Some((event, rest)) = self.text.split_once("\n\n") {
                let data = event.lines().find_map(|line| line.strip_prefix("data:"));
                let event = data.map(|data| serde_json::from_str(data.trim()).unwrap());
                self.text = rest.to_owned();
                match event {
                    Some(event) => return event,
                    None => continue,
                }
            }
            let waited = tokio::time::timeout(Duration::from_secs(60), self.answer.chunk()).await;
            let piece = waited.expect("an event within a minute").unwrap().unwrap();
            self.text.push_str(std::str::from_utf8(&piece).unwrap());
        }
    }
}

/// Names in a folder, sorted.
pub fn names(folder: &Path) -> Vec<String> {
    let children = std::fs::read_dir(folder).unwrap().flatten();
    let mut names: Vec<String> =
        children.map(|c| c.file_name().to_string_lossy().into_owned()).collect();
    names.sort();
    names
}
