use super::sets::stacked;
use super::{Store, from_json, from_word, now, to_json, word};
use crate::error::ApiError;
use crate::proposals::Proposals;
use crate::types::{JobState, NewShoot, Shoot, ShootCard, ShootChange, ShootState};
use jade_core::plan::Plan;

#[derive(sqlx::FromRow)]
struct Row {
    id: i64,
    name: String,
    kind: String,
    plan: String,
    reference_id: Option<i64>,
    stacked_set: Option<i64>,
}

#[derive(sqlx::FromRow)]
struct CardRow {
    id: i64,
    name: String,
    kind: String,
    touched: i64,
    lights: i64,
    darks: i64,
    results: i64,
    last_result: Option<i64>,
    middle_frame: Option<i64>,
    last_job: Option<String>,
}

/// What a name may be: something to see, and not without end.
pub fn checked_name(of: &str, name: &str) -> Result<String, ApiError> {
    let name = name.trim();
    match name.chars().count() {
        0 => Err(ApiError::Refused(format!("A {of} needs a name; type one."))),
        1..=120 => Ok(name.to_owned()),
        n => Err(ApiError::Refused(format!("The name has {n} characters; 120 are the most."))),
    }
}

impl Store {
    /// All shoots, the last touched first.
    pub async fn shoots(&self) -> Result<Vec<ShootCard>, ApiError> {
        let rows: Vec<CardRow> = sqlx::query_as(
            "SELECT s.id, name, kind, touched,
               (SELECT count(*) FROM frames f WHERE f.shoot_id = s.id AND role = 'light' AND problem IS NULL) AS lights,
               (SELECT count(*) FROM frames f WHERE f.shoot_id = s.id AND role = 'dark' AND problem IS NULL) AS darks,
               (SELECT count(*) FROM results r WHERE r.shoot_id = s.id) AS results,
               (SELECT max(id) FROM results r WHERE r.shoot_id = s.id) AS last_result,
               coalesce(s.reference_id, m.id) AS middle_frame,
               (SELECT state FROM jobs j WHERE j.shoot_id = s.id ORDER BY id DESC LIMIT 1) AS last_job
             FROM shoots s LEFT JOIN (
               SELECT shoot_id, id, row_number() OVER each AS place, count(*) OVER (PARTITION BY shoot_id) AS among
               FROM frames WHERE role = 'light' AND problem IS NULL
               WINDOW each AS (PARTITION BY shoot_id ORDER BY name, id)
             ) m ON m.shoot_id = s.id AND m.place = m.among / 2 + 1
             WHERE deleted IS NULL ORDER BY touched DESC, s.id DESC",
        )
        .fetch_all(&self.pool)
        .await?;
        rows.into_iter().map(CardRow::card).collect()
    }

    /// Makes a shoot.
    pub async fn add_shoot(&self, new: &NewShoot) -> Result<i64, ApiError> {
        let name = checked_name("shoot", &new.name)?;
        let done = sqlx::query(
            "INSERT INTO shoots (name, kind, plan, created, touched) VALUES (?, ?, ?, ?4, ?4)",
        )
        .bind(name)
        .bind(word(&new.kind))
        .bind(to_json(&Plan::of(new.kind)))
        .bind(now())
        .execute(&self.pool)
        .await?;
        Ok(done.last_insert_rowid())
    }

    /// A shoot with everything in it.
    pub async fn shoot(&self, id: i64) -> Result<Shoot, ApiError> {
        let row: Row = sqlx::query_as(
            "SELECT id, name, kind, plan, reference_id, stacked_set FROM shoots WHERE id = ? AND deleted IS NULL",
        )
        .bind(id)
        .fetch_optional(&self.pool)
        .await?
        .ok_or_else(|| ApiError::missing("This shoot"))?;
        let rows = self.frames(id).await?;
        let mut sets = self.sets(id).await?;
        let kind = from_word(&row.kind)?;
        let plan: Plan = from_json(&row.plan)?;
        let (balance, unmeasurable) = (&plan.prepare.white_balance, self.unmeasurable());
        let proposals = Proposals::of(&rows, &sets, row.stacked_set, kind, balance, &unmeasurable)?;
        sets.retain(|set| rows.iter().any(|frame| frame.set_id == Some(set.id)));
        Ok(Shoot {
            id: row.id,
            name: row.name,
            kind,
            plan,
            reference_id: row.reference_id,
            proposed_reference: proposals.reference,
            sets,
            stacked_set: stacked(&rows, row.stacked_set),
            doubts: proposals.doubts,
            checks: proposals.checks,
            proposed_sets: proposals.sets,
            proposed_kind: proposals.kind,
            watched: self.watched(id).await?,
            frames: rows.iter().map(|f| f.view()).collect::<Result<_, _>>()?,
            results: self.results(id).await?,
            jobs: self.jobs(id).await?,
            probes: self.probes(id).await?,
        })
    }

