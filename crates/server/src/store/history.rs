//! The history of each shoot: what a person changed, to be undone and made again.

use super::changeable::Changeable;
use super::connection::Store;
use super::rows::{from_json, now, to_json};
use crate::error::ApiError;
use crate::history::{Difference, Title, Unlike, difference};
use crate::types::History;
use serde_json::Value;

/// Changes that are kept of each shoot; more than anybody makes in a night.
const KEPT: i64 = 10_000;

#[derive(sqlx::FromRow)]
struct Row {
    id: i64,
    gesture: Option<String>,
    difference: String,
}

/// Which way along the history.
#[derive(Clone, Copy, PartialEq)]
enum Way {
    Back,
    Forth,
}

impl Store {
    /// Carries out `work`, which changes a shoot, and notes what it changed.
    ///
    /// # Errors
    /// Those of `work`; nothing is noted then.
    pub async fn noting<T>(
        &self,
        shoot: i64,
        title: impl Into<Title<'_>>,
        work: impl Future<Output = Result<T, ApiError>>,
    ) -> Result<T, ApiError> {
        // One at a time, so that each change is noted with its author's title.
        let _turn = self.changing.lock().await;
        let was = self.changeable(shoot).await?;
        let done = work.await?;
        // Files that were added meanwhile are no part of the change.
        let to = self.changeable(shoot).await?;
        let was = was.shared(&to);
        self.note(shoot, title.into(), &was, &to.shared(&was)).await?;
        Ok(done)
    }

    async fn note(
        &self,
        shoot: i64,
        title: Title<'_>,
        was: &Changeable,
        to: &Changeable,
    ) -> Result<(), ApiError> {
        let made = difference(&was.0, &to.0);
        if made.is_empty() {
            return Ok(());
        }
        let mut all = self.pool.begin().await?;
        sqlx::query("DELETE FROM changes WHERE shoot_id = ? AND undone")
            .bind(shoot)
            .execute(&mut *all)
            .await?;
        let last: Option<Row> = sqlx::query_as(
            "SELECT id, gesture, difference FROM changes WHERE shoot_id = ? ORDER BY id DESC LIMIT 1",
        )
        .bind(shoot)
        .fetch_optional(&mut *all)
        .await?;
        let part =
            last.filter(|last| last.gesture.is_some() && last.gesture.as_deref() == title.gesture);
        let whole = part.as_ref().and_then(|last| last.with(&was.0, &to.0));
        match (part, whole) {
            (Some(last), Some(whole)) if whole.is_empty() => {
                sqlx::query("DELETE FROM changes WHERE id = ?")
                    .bind(last.id)
                    .execute(&mut *all)
                    .await?;
            }
            (Some(last), Some(whole)) => {
                sqlx::query("UPDATE changes SET difference = ?, made = ? WHERE id = ?")
                    .bind(to_json(&whole))
                    .bind(now())
                    .bind(last.id)
                    .execute(&mut *all)
                    .await?;
            }
            _ => {
                sqlx::query("INSERT INTO changes (shoot_id, title, gesture, difference, made) VALUES (?, ?, ?, ?, ?)")
                    .bind(shoot)
                    .bind(title.text)
                    .bind(title.gesture)
                    .bind(to_json(&made))
                    .bind(now())
                    .execute(&mut *all)
                    .await?;
            }
        }
        sqlx::query(
            "DELETE FROM changes WHERE shoot_id = ?1 AND id <= (
               SELECT id FROM changes WHERE shoot_id = ?1 ORDER BY id DESC LIMIT 1 OFFSET ?2)",
        )
        .bind(shoot)
        .bind(KEPT)
        .execute(&mut *all)
        .await?;
        Ok(all.commit().await?)
    }

    /// The titles of the changes that would be undone and made again next.
    pub async fn history(&self, shoot: i64) -> Result<History, ApiError> {
        let (undo, redo): (Option<String>, Option<String>) = sqlx::query_as(
            "SELECT
               (SELECT title FROM changes WHERE shoot_id = ?1 AND NOT undone ORDER BY id DESC LIMIT 1),
               (SELECT title FROM changes WHERE shoot_id = ?1 AND undone ORDER BY id LIMIT 1)",
        )
        .bind(shoot)
        .fetch_one(&self.pool)
        .await?;
        Ok(History { undo, redo })
    }

    /// Undoes the last change of a shoot that is not undone.
    ///
    /// # Errors
    /// [`ApiError::Refused`] where there is none, or where its settings were changed without being
    /// noted, as by a power cut between both; it leaves the history then.
    pub async fn undo(&self, shoot: i64) -> Result<(), ApiError> {
        self.step(shoot, Way::Back).await
    }

    /// Makes the change again that was undone last.
    ///
    /// # Errors
    /// As for [`Store::undo`].
    pub async fn redo(&self, shoot: i64) -> Result<(), ApiError> {
        self.step(shoot, Way::Forth).await
    }

    async fn next(&self, shoot: i64, way: Way) -> Result<Option<Row>, ApiError> {
        let order = match way {
            Way::Back => {
                "SELECT id, gesture, difference FROM changes
                 WHERE shoot_id = ? AND NOT undone ORDER BY id DESC LIMIT 1"
            }
            Way::Forth => {
                "SELECT id, gesture, difference FROM changes
                 WHERE shoot_id = ? AND undone ORDER BY id LIMIT 1"
            }
        };
        Ok(sqlx::query_as(order).bind(shoot).fetch_optional(&self.pool).await?)
    }

    async fn step(&self, shoot: i64, way: Way) -> Result<(), ApiError> {
        let _turn = self.changing.lock().await;
        let was = self.changeable(shoot).await?;
        let Some(row) = self.next(shoot, way).await? else {
            let what = if way == Way::Back { "undo" } else { "redo" };
            return Err(ApiError::Refused(format!("There is nothing to {what} in this shoot.")));
        };
        let noted: Difference = from_json(&row.difference)?;
        let noted = if way == Way::Back { noted.reversed() } else { noted };
        let mut to = was.0.clone();
        if let Err(Unlike(places)) = noted.apply(&mut to) {
            sqlx::query("DELETE FROM changes WHERE id = ?")
                .bind(row.id)
                .execute(&self.pool)
                .await?;
            return Err(ApiError::Refused(format!(
                "What it changed is no longer as it was ({}); it leaves the history.",
                places.join(", ").replace(['.', '_'], " ")
            )));
        }
        let mut all = self.pool.begin().await?;
        Changeable(to).write(shoot, &was, &mut all).await?;
        sqlx::query("UPDATE changes SET undone = ? WHERE id = ?")
            .bind(way == Way::Back)
            .bind(row.id)
            .execute(&mut *all)
            .await?;
        Ok(all.commit().await?)
    }
}

impl Row {
    /// This change and one that follows it, from `was` to `to`, as one.
    fn with(&self, was: &Value, to: &Value) -> Option<Difference> {
        let earlier: Difference = from_json(&self.difference).ok()?;
        let mut before = was.clone();
        earlier.reversed().apply(&mut before).ok()?;
        Some(difference(&before, to))
    }
}
