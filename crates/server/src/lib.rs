//! The web application: routes, store, job runner, tile rendering and the embedded front end.

pub mod backup;
mod cache_limit;
mod calibrated;
mod connections;
mod data_folder;
pub mod demo;
pub mod error;
pub mod folders;
mod guard;
mod import;
mod measurer;
mod merging;
mod paths;
pub mod pictures;
mod proposals;
mod routes;
mod runner;
mod saving;
mod searches;
mod skyline;
pub mod store;
mod sweep;
mod told;
pub mod types;
mod versions;
mod watcher;

use data_folder::DataFolder;
use error::ApiError;
use folders::Roots;
use guard::Guard;
use jade_engine::Budget;
use jade_frames::cache::Cache;
use std::net::SocketAddr;
use std::panic::AssertUnwindSafe;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use store::Store;
use tokio::sync::broadcast;
use types::Event;

/// How to start the server.
#[derive(Debug, Clone)]
pub struct Config {
    /// Folder of everything the application keeps.
    pub data: PathBuf,
    /// Where to listen; port 0 takes a free one.
    pub listen: SocketAddr,
    /// Folders from which frames may be added.
    pub roots: Vec<PathBuf>,
    /// Make the demo shoots on the first start.
    pub demo: bool,
    /// Asked for from everyone; needed to listen elsewhere than on this machine.
    pub password: Option<String>,
    /// Bounds of each run.
    pub budget: Budget,
    /// Bytes that decoded frames and other products of stages may take on disk.
    pub cache_limit: u64,
}

/// What all routes share.
pub struct App {
    data: PathBuf,
    store: Store,
    cache: Cache,
    cache_limit: u64,
    roots: Roots,
    budget: Budget,
    guard: Guard,
    gallery: pictures::Gallery,
    runner: runner::Runner,
    savings: saving::Savings,
    calibrations: calibrated::Calibrations,
    skylines: skyline::Skylines,
    sweeps: sweep::Sweeps,
    /// Watched folders that are not there.
    gone: watcher::Gone,
    importers: tokio::sync::Semaphore,
    importer_places: u32,
    /// Set once the server is about to end.
    ending: AtomicBool,
    /// Pieces of work under way.
    busy: AtomicUsize,
    /// Wakes the measurer when something was added.
    imported: tokio::sync::Notify,
    events: broadcast::Sender<Event>,
}

/// How long the end of the server waits for work to stop.
const REST: Duration = Duration::from_secs(10);

impl App {
    /// Whether the server is about to end: whatever takes long stops then.
    fn is_ending(&self) -> bool {
        self.ending.load(Ordering::Relaxed)
    }

