//! Runs and their results.

use super::export::Export;
use jade_plan::progress::Stage;
use jade_plan::report::Report;
use jade_plan::{FrameId, Plan};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// State of a job.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum JobState {
    /// It waits for its turn.
    Queued,
    /// It is under way.
    Running,
    /// It made what it was to make.
    Done,
    /// Something went wrong.
    Failed,
    /// A person stopped it.
    Cancelled,
    /// The server ended while it was running; it can go on.
    Interrupted,
}

/// What a job does.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Task {
    /// Carries out a plan, and makes a result.
    Run,
    /// Finds a shoot's skyline.
    Skyline,
    /// Finds the order of a sweep's frames.
    Sweep,
    /// Saves a result as a file.
    Save,
}

/// Work that takes a while, carried out by the server whoever looks.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Job {
    /// Its number.
    pub id: i64,
    /// The shoot, by its number.
    pub shoot_id: i64,
    /// What it does.
    pub task: Task,
    /// The result that a run made, or that is saved.
    pub result_id: Option<i64>,
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
    /// Expected seconds until it ends, once they can be estimated.
    pub remaining_s: Option<f64>,
    /// What went wrong, as a sentence for the person.
    pub problem: Option<String>,
    /// When it was asked for, in milliseconds after the beginning of 1970.
    pub created: i64,
    /// When it ended, in milliseconds after the beginning of 1970.
    pub finished: Option<i64>,
}

/// One kept result.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
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