    /// The set of a shoot that the person chose to stack.
    pub async fn stacked_set(&self, id: i64) -> Result<Option<i64>, ApiError> {
        let set = sqlx::query_scalar("SELECT stacked_set FROM shoots WHERE id = ?");
        Ok(set.bind(id).fetch_optional(&self.pool).await?.flatten())
    }

    /// Changes a shoot.
    pub async fn change_shoot(&self, id: i64, change: &ShootChange) -> Result<(), ApiError> {
        let name = change.name.as_deref().map(|name| checked_name("shoot", name)).transpose()?;
        let plan = match (&change.plan, change.kind) {
            (None, Some(kind)) => {
                Some(Plan { prepare: self.plan(id).await?.prepare, ..Plan::of(kind) })
            }
            (plan, _) => plan.clone(),
        };
        let done = sqlx::query(
            "UPDATE shoots SET name = coalesce(?1, name), plan = coalesce(?2, plan),
               reference_id = CASE WHEN ?3 IS NULL THEN reference_id ELSE nullif(?3, 0) END,
               touched = ?4, kind = coalesce(?6, kind),
               stacked_set = CASE WHEN ?7 IS NULL THEN stacked_set ELSE nullif(?7, 0) END
             WHERE id = ?5 AND deleted IS NULL",
        )
        .bind(name)
        .bind(plan.as_ref().map(to_json))
        .bind(change.reference_id)
        .bind(now())
        .bind(id)
        .bind(change.kind.as_ref().map(word))
        .bind(change.stacked_set)
        .execute(&self.pool)
        .await?;
        if done.rows_affected() == 0 {
            return Err(ApiError::missing("This shoot"));
        }
        Ok(())
    }

    /// The plan of a shoot.
    pub async fn plan(&self, id: i64) -> Result<Plan, ApiError> {
        let plan: Option<String> = sqlx::query_scalar("SELECT plan FROM shoots WHERE id = ?")
            .bind(id)
            .fetch_optional(&self.pool)
            .await?;
        from_json(&plan.ok_or_else(|| ApiError::missing("This shoot"))?)
    }

    /// Notes that something in a shoot changed.
    pub async fn touch(&self, id: i64) -> Result<(), ApiError> {
        sqlx::query("UPDATE shoots SET touched = ? WHERE id = ?")
            .bind(now())
            .bind(id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Whether a shoot of this name is there, or was and is hidden.
    pub async fn ever_had(&self, name: &str) -> Result<bool, ApiError> {
        let found: Option<i64> = sqlx::query_scalar("SELECT id FROM shoots WHERE name = ? LIMIT 1")
            .bind(name)
            .fetch_optional(&self.pool)
            .await?;
        Ok(found.is_some())
    }

    /// Hides a shoot, or shows it again; nothing in it is lost.
    pub async fn set_deleted(&self, id: i64, deleted: bool) -> Result<(), ApiError> {
        let done = sqlx::query("UPDATE shoots SET deleted = ? WHERE id = ?")
            .bind(deleted.then(now))
            .bind(id)
            .execute(&self.pool)
            .await?;
        if done.rows_affected() == 0 {
            return Err(ApiError::missing("This shoot"));
        }
        Ok(())
    }
}

impl CardRow {
    fn card(self) -> Result<ShootCard, ApiError> {
        let last_job: Option<JobState> = self.last_job.as_deref().map(from_word).transpose()?;
        let state = match last_job {
            Some(JobState::Queued | JobState::Running) => ShootState::Running,
            Some(JobState::Failed | JobState::Interrupted) => ShootState::Stopped,
            _ if self.results > 0 => ShootState::Done,
            _ if self.lights > 0 => ShootState::Gathered,
            _ => ShootState::Empty,
        };
        let result = self.last_result.map(|id| format!("result-{id}"));
        Ok(ShootCard {
            id: self.id,
            name: self.name,
            kind: from_word(&self.kind)?,
            state,
            lights: self.lights as u32,
            darks: self.darks as u32,
            results: self.results as u32,
            touched: self.touched,
            picture: result.or(self.middle_frame.map(|id| format!("frame-{id}"))),
        })
    }
}
