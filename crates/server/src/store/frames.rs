//! Frames.

use super::connection::Store;
use super::rows::{from_json, from_word, now, readable, to_json, word};
use crate::error::ApiError;
use crate::types::{Frame, FramesChange, Role};
use crate::{paths, versions};
use jade_frames::{FileState, FrameInput};
use jade_pixels::facts::Facts;
use jade_plan::{FrameId, Plan, PreparePlan};
use jade_survey::measures::Measures;
use std::collections::HashSet;
use std::path::{Path, PathBuf};

/// A frame as stored.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct FrameRow {
    /// Its number.
    pub id: i64,
    /// Its shoot.
    pub shoot_id: i64,
    /// File name, as the person knows it.
    pub name: String,
    path: String,
    linked: bool,
    /// BLAKE3 of its file, as hexadecimal digits.
    #[sqlx(try_from = "String")]
    pub blake3: FrameId,
    bytes: i64,
    role: String,
    facts: Option<String>,
    problem: Option<String>,
    left_out: bool,
    /// Whether the person keeps it in spite of doubts.
    pub kept: bool,
    /// The set that it is in.
    pub set_id: Option<i64>,
    measures: Option<String>,
    modified_ns: Option<i64>,
}

/// A frame to be stored.
pub struct NewFrame {
    /// File name, as the person knows it.
    pub name: String,
    /// Where the file lies.
    pub path: PathBuf,
    /// Whether it stays there.
    pub linked: bool,
    /// Hash of the content.
    pub blake3: FrameId,
    /// Its size and time of change.
    pub state: FileState,
    /// What it is for.
    pub role: Role,
    /// Facts, or why it cannot be used.
    pub facts: Result<Facts, String>,
}

impl FrameRow {
    /// The frame as the browser sees it under a plan.
    pub fn view(&self, plan: &Plan) -> Result<Frame, ApiError> {
        Ok(Frame {
            id: self.id,
            name: self.name.clone(),
            blake3: self.blake3.clone(),
            version: versions::frame_version(&self.input_under(plan)),
            linked: self.linked,
            bytes: self.bytes,
            role: self.role()?,
            facts: self.facts()?,
            problem: self.problem.clone(),
            left_out: self.left_out,
            set_id: self.set_id,
            measures: self.measures()?,
        })
    }

    /// The frame as the engine reads it, under a treatment.
    pub fn input(&self, prepare: &PreparePlan) -> FrameInput {
        FrameInput {
            path: paths::from_text(&self.path),
            name: self.name.clone(),
            id: self.blake3.clone(),
            state: self
                .modified_ns
                .map(|modified_ns| FileState { bytes: self.bytes as u64, modified_ns }),
            prepare: prepare.clone(),
            calibration: None,
        }
    }

    /// The frame as the engine reads it under a plan.
    pub fn input_under(&self, plan: &Plan) -> FrameInput {
        self.input(&plan.prepare_of(&self.blake3))
    }

    /// Its role; a light if the stored role cannot be read.
    pub fn role(&self) -> Result<Role, ApiError> {
        Ok(readable("the role of a frame", from_word(&self.role)).unwrap_or(Role::Light))
    }

    /// Why it cannot be used.
    pub fn problem(&self) -> Option<&str> {
        self.problem.as_deref()
    }

    /// Whether it may be used.
    pub fn is_usable(&self) -> bool {
        !self.left_out && self.problem.is_none()
    }

    /// Facts from its file.
    pub fn facts(&self) -> Result<Option<Facts>, ApiError> {
        Ok(self
            .facts
            .as_deref()
            .and_then(|text| readable("what a frame's file tells", from_json(text))))
    }

    /// Its measures, once there are any.
    pub fn measures(&self) -> Result<Option<Measures>, ApiError> {
        Ok(self
            .measures
            .as_deref()
            .and_then(|text| readable("what a frame shows", from_json(text))))
    }

    /// Whether it is a light that may be used.
    pub fn is_light(&self) -> bool {
        self.is_usable() && self.role == word(&Role::Light)
    }
}

impl Store {
    /// The frames of a shoot: lights before calibration frames, by name in natural order.
    pub async fn frames(&self, shoot: i64) -> Result<Vec<FrameRow>, ApiError> {
        let mut rows: Vec<FrameRow> = sqlx::query_as("SELECT * FROM frames WHERE shoot_id = ?")
            .bind(shoot)
            .fetch_all(&self.pool)
            .await?;
        let places = Role::ALL.map(|role| word(&role));
        let place = |f: &FrameRow| places.iter().position(|role| *role == f.role);
        rows.sort_by_key(|f| (place(f), crate::folders::natural(&f.name), f.id));
        Ok(rows)
    }

