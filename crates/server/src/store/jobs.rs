//! Jobs of the runner.

use super::connection::Store;
use super::rows::{from_json, from_word, now, readable, to_json, word};
use crate::error::ApiError;
use crate::types::{Job, JobState};
use jade_plan::Plan;
use jade_plan::progress::Stage;

/// A job as stored.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct JobRow {
    /// Its number.
    pub id: i64,
    /// Its shoot.
    pub shoot_id: i64,
    state: String,
    plan: String,
    frame_ids: String,
    /// The chosen reference frame.
    pub reference_id: Option<i64>,
    stage: Option<String>,
    done: i64,
    total: i64,
    problem: Option<String>,
    created: i64,
    finished: Option<i64>,
}

impl JobRow {
    /// The job as the browser sees it.
    pub fn view(&self) -> Result<Job, ApiError> {
        Ok(Job {
            id: self.id,
            shoot_id: self.shoot_id,
            state: from_word(&self.state)?,
            plan: self.plan()?,
            stage: self.stage.as_deref().map(from_word).transpose()?,
            done: self.done,
            total: self.total,
            remaining_s: None,
            problem: self.problem.clone(),
            created: self.created,
            finished: self.finished,
        })
    }

    /// Its plan.
    pub fn plan(&self) -> Result<Plan, ApiError> {
        from_json(&self.plan)
    }

    /// Its frames, in order.
    pub fn frame_ids(&self) -> Result<Vec<i64>, ApiError> {
        from_json(&self.frame_ids)
    }
}

impl Store {
    /// The jobs of a shoot, newest first.
    pub async fn jobs(&self, shoot: i64) -> Result<Vec<Job>, ApiError> {
        let rows: Vec<JobRow> =
            sqlx::query_as("SELECT * FROM jobs WHERE shoot_id = ? ORDER BY id DESC LIMIT 50")
                .bind(shoot)
                .fetch_all(&self.pool)
                .await?;
        Ok(rows.iter().filter_map(|row| readable("a run", row.view())).collect())
    }

    /// One job.
    pub async fn job(&self, id: i64) -> Result<JobRow, ApiError> {
        sqlx::query_as("SELECT * FROM jobs WHERE id = ?")
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| ApiError::missing("This run"))
    }

    /// Queued and running jobs.
    pub async fn unfinished_jobs(&self) -> Result<Vec<Job>, ApiError> {
        let rows: Vec<JobRow> =
            sqlx::query_as("SELECT * FROM jobs WHERE state IN ('queued', 'running') ORDER BY id")
                .fetch_all(&self.pool)
                .await?;
        Ok(rows.iter().filter_map(|row| readable("a run", row.view())).collect())
    }

    /// Queues a run of a plan on frames.
    pub async fn add_job(
        &self,
        shoot: i64,
        plan: &Plan,
        frame_ids: &[i64],
        reference_id: Option<i64>,
    ) -> Result<JobRow, ApiError> {
        let done = sqlx::query(
            "INSERT INTO jobs (shoot_id, state, plan, frame_ids, reference_id, created)
             VALUES (?, 'queued', ?, ?, ?, ?)",
        )
        .bind(shoot)
        .bind(to_json(plan))
        .bind(to_json(&frame_ids))
        .bind(reference_id)
        .bind(now())
        .execute(&self.pool)
        .await?;
        self.touch(shoot).await?;
        self.job(done.last_insert_rowid()).await
    }

    /// Takes the oldest queued job and marks it as running.
    pub async fn take_job(&self) -> Result<Option<JobRow>, ApiError> {
        let row = sqlx::query_as(
            "UPDATE jobs SET state = 'running', started = ?, done = 0, total = 0, stage = NULL
             WHERE id = (SELECT j.id FROM jobs j JOIN shoots s ON s.id = j.shoot_id
                         WHERE j.state = 'queued' AND s.deleted IS NULL ORDER BY j.id LIMIT 1)
             RETURNING *",
        )
        .bind(now())
        .fetch_optional(&self.pool)
        .await?;
        Ok(row)
    }

    /// Notes the progress of a running job.
    pub async fn set_progress(
        &self,
        id: i64,
        stage: Stage,
        done: i64,
        total: i64,
    ) -> Result<(), ApiError> {
        sqlx::query(
            "UPDATE jobs SET stage = ?, done = ?, total = ? WHERE id = ? AND state = 'running'",
        )
        .bind(word(&stage))
        .bind(done)
        .bind(total)
        .bind(id)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Ends a job, or puts it back into the queue.
    pub async fn set_state(
        &self,
        id: i64,
        state: JobState,
        problem: Option<&str>,
    ) -> Result<JobRow, ApiError> {
        let ended = !matches!(state, JobState::Queued | JobState::Running);
        sqlx::query("UPDATE jobs SET state = ?, problem = ?, finished = ? WHERE id = ?")
            .bind(word(&state))
            .bind(problem)
            .bind(ended.then(now))
            .bind(id)
            .execute(&self.pool)
            .await?;
        self.job(id).await
    }

    /// Marks jobs that were running when the server ended; returns how many.
    pub async fn mark_interrupted(&self) -> Result<u64, ApiError> {
        let done = sqlx::query(
            "UPDATE jobs SET state = 'interrupted', finished = ? WHERE state = 'running'",
        )
        .bind(now())
        .execute(&self.pool)
        .await?;
        Ok(done.rows_affected())
    }
}
