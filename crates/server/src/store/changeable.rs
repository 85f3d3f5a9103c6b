//! Everything in a shoot that a person changes and may take back.

use super::connection::Store;
use super::rows::{from_json, from_word, now, to_json};
use super::shoots::readable_plan;
use crate::error::ApiError;
use jade_plan::{Kind, Plan};
use serde_json::{Map, Value, json};
use sqlx::SqliteConnection;

/// Name, kind, plan, chosen frame and set, and by number: what frames are for, names of sets, probes.
pub struct Changeable(pub Value);

#[derive(sqlx::FromRow)]
struct ShootRow {
    name: String,
    kind: String,
    plan: String,
    reference_id: Option<i64>,
    stacked_set: Option<i64>,
}

impl Store {
    /// What a person may change in a shoot, as it is now.
    pub(super) async fn changeable(&self, shoot: i64) -> Result<Changeable, ApiError> {
        let row: Option<ShootRow> = sqlx::query_as(
            "SELECT name, kind, plan, reference_id, stacked_set FROM shoots WHERE id = ? AND deleted IS NULL",
        )
        .bind(shoot)
        .fetch_optional(&self.pool)
        .await?;
        let row = row.ok_or_else(|| ApiError::missing("This shoot"))?;
        let kind: Kind = from_word(&row.kind)?;
        let frames: Vec<(i64, bool, bool, Option<i64>, String)> = sqlx::query_as(
            "SELECT id, left_out, kept, set_id, role FROM frames WHERE shoot_id = ?",
        )
        .bind(shoot)
        .fetch_all(&self.pool)
        .await?;
        let frames = frames.into_iter().map(|(id, left_out, kept, set_id, role)| {
            let frame = json!({"left_out": left_out, "kept": kept, "set_id": set_id, "role": role});
            (id.to_string(), frame)
        });
        let sets =
            self.sets(shoot).await?.into_iter().map(|set| (set.id.to_string(), set.name.into()));
        let probes = self.probes(shoot).await?.into_iter().map(|probe| {
            let place = json!({"name": probe.name, "x": probe.x, "y": probe.y, "size": probe.size});
            (probe.id.to_string(), place)
        });
        let watched = self.watched(shoot).await?;
        Ok(Changeable(json!({
            "name": row.name,
            "kind": row.kind,
            "plan": readable_plan(&row.plan, kind),
            "reference_id": row.reference_id,
            "stacked_set": row.stacked_set,
            "frames": frames.collect::<Map<_, _>>(),
            "sets": sets.collect::<Map<_, Value>>(),
            "probes": probes.collect::<Map<_, _>>(),
            "watched": watched.map(|folder| json!({"path": folder.path, "role": folder.role})),
        })))
    }
}

impl Changeable {
    /// Without frames and sets that the other does not have: adding files is not undone.
    pub(super) fn shared(mut self, other: &Self) -> Self {
        for part in ["frames", "sets"] {
            if let (Some(own), Some(others)) =
                (self.0[part].as_object_mut(), other.0[part].as_object())
            {
                own.retain(|id, _| others.contains_key(id));
            }
        }
        self
    }

    /// Stores what differs from `was`, which is what is stored.
    ///
    /// # Errors
    /// [`ApiError::Refused`] or [`ApiError::Setting`] for a plan that this version does not accept.
    pub(super) async fn write(
        &self,
        shoot: i64,
        was: &Self,
        to: &mut SqliteConnection,
    ) -> Result<(), ApiError> {
        let Self(now_is) = self;
        let plan: Plan = from_json(&now_is["plan"].to_string())?;
        plan.check()?;
        sqlx::query(
            "UPDATE shoots SET name = ?, kind = ?, plan = ?, reference_id = ?, stacked_set = ?,
               touched = ?, revision = revision + 1 WHERE id = ?",
        )
        .bind(now_is["name"].as_str())
        .bind(now_is["kind"].as_str())
        .bind(to_json(&plan))
        .bind(now_is["reference_id"].as_i64())
        .bind(now_is["stacked_set"].as_i64())
        .bind(now())
        .bind(shoot)
        .execute(&mut *to)
        .await?;
        for (id, frame) in self.changed("frames", was) {
            sqlx::query(
                "UPDATE frames SET left_out = ?, kept = ?, set_id = ?, role = ? WHERE id = ? AND shoot_id = ?",
            )
            .bind(frame["left_out"].as_bool())
            .bind(frame["kept"].as_bool())
            .bind(frame["set_id"].as_i64())
            .bind(frame["role"].as_str())
            .bind(id)
            .bind(shoot)
            .execute(&mut *to)
            .await?;
        }
        for (id, name) in self.changed("sets", was) {
            sqlx::query("UPDATE frame_sets SET name = ? WHERE id = ? AND shoot_id = ?")
                .bind(name.as_str())
                .bind(id)
                .bind(shoot)
                .execute(&mut *to)
                .await?;
        }
        self.write_probes(shoot, was, to).await?;
        if now_is["watched"] != was.0["watched"] {
            sqlx::query("DELETE FROM watched WHERE shoot_id = ?")
                .bind(shoot)
                .execute(&mut *to)
                .await?;
            if let Some(path) = now_is["watched"]["path"].as_str() {
                sqlx::query("INSERT INTO watched (shoot_id, path, role) VALUES (?, ?, ?)")
                    .bind(shoot)
                    .bind(path)
                    .bind(now_is["watched"]["role"].as_str())
                    .execute(&mut *to)
                    .await?;
            }
        }
        Ok(())
    }

    async fn write_probes(
        &self,
        shoot: i64,
        was: &Self,
        to: &mut SqliteConnection,
    ) -> Result<(), ApiError> {
        for (id, _) in was.changed("probes", self) {
            sqlx::query("DELETE FROM probes WHERE id = ? AND shoot_id = ?")
                .bind(id)
                .bind(shoot)
                .execute(&mut *to)
                .await?;
        }
        for (id, probe) in self.changed("probes", was) {
            sqlx::query(
                "INSERT INTO probes (id, shoot_id, name, x, y, size) VALUES (?, ?, ?, ?, ?, ?)",
            )
            .bind(id)
            .bind(shoot)
            .bind(probe["name"].as_str())
            .bind(probe["x"].as_i64())
            .bind(probe["y"].as_i64())
            .bind(probe["size"].as_i64())
            .execute(&mut *to)
            .await?;
        }
        Ok(())
    }

    /// The members of a part that another state does not have, or has otherwise, by number.
    fn changed<'a>(
        &'a self,
        part: &'a str,
        was: &'a Self,
    ) -> impl Iterator<Item = (i64, &'a Value)> {
        let members = self.0[part].as_object().into_iter().flatten();
        members.filter_map(move |(id, value)| {
            let differs = was.0[part].get(id) != Some(value);
            differs.then_some(()).and(id.parse().ok()).map(|id| (id, value))
        })
    }
}
