//! The web application: routes, store, job runner, tile rendering and the embedded front end.

mod app;
pub mod backup;
mod cache_limit;
mod calibrated;
mod calibrations;
mod connections;
mod data_folder;
#[cfg(feature = "demo")]
pub mod demo;
mod document;
pub mod error;
mod event_log;
mod extract;
pub mod folders;
mod gone;
mod guard;
mod history;
mod import;
mod leftovers;
mod measurer;
mod merging;
mod paths;
mod peak_memory;
pub mod pictures;
mod proposals;
mod routes;
mod runner;
mod running;
mod saving;
mod searches;
mod skyline;
mod skyline_seen;
mod stacking;
pub mod store;
mod sweep;
mod swept;
pub mod types;
mod unreported;
mod versions;
mod watcher;

use app::App;
use data_folder::DataFolder;
use error::ApiError;
use event_log::EventLog;
use folders::Roots;
use guard::door::Guard;
use jade_engine::Budget;
use jade_frames::cache::Cache;
pub use peak_memory::peak_memory_mib;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::Duration;
use store::Store;

/// The document that describes the API (OpenAPI 3.1).
pub fn document() -> utoipa::openapi::OpenApi {
    routes::api().1
}

/// Configuration of the server.
#[derive(Debug, Clone)]
pub struct Config {
    /// Folder of everything the application keeps.
    pub data: PathBuf,
    /// Where to listen; port 0 takes a free one.
    pub listen: SocketAddr,
    /// Folders from which frames may be added.
    pub roots: Vec<PathBuf>,
    /// Make the demo shoots on the first start.
    #[cfg(feature = "demo")]
    pub demo: bool,
    /// Password that every request needs; required for listening on other addresses than this
    /// machine's own.
    pub password: Option<String>,
    /// Bounds of memory and threads for each run.
    pub budget: Budget,
    /// Bytes that decoded frames and other products of stages may take on disk.
    pub cache_limit: u64,
}

/// How long the shutdown waits for work to stop.
const REST: Duration = Duration::from_secs(10);

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
        // The folder and the port are taken before anything is changed, so that another server
        // keeps both.
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
        #[cfg_attr(not(feature = "demo"), expect(unused_mut))]
        let mut roots = config.roots.clone();
        #[cfg(feature = "demo")]
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
            guard: Arc::new(Guard::new(address, config.password)),
            gallery: Default::default(),
            runner: Default::default(),
            calibrations: Default::default(),
            skylines: Default::default(),
            sweeps: Default::default(),
            gone: Default::default(),
            importers: tokio::sync::Semaphore::new(importer_places),
            importer_places: importer_places as u32,
            ending: Default::default(),
            busy: Default::default(),
            imported: Default::default(),
            events: EventLog::new(life()),
        });
        #[cfg(feature = "demo")]
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
        // Measure what an earlier start left unmeasured.
        app.imported.notify_one();
        let measurer = tokio::spawn(measurer::run_forever(app.clone()));
        let watcher = tokio::spawn(watcher::run_forever(app.clone()));
        let keeper = tokio::spawn(cache_limit::run_forever(app.clone()));
        // Event streams never end by themselves, so the shutdown does not wait for open
        // connections.
        let ended = tokio::select! {
            ended = connections::serve(listener, routes::router(app.clone())) => ended,
            () = stop => Ok(()),
        };
        runner.abort();
        measurer.abort();
        watcher.abort();
        keeper.abort();
        // A run under way is marked as interrupted at the next start, and can be continued.
        app.ending.store(true, Ordering::Relaxed);
        app.store.mark_interrupted().await?;
        app.at_rest(REST).await;
        app.store.close().await;
        drop(folder);
        ended
    }
}

/// A number that differs between lives of the server: milliseconds since 1970.
fn life() -> u64 {
    let since = std::time::UNIX_EPOCH.elapsed().unwrap_or_default();
    u64::try_from(since.as_millis()).unwrap_or(u64::MAX)
}
