//! Everything small that must not be lost, in SQLite.

mod exports;
mod frames;
mod jobs;
mod probes;
mod results;
mod sets;
mod shoots;
#[cfg(test)]
mod tests;
mod watched;

pub use frames::{FrameRow, NewFrame};
pub use jobs::JobRow;
pub use results::{NewResult, ResultRow};
pub use sets::in_run;

use crate::error::ApiError;
use serde::Serialize;
use serde::de::DeserializeOwned;
use sqlx::SqlitePool;
use sqlx::migrate::MigrateError;
use sqlx::sqlite::{SqliteConnectOptions, SqliteJournalMode, SqlitePoolOptions, SqliteSynchronous};
use std::path::Path;
use std::time::{SystemTime, UNIX_EPOCH};

/// The store.
#[derive(Debug, Clone)]
pub struct Store {
    pool: SqlitePool,
    /// Frames that could not be measured since the start: nothing waits for them.
    unmeasurable: std::sync::Arc<std::sync::Mutex<std::collections::HashSet<i64>>>,
}

impl Store {
    /// Opens the store in a file, making or bringing it up to date.
    ///
    /// # Errors
    /// [`ApiError::Store`].
    pub async fn open(path: &Path) -> Result<Self, ApiError> {
        let options = SqliteConnectOptions::new()
            .filename(path)
            .create_if_missing(true)
            .foreign_keys(true)
            .journal_mode(SqliteJournalMode::Wal)
            .synchronous(SqliteSynchronous::Full);
        Self::with(SqlitePoolOptions::new().max_connections(4), options).await
    }

    /// A store in memory, for tests.
    ///
    /// # Errors
    /// [`ApiError::Store`].
    pub async fn in_memory() -> Result<Self, ApiError> {
        let options = SqliteConnectOptions::new().in_memory(true).foreign_keys(true);
        Self::with(SqlitePoolOptions::new().max_connections(1), options).await
    }

    async fn with(
        pool: SqlitePoolOptions,
        options: SqliteConnectOptions,
    ) -> Result<Self, ApiError> {
        let pool = pool.connect_with(options).await?;
        sqlx::migrate!("./migrations").run(&pool).await.map_err(|e| match e {
            MigrateError::VersionMissing(_) => ApiError::Refused(
                "The store was made by a later version of Jade Stack; start that one, or choose another folder with --data.".to_owned(),
            ),
            e if e.to_string().contains("disk is full") => ApiError::Inner(
                "The disk of the data folder is full; make room there and start again.".to_owned(),
            ),
            e => ApiError::Inner(format!(
                "The store cannot be brought up to date ({e}); put a backup in its place with `jade-stack restore`."
            )),
        })?;
        let store = Self { pool, unmeasurable: Default::default() };
        store.mend_frames().await?;
        Ok(store)
    }

    /// Writes everything into the one file of the store, and closes it.
    pub async fn close(&self) {
        // What stays in the log is read from there at the next start.
        let _ = sqlx::query("PRAGMA wal_checkpoint(TRUNCATE)").execute(&self.pool).await;
        self.pool.close().await;
    }
}

/// Milliseconds since 1970.
pub fn now() -> i64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    since.as_millis() as i64
}

fn to_json(value: &impl Serialize) -> String {
    serde_json::to_string(value).expect("the store's types serialise")
}

/// What could be read of a row; a row that cannot be read, as after damage to the disk, is noted in the
/// server's log and must not lock those beside it.
fn readable<T>(what: &str, row: Result<T, ApiError>) -> Option<T> {
    row.inspect_err(|error| tracing::error!("{what} is passed over: {error}")).ok()
}

fn from_json<T: DeserializeOwned>(text: &str) -> Result<T, ApiError> {
    serde_json::from_str(text)
        .map_err(|e| ApiError::Inner(format!("The store holds something unreadable: {e}.")))
}

/// An enum that is stored by its serialised name.
fn word(value: &impl Serialize) -> String {
    to_json(value).trim_matches('"').to_owned()
}

fn from_word<T: DeserializeOwned>(text: &str) -> Result<T, ApiError> {
    from_json(&format!("\"{text}\""))
}
