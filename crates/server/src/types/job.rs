//! Runs and their results.

use super::export::Export;
use jade_plan::progress::Stage;
use jade_plan::report::Report;
use jade_plan::{FrameId, Plan};
use serde::{Deserialize, Serialize};

/// State of a job.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum JobState {
    /// It waits for its turn.
    Queued,
    /// It is under way.
    Running,
    /// It made a result.
    Done,
    /// Something went wrong.
    Failed,
    /// A person stopped it.
    Cancelled,
    /// The server ended while it was running; it can go on.
    Interrupted,
}

/// One run of a plan.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Job {
    /// Its number.
    pub id: i64,
    /// The shoot, by its number.
    pub shoot_id: i64,
    /// How far it is.
    pub state: JobState,
    /// Its settings.
    pub plan: Plan,
    /// The stage that it is at.
    pub stage: Option<Stage>,
    /// Steps of that stage that are done.
    pub done: i64,
    /// Steps of that stage.
    pub total: i64,
    /// Expected seconds until the run ends, once they can be estimated.
    pub remaining_s: Option<f64>,
    /// What went wrong, as a sentence for the person.
    pub problem: Option<String>,
    /// When it was asked for, in milliseconds after the beginning of 1970.
    pub created: i64,
    /// When it ended, in milliseconds after the beginning of 1970.
    pub finished: Option<i64>,
}

/// One kept result.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct ShootResult {
    /// Its number.
    pub id: i64,
    /// Names its pixels; the address of its picture carries it.
    pub version: String,
    /// Its settings.
    pub plan: Plan,
    /// BLAKE3 of the frames that it was calibrated with.
    pub calibration: Vec<FrameId>,
    /// The reference frame, by its number.
    pub reference_id: i64,
    /// The report.
    pub report: Report,
    /// When it was made, in milliseconds after the beginning of 1970.
    pub made: i64,
    /// Files that were saved of it.
    pub exports: Vec<Export>,
}