    /// Roles of a shoot's frames and which of them are used, as text that changes whenever one of
    /// them does.
    pub async fn sorting(&self, shoot: i64) -> Result<String, ApiError> {
        let rows: Vec<(i64, String, bool, Option<i64>)> = sqlx::query_as(
            "SELECT id, role, left_out, set_id FROM frames WHERE shoot_id = ? ORDER BY id",
        )
        .bind(shoot)
        .fetch_all(&self.pool)
        .await?;
        Ok(format!("{rows:?} {:?}", self.stacked_set(shoot).await?))
    }

    /// One frame.
    pub async fn frame(&self, id: i64) -> Result<FrameRow, ApiError> {
        sqlx::query_as("SELECT * FROM frames WHERE id = ?")
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| ApiError::missing("This frame"))
    }

    /// The frame of a shoot with this content, if there is one.
    pub async fn frame_with_content(
        &self,
        shoot: i64,
        blake3: &FrameId,
    ) -> Result<Option<FrameRow>, ApiError> {
        let row = sqlx::query_as("SELECT * FROM frames WHERE shoot_id = ? AND blake3 = ?")
            .bind(shoot)
            .bind(blake3.as_str())
            .fetch_optional(&self.pool)
            .await?;
        Ok(row)
    }

    /// Updates the paths of originals: the data folder may have been moved, or be named from
    /// another working directory. `place` gives the path for a BLAKE3.
    pub async fn place_originals(&self, place: impl Fn(&str) -> PathBuf) -> Result<(), ApiError> {
        let originals: Vec<(i64, String, String)> =
            sqlx::query_as("SELECT id, blake3, path FROM frames WHERE linked = 0")
                .fetch_all(&self.pool)
                .await?;
        let mut change = self.pool.begin().await?;
        for (id, blake3, noted) in originals {
            let path = paths::to_text(&place(&blake3));
            if path != noted {
                sqlx::query("UPDATE frames SET path = ? WHERE id = ?")
                    .bind(path)
                    .bind(id)
                    .execute(&mut *change)
                    .await?;
            }
        }
        Ok(change.commit().await?)
    }

    /// The frame of a shoot that lies at a path, if there is one.
    pub async fn frame_at(&self, shoot: i64, path: &Path) -> Result<Option<FrameRow>, ApiError> {
        let row = sqlx::query_as("SELECT * FROM frames WHERE shoot_id = ? AND path = ?")
            .bind(shoot)
            .bind(paths::to_text(path))
            .fetch_optional(&self.pool)
            .await?;
        Ok(row)
    }

    /// Stores a frame; `None` if the shoot has one with the same content.
    pub async fn add_frame(
        &self,
        shoot: i64,
        new: &NewFrame,
    ) -> Result<Option<FrameRow>, ApiError> {
        let done = sqlx::query(
            "INSERT INTO frames (shoot_id, name, path, linked, blake3, bytes, role, facts, problem, added, modified_ns)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING",
        )
        .bind(shoot)
        .bind(&new.name)
        .bind(paths::to_text(&new.path))
        .bind(new.linked)
        .bind(new.blake3.as_str())
        .bind(new.state.bytes as i64)
        .bind(word(&new.role))
        .bind(new.facts.as_ref().ok().map(to_json))
        .bind(new.facts.as_ref().err())
        .bind(now())
        .bind(new.state.modified_ns)
        .execute(&self.pool)
        .await?;
        if done.rows_affected() == 0 {
            return Ok(None);
        }
        self.touch(shoot).await?;
        self.frame(done.last_insert_rowid()).await.map(Some)
    }

    /// Leaves frames out, includes them again, or changes their role or set.
    pub async fn change_frames(&self, shoot: i64, change: &FramesChange) -> Result<(), ApiError> {
        let set = match change.set_id.filter(|set| *set != 0) {
            Some(set) => Some(self.set_of(shoot, set).await?),
            None => None,
        };
        // A set gives its frames their role; a frame that gets another role leaves the set.
        let role = change.role.as_ref().or(set.as_ref().map(|set| &set.role)).map(word);
        let moves = change.set_id.is_some() || change.role.is_some();
        let mut all = self.pool.begin().await?;
        for id in &change.ids {
            sqlx::query(
                "UPDATE frames SET left_out = coalesce(?, left_out), role = coalesce(?, role),
                   kept = coalesce(?, kept), set_id = CASE WHEN ? THEN ? ELSE set_id END
                 WHERE id = ? AND shoot_id = ?",
            )
            .bind(change.left_out)
            .bind(&role)
            .bind(change.kept)
            .bind(moves)
            .bind(set.as_ref().map(|set| set.id))
            .bind(id)
            .bind(shoot)
            .execute(&mut *all)
            .await?;
        }
        all.commit().await?;
        self.touch(shoot).await
    }

    /// Notes that a frame cannot be measured, until the next start.
    pub fn give_up_measuring(&self, id: i64) {
        self.unmeasurable.lock().expect("the store's lock").insert(id);
    }

    /// Forgets which frames could not be measured.
    pub fn try_measuring_again(&self, ids: &[i64]) {
        let mut all = self.unmeasurable.lock().expect("the store's lock");
        all.retain(|id| !ids.contains(id));
    }

    /// Frames that cannot be measured.
    pub fn unmeasurable(&self) -> HashSet<i64> {
        self.unmeasurable.lock().expect("the store's lock").clone()
    }

    /// Readable frames of one shoot without measures, at most `most`, the earliest added first;
    /// without those that cannot be measured.
    pub async fn unmeasured_frames(&self, most: usize) -> Result<Vec<FrameRow>, ApiError> {
        let but = self.unmeasurable();
        let mut rows: Vec<FrameRow> = sqlx::query_as(
            "SELECT frames.* FROM frames JOIN shoots ON shoots.id = shoot_id
             WHERE measures IS NULL AND problem IS NULL AND deleted IS NULL ORDER BY frames.id
             LIMIT ?",
        )
        .bind((but.len() + most) as i64)
        .fetch_all(&self.pool)
        .await?;
        rows.retain(|row| !but.contains(&row.id));
        let shoot = rows.first().map(|row| row.shoot_id);
        rows.retain(|row| Some(row.shoot_id) == shoot);
        rows.truncate(most);
        Ok(rows)
    }

    /// Repairs stored values that cannot be read: measures are removed, so that they are made
    /// again, and a frame without its facts gets a sentence that says what to do.
    pub(super) async fn mend_frames(&self) -> Result<(), ApiError> {
        let rows: Vec<FrameRow> =
            sqlx::query_as("SELECT * FROM frames WHERE measures IS NOT NULL OR facts IS NOT NULL")
                .fetch_all(&self.pool)
                .await?;
        for row in rows {
            if row.measures.is_some() && row.measures()?.is_none() {
                sqlx::query("UPDATE frames SET measures = NULL WHERE id = ?")
                    .bind(row.id)
                    .execute(&self.pool)
                    .await?;
            }
            if row.facts.is_some() && row.facts()?.is_none() {
                sqlx::query("UPDATE frames SET facts = NULL, problem = ? WHERE id = ?")
                    .bind(format!(
                        "{}: what was noted of this file cannot be read any more; take it off the list and add it again.",
                        row.name
                    ))
                    .bind(row.id)
                    .execute(&self.pool)
                    .await?;
            }
        }
        Ok(())
    }

    /// Notes a frame's measures.
    pub async fn set_measures(&self, id: i64, measures: &Measures) -> Result<(), ApiError> {
        sqlx::query("UPDATE frames SET measures = ? WHERE id = ?")
            .bind(to_json(measures))
            .bind(id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Removes a frame that cannot be read from the list; its file stays.
    ///
    /// # Errors
    /// [`ApiError::Refused`] for one that can be read: runs and saved results may need it, and
    /// leaving it out can be undone.
    pub async fn remove_frame(&self, shoot: i64, id: i64) -> Result<(), ApiError> {
        let frame = self.frame(id).await?;
        if frame.shoot_id != shoot {
            return Err(ApiError::missing("This frame"));
        }
        if frame.problem.is_none() {
            return Err(ApiError::Refused(format!(
                "{} can be read, and stays on the list; leave it out instead.",
                frame.name
            )));
        }
        sqlx::query("DELETE FROM frames WHERE id = ? AND problem IS NOT NULL")
            .bind(id)
            .execute(&self.pool)
            .await?;
        self.touch(shoot).await
    }
}
