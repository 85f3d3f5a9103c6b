//! Probes.

use super::connection::Store;
use crate::error::ApiError;
use crate::types::{NewProbe, Probe};

#[derive(sqlx::FromRow)]
struct Row {
    id: i64,
    name: String,
    x: u32,
    y: u32,
    size: u32,
}

impl Store {
    /// The probes of a shoot, in the order they were pinned.
    pub async fn probes(&self, shoot: i64) -> Result<Vec<Probe>, ApiError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT id, name, x, y, size FROM probes WHERE shoot_id = ? ORDER BY id",
        )
        .bind(shoot)
        .fetch_all(&self.pool)
        .await?;
        let probe = |Row { id, name, x, y, size }| Probe { id, name, x, y, size };
        Ok(rows.into_iter().map(probe).collect())
    }

    /// Pins a probe.
    pub async fn add_probe(&self, shoot: i64, new: &NewProbe) -> Result<i64, ApiError> {
        if !(16..=512).contains(&new.size) || new.name.chars().count() > 60 {
            return Err(ApiError::field(
                "size",
                "A probe is 16 to 512 pixels wide and has a name of at most 60 characters.",
            ));
        }
        let done =
            sqlx::query("INSERT INTO probes (shoot_id, name, x, y, size) VALUES (?, ?, ?, ?, ?)")
                .bind(shoot)
                .bind(&new.name)
                .bind(new.x)
                .bind(new.y)
                .bind(new.size)
                .execute(&self.pool)
                .await?;
        self.touch(shoot).await?;
        Ok(done.last_insert_rowid())
    }

    /// Takes a probe away.
    pub async fn remove_probe(&self, shoot: i64, id: i64) -> Result<(), ApiError> {
        sqlx::query("DELETE FROM probes WHERE id = ? AND shoot_id = ?")
            .bind(id)
            .bind(shoot)
            .execute(&self.pool)
            .await?;
        self.touch(shoot).await
    }
}
