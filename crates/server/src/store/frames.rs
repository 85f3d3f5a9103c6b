use super::{Store, from_json, from_word, now, to_json, word};
use crate::error::ApiError;
use crate::types::{Doubt, Frame, FramesChange, Role, Sorting};
use jade_core::frames::FrameInput;
use jade_core::frames::judge;
use jade_core::frames::measures::Measures;
use jade_core::frames::sort;
use jade_core::prepare::{PreparePlan, Shows};
use jade_pixels::facts::Facts;
use std::path::PathBuf;

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
    blake3: String,
    bytes: i64,
    role: String,
    facts: Option<String>,
    problem: Option<String>,
    left_out: bool,
    kept: bool,
    measures: Option<String>,
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
    /// Size of the file.
    pub bytes: i64,
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
            facts: self.facts.as_deref().map(from_json).transpose()?,
            problem: self.problem.clone(),
            left_out: self.left_out,
            measures: self.measures()?,
        })
    }

    /// The frame as the engine reads it, under a treatment.
    pub fn input(&self, prepare: &PreparePlan) -> FrameInput {
        FrameInput {
            path: PathBuf::from(&self.path),
            name: self.name.clone(),
            content: self.blake3.clone(),
            prepare: prepare.clone(),
            calibration: None,
        }
    }

    /// What it is for.
    pub fn role(&self) -> Result<Role, ApiError> {
        from_word(&self.role)
    }

    /// Whether it may be used.
    pub fn is_usable(&self) -> bool {
        !self.left_out && self.problem.is_none()
    }

    /// What it shows, once that was measured.
    pub fn measures(&self) -> Result<Option<Measures>, ApiError> {
        self.measures.as_deref().map(from_json).transpose()
    }

    /// Whether it goes into a run.
    pub fn is_in(&self) -> bool {
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

    /// Stores a frame; `None` when the shoot has one of the same content.
    pub async fn add_frame(
        &self,
        shoot: i64,
        new: &NewFrame,
    ) -> Result<Option<FrameRow>, ApiError> {
        let done = sqlx::query(
            "INSERT INTO frames (shoot_id, name, path, linked, blake3, bytes, role, facts, problem, added)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING",
        )
        .bind(shoot)
        .bind(&new.name)
        .bind(new.path.to_string_lossy().as_ref())
        .bind(new.linked)
        .bind(&new.blake3)
        .bind(new.bytes)
        .bind(word(&new.role))
        .bind(new.facts.as_ref().ok().map(to_json))
        .bind(new.facts.as_ref().err())
        .bind(now())
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
        let mut all = self.pool.begin().await?;
        for id in &change.ids {
            sqlx::query(
                "UPDATE frames SET left_out = coalesce(?, left_out), role = coalesce(?, role),
                   kept = coalesce(?, kept)
                 WHERE id = ? AND shoot_id = ?",
            )
            .bind(change.left_out)
            .bind(change.role.as_ref().map(word))
            .bind(change.kept)
            .bind(id)
            .bind(shoot)
            .execute(&mut *all)
            .await?;
        }
        all.commit().await?;
        self.touch(shoot).await
    }

    /// A readable frame that was not measured yet, the earliest added first; passes over some.
    pub async fn unmeasured_frame(&self, but: &[i64]) -> Result<Option<FrameRow>, ApiError> {
        let rows: Vec<FrameRow> = sqlx::query_as(
            "SELECT frames.* FROM frames JOIN shoots ON shoots.id = shoot_id
             WHERE measures IS NULL AND problem IS NULL AND deleted IS NULL ORDER BY frames.id
             LIMIT ?",
        )
        .bind(but.len() as i64 + 1)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().find(|row| !but.contains(&row.id)))
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

/// Frames among the lights that are in and seem to be for something else.
pub fn sortings(rows: &[FrameRow]) -> Result<Vec<Sorting>, ApiError> {
    let known = measured(rows)?;
    let frames: Vec<(&Facts, &Measures)> = known.iter().map(|(_, f, m)| (f, m)).collect();
    let mut all: Vec<Sorting> = Vec::new();
    for ((row, ..), seems) in known.iter().zip(sort::seems(&frames)) {
        let Some((shows, reason)) = seems.filter(|_| !row.kept) else { continue };
        let role = match shows {
            Shows::Dark => Role::Dark,
            Shows::Bias => Role::Bias,
            Shows::Flat => Role::Flat,
        };
        match all.iter_mut().find(|sorting| sorting.role == role) {
            Some(sorting) => sorting.frame_ids.push(row.id),
            None => all.push(Sorting { role, frame_ids: vec![row.id], reason: reason.to_owned() }),
        }
    }
    Ok(all)
}

/// Light frames that are in and whose facts and measures are known.
fn measured(rows: &[FrameRow]) -> Result<Vec<(&FrameRow, Facts, Measures)>, ApiError> {
    let mut known = Vec::new();
    for row in rows.iter().filter(|row| row.is_in()) {
        if let (Some(facts), Some(measures)) = (&row.facts, row.measures()?) {
            known.push((row, from_json(facts)?, measures));
        }
    }
    Ok(known)
}

/// What speaks against light frames that are in, in the order in which they were taken. Those that
/// the person wants to keep are compared with, but nothing is said against them.
pub fn doubts(rows: &[FrameRow]) -> Result<Vec<Doubt>, ApiError> {
    let mut known = measured(rows)?;
    // Frames that are no lights are sorted first, and say nothing about those that are.
    let others: Vec<i64> = sortings(rows)?.into_iter().flat_map(|s| s.frame_ids).collect();
    known.retain(|(row, ..)| !others.contains(&row.id));
    if known.iter().all(|(_, facts, _)| facts.taken.is_some()) {
        known.sort_by(|a, b| a.1.taken.cmp(&b.1.taken));
    }
    let frames: Vec<(&Facts, &Measures)> = known.iter().map(|(_, f, m)| (f, m)).collect();
    let spoiled = judge::spoiled(&frames).into_iter();
    let told = spoiled.map(|p| (known[p.frame as usize].0, p.reason)).filter(|(row, _)| !row.kept);
    Ok(told.map(|(row, reason)| Doubt { frame_id: row.id, reason }).collect())
}
