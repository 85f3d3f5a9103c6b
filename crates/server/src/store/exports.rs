//! Saved files.

use super::connection::Store;
use super::rows::now;
use crate::error::ApiError;
use crate::paths;
use crate::types::Export;
use std::path::{Path, PathBuf};

#[derive(sqlx::FromRow)]
struct Row {
    id: i64,
    file: String,
    plan_file: String,
    bytes: i64,
    made: i64,
}

impl Row {
    fn view(self) -> Export {
        let (file, plan) = (paths::from_text(&self.file), paths::from_text(&self.plan_file));
        let folder = file.parent().unwrap_or(Path::new("")).display().to_string();
        Export {
            id: self.id,
            file: paths::shown_name(&file),
            plan_file: paths::shown_name(&plan),
            folder,
            bytes: self.bytes,
            made: self.made,
        }
    }
}

impl Store {
    /// The saved files of a result, newest first.
    pub async fn exports(&self, result: i64) -> Result<Vec<Export>, ApiError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT id, file, plan_file, bytes, made FROM exports WHERE result_id = ? ORDER BY id DESC",
        )
        .bind(result)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().map(Row::view).collect())
    }

    /// Notes a saved file and the plan beside it.
    pub async fn add_export(
        &self,
        result: i64,
        file: &Path,
        plan_file: &Path,
        bytes: i64,
    ) -> Result<i64, ApiError> {
        let done = sqlx::query(
            "INSERT INTO exports (result_id, file, plan_file, bytes, made) VALUES (?, ?, ?, ?, ?)",
        )
        .bind(result)
        .bind(paths::to_text(file))
        .bind(paths::to_text(plan_file))
        .bind(bytes)
        .bind(now())
        .execute(&self.pool)
        .await?;
        Ok(done.last_insert_rowid())
    }

    /// Where a saved file and its plan lie.
    pub async fn export_paths(&self, id: i64) -> Result<[PathBuf; 2], ApiError> {
        let row: Option<(String, String)> =
            sqlx::query_as("SELECT file, plan_file FROM exports WHERE id = ?")
                .bind(id)
                .fetch_optional(&self.pool)
                .await?;
        let (file, plan) = row.ok_or_else(|| ApiError::missing("This file"))?;
        Ok([file, plan].map(|path| paths::from_text(&path)))
    }
}