    /// Waits until no work holds the application any more, for so long at most.
    async fn at_rest(self: &Arc<Self>, most: Duration) {
        let begun = Instant::now();
        while self.busy.load(Ordering::Relaxed) > 0 && begun.elapsed() < most {
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    }

    /// Does work that computes or waits for a disk, away from the threads that answer requests.
    ///
    /// # Errors
    /// Those of `work`; [`ApiError::Inner`] where it broke off.
    async fn work<T: Send + 'static, E: Into<ApiError> + Send + 'static>(
        self: &Arc<Self>,
        work: impl FnOnce(&Arc<Self>) -> Result<T, E> + Send + 'static,
    ) -> Result<T, ApiError> {
        let app = self.clone();
        let done = tokio::task::spawn_blocking(move || {
            app.busy.fetch_add(1, Ordering::Relaxed);
            let done = std::panic::catch_unwind(AssertUnwindSafe(|| work(&app)));
            app.busy.fetch_sub(1, Ordering::Relaxed);
            done.map_err(|_| ApiError::Inner(BROKE_OFF.to_owned()))
        });
        done.await??.map_err(Into::into)
    }

    fn tell(&self, event: Event) {
        // Nobody listening is fine.
        let _ = self.events.send(event);
    }

    fn result_folder(&self, key: &str) -> PathBuf {
        self.data.join("results").join(key)
    }

    /// Where an uploaded file with this BLAKE3 is kept.
    pub fn original(&self, blake3: &str) -> PathBuf {
        data_folder::original(&self.data, blake3)
    }
}

/// What is said of work that panicked.
const BROKE_OFF: &str = "A computation broke off; the server's own notes say more. Try again.";

/// A server that listens.
pub struct Server {
    listener: tokio::net::TcpListener,
    app: Arc<App>,
    folder: DataFolder,
}

impl Server {
    /// Opens the data folder and the port; with `config.demo` the demo shoots are in the store
    /// when this returns.
    ///
    /// # Errors
    /// [`ApiError`] with one sentence for the person.
    pub async fn start(config: Config) -> Result<Self, ApiError> {
        if !config.listen.ip().is_loopback() && config.password.is_none() {
            return Err(ApiError::Refused(format!(
                "Listening on {} lets others in; set a password in the environment variable JADE_STACK_PASSWORD.",
                config.listen
            )));
        }
        if !config.listen.ip().is_loopback() {
            tracing::warn!(
                "on the way to other machines the password and the pictures are not encrypted; put a reverse proxy that speaks TLS before {}",
                config.listen
            );
        }
        let data = config.data.clone();
        // Nothing of another server's is touched: neither its folder nor its port.
        let folder = DataFolder::take(&data)?;
        let listener = tokio::net::TcpListener::bind(config.listen).await.map_err(|e| {
            ApiError::Refused(format!(
                "{}: cannot listen there: {e}; choose another port with --listen.",
                config.listen
            ))
        })?;
        let address = listener.local_addr()?;
        folder.note(Some(address))?;
        folder.prepare()?;
        let mut roots = config.roots.clone();
        if config.demo {
            let data = data.clone();
            tokio::task::spawn_blocking(move || demo::make_frames(&data)).await??;
            roots.push(demo::folder(&config.data));
        }
        let store = Store::open(&data.join("jade-stack.sqlite")).await?;
        store.place_originals(|blake3| data_folder::original(&data, blake3)).await?;
        let interrupted = store.mark_interrupted().await?;
        if interrupted > 0 {
            tracing::warn!(
                "{interrupted} run was interrupted when the server last ended; it can go on"
            );
        }
        let importer_places = config.budget.threads.clamp(1, 4);
        let app = Arc::new(App {
            cache: Cache::at(&data.join("cache")),
            data,
            store,
            cache_limit: config.cache_limit,
            roots: Roots::new(&roots)?,
            budget: config.budget,
            guard: Guard::new(address, config.password),
            gallery: Default::default(),
            runner: Default::default(),
            savings: Default::default(),
            calibrations: Default::default(),
            skylines: Default::default(),
            sweeps: Default::default(),
            gone: Default::default(),
            importers: tokio::sync::Semaphore::new(importer_places),
            importer_places: importer_places as u32,
            ending: Default::default(),
            busy: Default::default(),
            imported: Default::default(),
            events: broadcast::channel(256).0,
        });
        if config.demo {
            demo::store_shoots(&app).await?;
        }
        Ok(Self { listener, app, folder })
    }

    /// Where it listens.
    ///
    /// # Errors
    /// [`ApiError::Inner`].
    pub fn address(&self) -> Result<SocketAddr, ApiError> {
        Ok(self.listener.local_addr()?)
    }

    /// Serves until `stop` resolves.
    ///
    /// # Errors
    /// [`ApiError::Inner`].
    pub async fn run(
        self,
        stop: impl Future<Output = ()> + Send + 'static,
    ) -> Result<(), ApiError> {
        let Self { listener, app, folder } = self;
        let runner = tokio::spawn(runner::run_forever(app.clone()));
        // What an earlier start left unmeasured.
        app.imported.notify_one();
        let measurer = tokio::spawn(measurer::run_forever(app.clone()));
        let watcher = tokio::spawn(watcher::run_forever(app.clone()));
        let keeper = tokio::spawn(cache_limit::run_forever(app.clone()));
        // Event streams never end by themselves, so open connections are not waited for.
        let ended = tokio::select! {
            ended = connections::serve(listener, routes::router(app.clone())) => ended,
            () = stop => Ok(()),
        };
        runner.abort();
        measurer.abort();
        watcher.abort();
        keeper.abort();
        // A run under way says at the next start that it was interrupted, and can go on.
        app.ending.store(true, Ordering::Relaxed);
        app.store.mark_interrupted().await?;
        app.at_rest(REST).await;
        app.store.close().await;
        drop(folder);
        ended
    }
}

/// The process's largest resident memory so far in MiB, as the system tells.
pub fn peak_memory_mib() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|l| l.starts_with("VmHWM:")).unwrap_or_default();
    line.split_whitespace().nth(1).and_then(|kib| kib.parse::<u64>().ok()).unwrap_or(0) / 1024
}
