//! Results.

use super::connection::Store;
use super::rows::{from_json, now, readable, to_json};
use crate::error::ApiError;
use crate::types::ShootResult;
use crate::versions;
use jade_plan::PlanRecord;
use jade_plan::report::Report;

/// A result as stored.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct ResultRow {
    /// Its number.
    pub id: i64,
    /// Its shoot.
    pub shoot_id: i64,
    /// Key of its picture.
    pub key: String,
    /// The reference frame.
    pub reference_id: i64,
    record: String,
    report: String,
    /// ICC profile of its files.
    pub profile: Vec<u8>,
    made: i64,
}

impl ResultRow {
    /// The plan and frames it was made from.
    pub fn record(&self) -> Result<PlanRecord, ApiError> {
        from_json(&self.record)
    }

    /// The report.
    pub fn report(&self) -> Result<Report, ApiError> {
        from_json(&self.report)
    }
}

/// A result to be stored.
pub struct NewResult<'a> {
    /// Its shoot.
    pub shoot_id: i64,
    /// The job that made it.
    pub job_id: i64,
    /// Key of its picture.
    pub key: &'a str,
    /// The reference frame.
    pub reference_id: i64,
    /// The plan and frames it was made from.
    pub record: &'a PlanRecord,
    /// The report.
    pub report: &'a Report,
    /// ICC profile of its files.
    pub profile: &'a [u8],
}

impl Store {
    /// The results of a shoot, newest first.
    pub async fn results(&self, shoot: i64) -> Result<Vec<ShootResult>, ApiError> {
        let mut all = Vec::new();
        for row in self.results_of(shoot).await? {
            let both = row.record().and_then(|record| Ok((record, row.report()?)));
            let Some((record, report)) = readable("a result", both) else { continue };
            all.push(ShootResult {
                id: row.id,
                version: versions::result_version(&row.key),
                plan: record.plan,
                calibration: record.calibration.into_iter().map(|one| one.frame.blake3).collect(),
                reference_id: row.reference_id,
                report,
                made: row.made,
                exports: self.exports(row.id).await?,
            });
        }
        Ok(all)
    }

    /// The results of a shoot, as stored.
    pub async fn results_of(&self, shoot: i64) -> Result<Vec<ResultRow>, ApiError> {
        let rows = sqlx::query_as("SELECT * FROM results WHERE shoot_id = ? ORDER BY id DESC");
        Ok(rows.bind(shoot).fetch_all(&self.pool).await?)
    }

    /// One result.
    pub async fn result(&self, id: i64) -> Result<ResultRow, ApiError> {
        sqlx::query_as("SELECT * FROM results WHERE id = ?")
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| ApiError::missing("This result"))
    }

    /// Stores a result.
    pub async fn add_result(&self, new: &NewResult<'_>) -> Result<i64, ApiError> {
        let (record, report) = (to_json(new.record), to_json(new.report));
        // A record that cannot be read back, as with infinite numbers, must not be stored.
        from_json::<PlanRecord>(&record)?;
        from_json::<Report>(&report)?;
        let mut all = self.pool.begin().await?;
        let done = sqlx::query(
            "INSERT INTO results (shoot_id, job_id, key, reference_id, record, report, profile, made)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(new.shoot_id)
        .bind(new.job_id)
        .bind(new.key)
        .bind(new.reference_id)
        .bind(record)
        .bind(report)
        .bind(new.profile)
        .bind(now())
        .execute(&mut *all)
        .await?;
        let id = done.last_insert_rowid();
        sqlx::query("UPDATE jobs SET result_id = ? WHERE id = ?")
            .bind(id)
            .bind(new.job_id)
            .execute(&mut *all)
            .await?;
        all.commit().await?;
        self.touch(new.shoot_id).await?;
        Ok(id)
    }
}
