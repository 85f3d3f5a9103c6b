use super::{Store, from_json, from_word, now, to_json, word};
use crate::error::ApiError;
use crate::types::{Frame, FramesChange, Role};
use jade_core::frames::measures::Measures;
use jade_core::frames::{FileState, FrameInput};
use jade_core::plan::Plan;
use jade_core::prepare::PreparePlan;
use jade_pixels::facts::Facts;
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
    pub blake3: String,
    bytes: i64,
    role: String,
    facts: Option<String>,
    problem: Option<String>,
    left_out: bool,
    /// Wanted in spite of what speaks against it.
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
    pub blake3: String,
    /// Its size and time of change.
    pub state: FileState,
    /// What it is for.
    pub role: Role,
    /// Facts, or why it cannot be used.
    pub facts: Result<Facts, String>,
}

impl FrameRow {
    /// The frame as the browser sees it.
    pub fn view(&self) -> Result<Frame, ApiError> {
        Ok(Frame {
            id: self.id,
            name: self.name.clone(),
            blake3: self.blake3.clone(),
            linked: self.linked,
            bytes: self.bytes,
            role: from_word(&self.role)?,
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
            path: PathBuf::from(&self.path),
            name: self.name.clone(),
            content: self.blake3.clone(),
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

    /// What it is for.
    pub fn role(&self) -> Result<Role, ApiError> {
        from_word(&self.role)
    }

    /// Why it cannot be used.
    pub fn problem(&self) -> Option<&str> {
        self.problem.as_deref()
    }

    /// Whether it may be used.
    pub fn is_usable(&self) -> bool {
        !self.left_out && self.problem.is_none()
    }

    /// What its file tells.
    pub fn facts(&self) -> Result<Option<Facts>, ApiError> {
        self.facts.as_deref().map(from_json).transpose()
    }

    /// What it shows, once that was measured.
    pub fn measures(&self) -> Result<Option<Measures>, ApiError> {
        self.measures.as_deref().map(from_json).transpose()
    }

    /// Whether it is a light that may be used.
    pub fn is_light(&self) -> bool {
        self.is_usable() && self.role == word(&Role::Light)
    }
}

impl Store {
    /// The frames of a shoot: lights before those for calibration, by name with numbers in their order.
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

    /// What a shoot's frames are for and which are in, written out: the same as long as nothing of
    /// that changes.
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
        blake3: &str,
    ) -> Result<Option<FrameRow>, ApiError> {
        let row = sqlx::query_as("SELECT * FROM frames WHERE shoot_id = ? AND blake3 = ?")
            .bind(shoot)
            .bind(blake3)
            .fetch_optional(&self.pool)
            .await?;
        Ok(row)
    }

    /// The frame of a shoot that lies at a path, if there is one.
    pub async fn frame_at(&self, shoot: i64, path: &Path) -> Result<Option<FrameRow>, ApiError> {
        let row = sqlx::query_as("SELECT * FROM frames WHERE shoot_id = ? AND path = ?")
            .bind(shoot)
            .bind(path.to_string_lossy().as_ref())
            .fetch_optional(&self.pool)
            .await?;
        Ok(row)
    }

    /// Stores a frame; `None` when the shoot has one of the same content.
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
        .bind(new.path.to_string_lossy().as_ref())
        .bind(new.linked)
        .bind(&new.blake3)
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

    /// Leaves frames out, takes them in, or changes what they are for.
    pub async fn change_frames(&self, shoot: i64, change: &FramesChange) -> Result<(), ApiError> {
        let set = match change.set_id.filter(|set| *set != 0) {
            Some(set) => Some(self.set_of(shoot, set).await?),
            None => None,
        };
        // A set says what its frames are for; with another role they leave it.
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

    /// Notes that a frame cannot be measured; it is tried again after a restart.
    pub fn give_up_measuring(&self, id: i64) {
        self.unmeasurable.lock().expect("the store's lock").insert(id);
    }

    /// Frames that cannot be measured.
    pub fn unmeasurable(&self) -> HashSet<i64> {
        self.unmeasurable.lock().expect("the store's lock").clone()
    }

    /// Readable frames of one shoot that were not measured yet, at most so many, the earliest added
    /// first; passes over those that cannot be.
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

    /// Notes what a frame shows.
    pub async fn set_measures(&self, id: i64, measures: &Measures) -> Result<(), ApiError> {
        sqlx::query("UPDATE frames SET measures = ? WHERE id = ?")
            .bind(to_json(measures))
            .bind(id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Takes a frame off the list; its file stays.
    pub async fn remove_frame(&self, shoot: i64, id: i64) -> Result<(), ApiError> {
        sqlx::query("DELETE FROM frames WHERE id = ? AND shoot_id = ? AND problem IS NOT NULL")
            .bind(id)
            .bind(shoot)
            .execute(&self.pool)
            .await?;
        self.touch(shoot).await
    }
}
