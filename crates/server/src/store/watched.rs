//! Watched folders.

use super::connection::Store;
use super::rows::{from_word, readable, word};
use crate::error::ApiError;
use crate::paths;
use crate::types::{Role, Watched};
use std::path::Path;

#[derive(sqlx::FromRow)]
struct Row {
    shoot_id: i64,
    path: String,
    role: String,
}

impl Row {
    /// Whether the folder is there is known to whoever looks into it: a disk of another machine may
    /// let one wait.
    fn view(self) -> Result<Watched, ApiError> {
        Ok(Watched { role: from_word(&self.role)?, path: self.path, there: true })
    }
}

impl Store {
    /// The folder that a shoot watches.
    pub async fn watched(&self, shoot: i64) -> Result<Option<Watched>, ApiError> {
        let row: Option<Row> = sqlx::query_as("SELECT * FROM watched WHERE shoot_id = ?")
            .bind(shoot)
            .fetch_optional(&self.pool)
            .await?;
        row.map(Row::view).transpose()
    }

    /// All watched folders, with their shoots.
    pub async fn all_watched(&self) -> Result<Vec<(i64, Watched)>, ApiError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT watched.* FROM watched JOIN shoots ON shoots.id = shoot_id
             WHERE deleted IS NULL ORDER BY shoot_id",
        )
        .fetch_all(&self.pool)
        .await?;
        let all = rows.into_iter().map(|row| (row.shoot_id, row.view()));
        Ok(all.filter_map(|(id, row)| Some((id, readable("a watched folder", row)?))).collect())
    }

    /// Watches a folder for a shoot, instead of any other, or none.
    pub async fn watch(&self, shoot: i64, folder: Option<(&Path, Role)>) -> Result<(), ApiError> {
        let mut all = self.pool.begin().await?;
        sqlx::query("DELETE FROM watched WHERE shoot_id = ?")
            .bind(shoot)
            .execute(&mut *all)
            .await?;
        if let Some((path, role)) = folder {
            sqlx::query("INSERT INTO watched (shoot_id, path, role) VALUES (?, ?, ?)")
                .bind(shoot)
                .bind(paths::to_text(path))
                .bind(word(&role))
                .execute(&mut *all)
                .await?;
        }
        all.commit().await?;
        self.touch(shoot).await
    }
}
