//! The web application: routes, store, job runner, tile rendering and the embedded front end.

mod cache_limit;
mod calibrated;
pub mod demo;
pub mod error;
pub mod folders;
mod guard;
mod import;
mod measurer;
pub mod pictures;
mod proposals;
mod routes;
mod runner;
mod saving;
mod skyline;
pub mod store;
mod sweep;
mod told;
pub mod types;
mod watcher;

use error::ApiError;
use folders::Roots;
use guard::Guard;
use jade_core::cache::Cache;
use jade_core::engine::Budget;
use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::sync::Arc;
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
    importers: tokio::sync::Semaphore,
    importer_places: u32,
    /// Wakes the measurer when something was added.
    imported: tokio::sync::Notify,
    events: broadcast::Sender<Event>,
}

impl App {
    fn tell(&self, event: Event) {
        // Nobody listening is fine.
        let _ = self.events.send(event);
    }

    fn result_folder(&self, key: &str) -> PathBuf {
        self.data.join("results").join(key)
    }
}

/// A server that listens.
pub struct Server {
    listener: tokio::net::TcpListener,
    app: Arc<App>,
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
        let data = config.data.clone();
        make_folders(&data)?;
        let mut roots = config.roots.clone();
        if config.demo {
            let data = data.clone();
            tokio::task::spawn_blocking(move || demo::make_frames(&data)).await??;
            roots.push(demo::folder(&config.data));
        }
        let store = Store::open(&data.join("jade-stack.sqlite")).await?;
        let interrupted = store.mark_interrupted().await?;
        if interrupted > 0 {
            tracing::warn!(
                "{interrupted} run was interrupted when the server last ended; it can go on"
            );
        }
        let listener = tokio::net::TcpListener::bind(config.listen).await.map_err(|e| {
            ApiError::Refused(format!(
                "{}: cannot listen there: {e}; choose another port with --listen.",
                config.listen
            ))
        })?;
        let address = listener.local_addr()?;
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
            importers: tokio::sync::Semaphore::new(importer_places),
            importer_places: importer_places as u32,
            imported: Default::default(),
            events: broadcast::channel(256).0,
        });
        if config.demo {
            demo::store_shoots(&app).await?;
        }
        Ok(Self { listener, app })
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
        let Self { listener, app } = self;
        let runner = tokio::spawn(runner::run_forever(app.clone()));
        // What an earlier start left unmeasured.
        app.imported.notify_one();
        let measurer = tokio::spawn(measurer::run_forever(app.clone()));
        let watcher = tokio::spawn(watcher::run_forever(app.clone()));
        let serve = axum::serve(listener, routes::router(app));
        // Event streams never end by themselves, so open connections are not waited for.
        let ended = tokio::select! {
            ended = serve.into_future() => ended,
            () = stop => Ok(()),
        };
        runner.abort();
        measurer.abort();
        watcher.abort();
        Ok(ended?)
    }
}

fn make_folders(data: &Path) -> Result<(), ApiError> {
    for folder in ["", "originals", "incoming", "cache", "results", "exports"] {
        let path = data.join(folder);
        std::fs::create_dir_all(&path).map_err(|e| {
            ApiError::Refused(format!(
                "{}: the folder cannot be made: {e}; choose another with --data.",
                path.display()
            ))
        })?;
    }
    let _ = std::fs::remove_dir_all(data.join("incoming"));
    std::fs::create_dir_all(data.join("incoming"))?;
    ["cache", "results", "exports", "originals"]
        .iter()
        .for_each(|f| cache_limit::sweep_aside(&data.join(f)));
    Ok(())
}

/// The process's largest resident memory so far in MiB, as the system tells.
pub fn peak_memory_mib() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|l| l.starts_with("VmHWM:")).unwrap_or_default();
    line.split_whitespace().nth(1).and_then(|kib| kib.parse::<u64>().ok()).unwrap_or(0) / 1024
}
