//! Shoots.

use super::connection::Store;
use super::names::checked_name;
use super::rows::{from_json, from_word, now, readable, to_json, word};
use super::sets::stacked;
use crate::error::ApiError;
use crate::proposals::Proposals;
use crate::types::{JobState, ListPlace, NewShoot, Shoot, ShootCard, ShootChange, ShootState};
use crate::{merging, versions};
use jade_plan::{Kind, Plan, in_brief};
use serde_json::{Value, json};

#[derive(sqlx::FromRow)]
struct Row {
    id: i64,
    revision: i64,
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
    last_key: Option<String>,
    middle_frame: Option<i64>,
    last_job: Option<String>,
}

/// A stored plan, or the one that such a shoot begins with where it cannot be read: a setting that a
/// damaged store or another version left there must not lock the shoot.
pub(super) fn readable_plan(text: &str, kind: Kind) -> Plan {
    from_json(text).unwrap_or_else(|error: ApiError| {
        tracing::error!("{error} The usual plan stands in its place.");
        Plan::of(kind)
    })
}

impl Store {
    /// Up to `most` shoots after a place in the list, the one touched last first.
    pub async fn shoots(
        &self,
        after: Option<ListPlace>,
        most: u32,
    ) -> Result<Vec<ShootCard>, ApiError> {
        let ListPlace { touched, id } =
            after.unwrap_or(ListPlace { touched: i64::MAX, id: i64::MAX });

        let rows: Vec<CardRow> = sqlx::query_as(
            "SELECT s.id, name, kind, touched,
               (SELECT count(*) FROM frames f WHERE f.shoot_id = s.id AND role = 'light' AND problem IS NULL) AS lights,
               (SELECT count(*) FROM frames f WHERE f.shoot_id = s.id AND role = 'dark' AND problem IS NULL) AS darks,
               (SELECT count(*) FROM results r WHERE r.shoot_id = s.id) AS results,
               (SELECT max(id) FROM results r WHERE r.shoot_id = s.id) AS last_result,
               (SELECT key FROM results r WHERE r.shoot_id = s.id ORDER BY id DESC LIMIT 1) AS last_key,
               coalesce(s.reference_id, m.id) AS middle_frame,
               (SELECT state FROM jobs j WHERE j.shoot_id = s.id AND task = 'run' ORDER BY id DESC LIMIT 1) AS last_job
             FROM shoots s LEFT JOIN (
               SELECT shoot_id, id, row_number() OVER each AS place, count(*) OVER (PARTITION BY shoot_id) AS among
               FROM frames WHERE role = 'light' AND problem IS NULL
               WINDOW each AS (PARTITION BY shoot_id ORDER BY name, id)
             ) m ON m.shoot_id = s.id AND m.place = m.among / 2 + 1
             WHERE deleted IS NULL AND (touched, s.id) < (?, ?)
             ORDER BY touched DESC, s.id DESC LIMIT ?",
        )
        .bind(touched)
        .bind(id)
        .bind(most)
        .fetch_all(&self.pool)
        .await?;
        let mut cards = Vec::new();
        for row in rows {
            let middle = match row.middle_frame.filter(|_| row.last_result.is_none()) {
                // The frame may be gone.
                Some(id) => self.frame(id).await.ok(),
                None => None,
            };
            let plan = match &middle {
                Some(frame) => Some(self.plan(frame.shoot_id).await?),
                None => None,
            };
            let frame = middle.zip(plan).map(|(frame, plan)| {
                let version = versions::frame_version(&frame.input_under(&plan));
                (format!("frame-{}", frame.id), version)
            });
            cards.extend(readable("a shoot", row.card(frame)));
        }
        Ok(cards)
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
            "SELECT id, revision, name, kind, plan, reference_id, stacked_set FROM shoots WHERE id = ? AND deleted IS NULL",
        )
        .bind(id)
        .fetch_optional(&self.pool)
        .await?
        .ok_or_else(|| ApiError::missing("This shoot"))?;
        let rows = self.frames(id).await?;
        let mut sets = self.sets(id).await?;
        let kind = from_word(&row.kind)?;
        let plan = readable_plan(&row.plan, kind);
        let (balance, unmeasurable) = (&plan.prepare.white_balance, self.unmeasurable());
        let proposals = Proposals::of(&rows, &sets, row.stacked_set, kind, balance, &unmeasurable)?;
        sets.retain(|set| rows.iter().any(|frame| frame.set_id == Some(set.id)));
        Ok(Shoot {
            id: row.id,
            revision: row.revision,
            name: row.name,
            kind,
            reference_id: row.reference_id,
            proposed_reference: proposals.reference,
            sets,
            stacked_set: stacked(&rows, row.stacked_set),
            doubts: proposals.doubts,
            checks: proposals.checks,
            proposed_sets: proposals.sets,
            proposed_kind: proposals.kind,
            watched: self.watched(id).await?,
            frames: rows.iter().map(|f| f.view(&plan)).collect::<Result<_, _>>()?,
            results: self.results(id).await?,
            jobs: self.jobs(id).await?,
            probes: self.probes(id).await?,
            history: self.history(id).await?,
            plan,
        })
    }

    /// Makes sure that there is a shoot.
    ///
    /// # Errors
    /// [`ApiError::Missing`] where there is none, or it was deleted.
    pub async fn must_have(&self, id: i64) -> Result<(), ApiError> {
        self.shoot_name(id).await.map(|_| ())
    }

    /// The name of a shoot.
    ///
    /// # Errors
    /// As for [`Store::must_have`].
    pub async fn shoot_name(&self, id: i64) -> Result<String, ApiError> {
        sqlx::query_scalar("SELECT name FROM shoots WHERE id = ? AND deleted IS NULL")
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| ApiError::missing("This shoot"))
    }

    /// The set of a shoot that the person chose to stack.
    pub async fn stacked_set(&self, id: i64) -> Result<Option<i64>, ApiError> {
        let set = sqlx::query_scalar("SELECT stacked_set FROM shoots WHERE id = ?");
        Ok(set.bind(id).fetch_optional(&self.pool).await?.flatten())
    }

    /// Changes a shoot. A change that says what its settings were before is merged with what was
    /// changed since. One that does not, and was made on another revision
    /// than the present one, `revision_seen`, is a clash.
    ///
    /// # Errors
    /// [`ApiError::Clash`] where both are about one setting; [`ApiError::Refused`] for settings that
    /// cannot be. Nothing is changed then.
    pub async fn change_shoot(
        &self,
        id: i64,
        change: &ShootChange,
        revision_seen: Option<i64>,
    ) -> Result<(), ApiError> {
        // Nobody writes between reading and writing.
        let mut all = self.pool.begin_with("BEGIN IMMEDIATE").await?;
        let row: Option<Row> = sqlx::query_as(
            "SELECT id, revision, name, kind, plan, reference_id, stacked_set FROM shoots WHERE id = ? AND deleted IS NULL",
        )
        .bind(id)
        .fetch_optional(&mut *all)
        .await?;
        let row = row.ok_or_else(|| ApiError::missing("This shoot"))?;
        if change.was.is_none() && revision_seen.is_some_and(|revision| revision != row.revision) {
            return Err(ApiError::Clash(change.names()));
        }
        let changed = row.changed(change, change.was.as_ref())?;
        sqlx::query(
            "UPDATE shoots SET name = ?, kind = ?, plan = ?, reference_id = ?, stacked_set = ?,
               touched = ?, revision = revision + 1 WHERE id = ?",
        )
        .bind(&changed.name)
        .bind(&changed.kind)
        .bind(&changed.plan)
        .bind(changed.reference_id)
        .bind(changed.stacked_set)
        .bind(now())
        .bind(id)
        .execute(&mut *all)
        .await?;
        Ok(all.commit().await?)
    }

    /// The plan of a shoot.
    pub async fn plan(&self, id: i64) -> Result<Plan, ApiError> {
        let row: Option<(String, String)> =
            sqlx::query_as("SELECT plan, kind FROM shoots WHERE id = ?")
                .bind(id)
                .fetch_optional(&self.pool)
                .await?;
        let (plan, kind) = row.ok_or_else(|| ApiError::missing("This shoot"))?;
        Ok(readable_plan(&plan, from_word(&kind)?))
    }

    /// Notes that something in a shoot changed.
    pub async fn touch(&self, id: i64) -> Result<(), ApiError> {
        sqlx::query("UPDATE shoots SET touched = ?, revision = revision + 1 WHERE id = ?")
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

impl Row {
    /// The row with a change, which is merged where it says what the settings were.
    fn changed(self, change: &ShootChange, was: Option<&Value>) -> Result<Self, ApiError> {
        let plan: Plan = readable_plan(&self.plan, from_word(&self.kind)?);
        let mut settings = json!({
            "name": self.name,
            "kind": self.kind,
            "plan": plan,
            "reference_id": self.reference_id,
            "stacked_set": self.stacked_set,
        });
        let mut to = json!({});
        if let Some(name) = &change.name {
            to["name"] = checked_name("shoot", name)?.into();
        }
        if let Some(kind) = change.kind {
            to["kind"] = word(&kind).into();
            if change.plan.is_none() {
                let fresh = Plan { prepare: plan.prepare.clone(), ..Plan::of(kind) };
                // The plan of another kind is another plan: nothing of the old one is merged into it.
                settings["plan"] = json!(fresh);
            }
        }
        if let Some(plan) = &change.plan {
            to["plan"] = plan.clone();
        }
        // 0 chooses none.
        for (key, id) in
            [("reference_id", change.reference_id), ("stacked_set", change.stacked_set)]
        {
            if let Some(id) = id {
                to[key] = if id == 0 { Value::Null } else { id.into() };
            }
        }
        let clashes = merging::merge(&mut settings, &merging::Change { to: &to, was });
        if !clashes.is_empty() {
            return Err(ApiError::Clash(clashes));
        }
        let plan: Plan = serde_json::from_value(settings["plan"].clone()).map_err(|e| {
            ApiError::Refused(format!(
                "A setting cannot be understood: {}; choose another.",
                in_brief(&e)
            ))
        })?;
        plan.check()?;
        let plan = to_json(&plan);
        // A plan that cannot be read back, as with infinite numbers, must not be stored.
        from_json::<Plan>(&plan)
            .map_err(|_| ApiError::Refused("A setting is no number; choose another.".to_owned()))?;
        let text = |key: &str| settings[key].as_str().unwrap_or_default().to_owned();
        Ok(Self {
            name: text("name"),
            kind: text("kind"),
            plan,
            reference_id: settings["reference_id"].as_i64(),
            stacked_set: settings["stacked_set"].as_i64(),
            ..self
        })
    }
}

impl CardRow {
    /// The card; `frame` is the picture of a frame and its version, shown while there is no result.
    fn card(self, frame: Option<(String, String)>) -> Result<ShootCard, ApiError> {
        let last_job: Option<JobState> = self.last_job.as_deref().map(from_word).transpose()?;
        let state = match last_job {
            Some(JobState::Queued | JobState::Running) => ShootState::Running,
            Some(JobState::Failed | JobState::Interrupted) => ShootState::Stopped,
            _ if self.results > 0 => ShootState::Done,
            _ if self.lights > 0 => ShootState::Gathered,
            _ => ShootState::Empty,
        };
        let result = self.last_result.zip(self.last_key);
        let result =
            result.map(|(id, key)| (format!("result-{id}"), versions::result_version(&key)));
        let (picture, version) = result.or(frame).unzip();
        Ok(ShootCard {
            id: self.id,
            name: self.name,
            kind: from_word(&self.kind)?,
            state,
            lights: self.lights as u32,
            darks: self.darks as u32,
            results: self.results as u32,
            touched: self.touched,
            picture,
            version: version.unwrap_or_default(),
        })
    }
}
