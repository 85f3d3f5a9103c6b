//! Jobs.

use super::connection::Store;
use super::rows::{from_json, from_word, now, readable, to_json, word};
use crate::error::ApiError;
use crate::types::{Job, JobState, NewExport, Task};
use jade_plan::Plan;
use jade_plan::progress::Stage;

/// A job as stored.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct JobRow {
    /// Its number.
    pub id: i64,
    /// Its shoot.
    pub shoot_id: i64,
    task: String,
    /// The result that a run made, or that is saved.
    pub result_id: Option<i64>,
    wish: Option<String>,
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
            task: self.task()?,
            result_id: self.result_id,
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

    /// What it does.
    pub fn task(&self) -> Result<Task, ApiError> {
        from_word(&self.task)
    }

    /// What is to be saved.
    pub fn wish(&self) -> Result<NewExport, ApiError> {
        from_json(self.wish.as_deref().unwrap_or_default())
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
        Ok(rows.iter().filter_map(|row| readable("a job", row.view())).collect())
    }

    /// One job.
    pub async fn job(&self, id: i64) -> Result<JobRow, ApiError> {
        sqlx::query_as("SELECT * FROM jobs WHERE id = ?")
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| ApiError::missing("This job"))
    }

    /// Queued and running jobs.
    pub async fn unfinished_jobs(&self) -> Result<Vec<Job>, ApiError> {
        let rows: Vec<JobRow> =
            sqlx::query_as("SELECT * FROM jobs WHERE state IN ('queued', 'running') ORDER BY id")
                .fetch_all(&self.pool)
                .await?;
        Ok(rows.iter().filter_map(|row| readable("a job", row.view())).collect())
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

    /// Notes work that begins at once, beside the runs. Of earlier such work of the shoot only the last
    /// few are kept.
    ///
    /// # Errors
    /// [`ApiError::Refused`] where a result is to be saved that is being saved already.
    pub async fn begin_job(
        &self,
        shoot: i64,
        task: Task,
        plan: &Plan,
        saved: Option<(i64, &NewExport)>,
    ) -> Result<JobRow, ApiError> {
        const KEPT: i64 = 5;
        let (result, wish) = saved.unzip();
        // Nobody writes between looking and writing.
        let mut all = self.pool.begin_with("BEGIN IMMEDIATE").await?;
        let same: i64 = sqlx::query_scalar(
            "SELECT count(*) FROM jobs WHERE task = 'save' AND state = 'running' AND result_id = ?",
        )
        .bind(result)
        .fetch_one(&mut *all)
        .await?;
        if same > 0 {
            return Err(ApiError::Refused(
                "This result is being saved already; wait for that, or stop it.".to_owned(),
            ));
        }
        sqlx::query(
            "DELETE FROM jobs WHERE shoot_id = ?1 AND task = ?2 AND finished IS NOT NULL AND id <= (
               SELECT id FROM jobs WHERE shoot_id = ?1 AND task = ?2 ORDER BY id DESC LIMIT 1 OFFSET ?3)",
        )
        .bind(shoot)
        .bind(word(&task))
        .bind(KEPT - 1)
        .execute(&mut *all)
        .await?;
        let done = sqlx::query(
            "INSERT INTO jobs (shoot_id, task, result_id, wish, state, plan, frame_ids, created, started)
             VALUES (?1, ?2, ?3, ?4, 'running', ?5, '[]', ?6, ?6)",
        )
        .bind(shoot)
        .bind(word(&task))
        .bind(result)
        .bind(wish.map(to_json))
        .bind(to_json(plan))
        .bind(now())
        .execute(&mut *all)
        .await?;
        all.commit().await?;
        self.job(done.last_insert_rowid()).await
    }

    /// Marks an ended job as running again.
    pub async fn begin_again(&self, id: i64) -> Result<JobRow, ApiError> {
        sqlx::query("UPDATE jobs SET state = 'running', started = ?, finished = NULL, problem = NULL WHERE id = ?")
            .bind(now())
            .bind(id)
            .execute(&self.pool)
            .await?;
        self.job(id).await
    }

    /// Takes the oldest queued run and marks it as running.
    pub async fn take_job(&self) -> Result<Option<JobRow>, ApiError> {
        let row = sqlx::query_as(
            "UPDATE jobs SET state = 'running', started = ?, done = 0, total = 0, stage = NULL
             WHERE id = (SELECT j.id FROM jobs j JOIN shoots s ON s.id = j.shoot_id
                         WHERE j.state = 'queued' AND j.task = 'run' AND s.deleted IS NULL ORDER BY j.id LIMIT 1)
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
