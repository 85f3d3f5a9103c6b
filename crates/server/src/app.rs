//! State that all routes share.

use crate::calibrations::Calibrations;
use crate::data_folder;
use crate::error::ApiError;
use crate::event_log::EventLog;
use crate::folders::Roots;
use crate::gone::Gone;
use crate::guard::door::Guard;
use crate::pictures::gallery::Gallery;
use crate::running::Runner;
use crate::skyline_seen::Skylines;
use crate::store::Store;
use crate::swept::Sweeps;
use crate::types::Event;
use jade_engine::Budget;
use jade_frames::cache::Cache;
use std::panic::AssertUnwindSafe;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// State that all routes share.
pub struct App {
    pub data: PathBuf,
    pub store: Store,
    pub cache: Cache,
    pub cache_limit: u64,
    pub roots: Roots,
    pub budget: Budget,
    pub guard: Arc<Guard>,
    pub gallery: Gallery,
    pub runner: Runner,
    pub calibrations: Calibrations,
    pub skylines: Skylines,
    pub sweeps: Sweeps,
    /// Watched folders that are not there.
    pub gone: Gone,
    pub importers: tokio::sync::Semaphore,
    pub importer_places: u32,
    /// Set once the server is about to end.
    pub ending: Arc<AtomicBool>,
    /// Pieces of work under way.
    pub busy: AtomicUsize,
    /// Wakes the measurer when something was added.
    pub imported: tokio::sync::Notify,
    pub events: EventLog,
}

impl App {
    /// Whether the server is about to end: whatever takes long stops then.
    pub fn is_ending(&self) -> bool {
        self.ending.load(Ordering::Relaxed)
    }

    /// Waits until no work uses the application any more, for at most `most`.
    pub async fn at_rest(self: &Arc<Self>, most: Duration) {
        let begun = Instant::now();
        while self.busy.load(Ordering::Relaxed) > 0 && begun.elapsed() < most {
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    }

    /// Does work that computes or waits for a disk, away from the threads that answer requests.
    ///
    /// # Errors
    /// Errors of `work`; [`ApiError::Inner`] where it panicked.
    pub async fn work<T: Send + 'static, E: Into<ApiError> + Send + 'static>(
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

    pub fn tell(&self, event: Event) {
        self.events.tell(&event);
    }

    pub fn result_folder(&self, key: &str) -> PathBuf {
        self.data.join("results").join(key)
    }

    /// Where an uploaded file with this BLAKE3 is kept.
    pub fn original(&self, blake3: &str) -> PathBuf {
        data_folder::original(&self.data, blake3)
    }
}

/// The sentence for work that panicked.
const BROKE_OFF: &str = "A computation broke off; the server's own notes say more. Try again.";
