//! Doubts, checks and proposals about the frames of a shoot.

use super::frame::Role;
use jade_plan::Kind;
use jade_survey::sets::Purpose;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A doubt about a frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Doubt {
    /// The frame, by its number.
    pub frame_id: i64,
    /// One sentence.
    pub reason: String,
}

/// A condition that would spoil a stack, or should be known beforehand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Check {
    /// One or two sentences.
    pub text: String,
    /// The frames that it is about; none where it is about all.
    pub frame_ids: Vec<i64>,
    /// Whether leaving them out would put it right.
    pub leave_out: bool,
    /// Whether one white balance for all would.
    pub balance: bool,
}

/// A frame proposed as the reference frame, and why.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ProposedReference {
    /// The frame, by its number.
    pub frame_id: i64,
    /// One sentence.
    pub reason: String,
}

/// Frames in no set that seem to belong together.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ProposedSet {
    /// What the frames seem to be for.
    pub purpose: Purpose,
    /// What it shows.
    pub role: Role,
    /// Its name.
    pub name: String,
    /// The set that has others like them, if there is one.
    pub into: Option<i64>,
    /// The frames, by their numbers.
    pub frame_ids: Vec<i64>,
    /// Half a sentence.
    pub reason: String,
}

/// A kind that a shoot seems to be, other than its own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ProposedKind {
    /// What it is for.
    pub kind: Kind,
    /// Half a sentence.
    pub reason: String,
}
