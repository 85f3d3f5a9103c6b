//! The store's file.

use crate::error::ApiError;
use sqlx::SqlitePool;
use sqlx::migrate::MigrateError;
use sqlx::sqlite::{SqliteConnectOptions, SqliteJournalMode, SqlitePoolOptions, SqliteSynchronous};
use std::path::Path;

/// The store.
#[derive(Debug, Clone)]
pub struct Store {
    pub(super) pool: SqlitePool,
    /// Held while a person's change is made and noted.
    pub(super) changing: std::sync::Arc<tokio::sync::Mutex<()>>,
    /// Frames that could not be measured since the start, which nothing waits for.
    pub(super) unmeasurable: std::sync::Arc<std::sync::Mutex<std::collections::HashSet<i64>>>,
}

impl Store {
    /// Opens the store in a file. Creates it or brings it up to date.
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
        let store = Self { pool, changing: Default::default(), unmeasurable: Default::default() };
        store.mend_frames().await?;
        Ok(store)
    }

    /// Writes everything into the one file of the store, and closes it.
    pub async fn close(&self) {
        // If this fails, the next start reads the rest from the log.
        let _ = sqlx::query("PRAGMA wal_checkpoint(TRUNCATE)").execute(&self.pool).await;
        self.pool.close().await;
    }
}
