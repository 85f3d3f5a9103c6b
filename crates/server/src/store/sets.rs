//! Sets of frames.

use super::connection::Store;
use super::frames::FrameRow;
use super::names::checked_name;
use super::rows::{from_word, readable, word};
use crate::error::ApiError;
use crate::types::{FrameSet, Role, Sort};

#[derive(sqlx::FromRow)]
struct Row {
    id: i64,
    name: String,
    role: String,
}

impl Row {
    fn view(self) -> Result<FrameSet, ApiError> {
        Ok(FrameSet { id: self.id, name: self.name, role: from_word(&self.role)? })
    }
}

impl Store {
    /// The sets of a shoot, empty ones too, in the order they were made.
    pub async fn sets(&self, shoot: i64) -> Result<Vec<FrameSet>, ApiError> {
        let rows: Vec<Row> =
            sqlx::query_as("SELECT id, name, role FROM frame_sets WHERE shoot_id = ? ORDER BY id")
                .bind(shoot)
                .fetch_all(&self.pool)
                .await?;
        Ok(rows.into_iter().filter_map(|row| readable("a set", row.view())).collect())
    }

    /// One set of a shoot.
    pub async fn set_of(&self, shoot: i64, id: i64) -> Result<FrameSet, ApiError> {
        let sets = self.sets(shoot).await?;
        sets.into_iter().find(|set| set.id == id).ok_or_else(|| ApiError::missing("This set"))
    }

    /// Puts frames into sets, making those that there are not yet. The first set of lights that is
    /// made is what is stacked from then on, unless another is.
    pub async fn sort_frames(&self, shoot: i64, sorts: &[Sort]) -> Result<(), ApiError> {
        let known = self.sets(shoot).await?;
        let mut all = self.pool.begin().await?;
        for sort in sorts {
            let set = match sort.into {
                Some(id) => {
                    let found = known.iter().find(|set| set.id == id).cloned();
                    found.ok_or_else(|| ApiError::missing("This set"))?
                }
                None => {
                    let name = checked_name("set", &sort.name)?;
                    let made = sqlx::query(
                        "INSERT INTO frame_sets (shoot_id, name, role) VALUES (?, ?, ?)",
                    )
                    .bind(shoot)
                    .bind(&name)
                    .bind(word(&sort.role))
                    .execute(&mut *all)
                    .await?;
                    FrameSet { id: made.last_insert_rowid(), name, role: sort.role }
                }
            };
            for frame in &sort.frame_ids {
                sqlx::query("UPDATE frames SET set_id = ?, role = ? WHERE id = ? AND shoot_id = ?")
                    .bind(set.id)
                    .bind(word(&set.role))
                    .bind(frame)
                    .bind(shoot)
                    .execute(&mut *all)
                    .await?;
            }
            if set.role == Role::Light {
                sqlx::query(
                    "UPDATE shoots SET stacked_set = ?1 WHERE id = ?2 AND NOT EXISTS (
                       SELECT 1 FROM frames WHERE set_id = shoots.stacked_set AND role = 'light')",
                )
                .bind(set.id)
                .bind(shoot)
                .execute(&mut *all)
                .await?;
            }
        }
        all.commit().await?;
        self.touch(shoot).await
    }

    /// Names a set.
    pub async fn name_set(&self, shoot: i64, id: i64, name: &str) -> Result<(), ApiError> {
        let name = checked_name("set", name)?;
        self.set_of(shoot, id).await?;
        sqlx::query("UPDATE frame_sets SET name = ? WHERE id = ?")
            .bind(name)
            .bind(id)
            .execute(&self.pool)
            .await?;
        self.touch(shoot).await
    }
}

/// The set that is stacked: the chosen one, if it has lights.
pub fn stacked(rows: &[FrameRow], chosen: Option<i64>) -> Option<i64> {
    let lights = |set: &i64| rows.iter().any(|row| row.is_light() && row.set_id == Some(*set));
    chosen.filter(lights)
}

/// The lights that go into a run.
pub fn in_run(rows: &[FrameRow], chosen: Option<i64>) -> Vec<&FrameRow> {
    let stacked = stacked(rows, chosen);
    let is_in = |row: &&FrameRow| row.is_light() && (stacked.is_none() || row.set_id == stacked);
    rows.iter().filter(is_in).collect()
}
