//! Sets of frames.

use super::frame::Role;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Frames taken alike for one purpose.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct FrameSet {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// What it shows.
    pub role: Role,
}

/// Frames to be put into a set: into one that there is, or a new one.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Sort {
    /// Name of the set.
    pub name: String,
    /// What it shows.
    pub role: Role,
    /// A set to put them into, by its number, rather than a new one.
    pub into: Option<i64>,
    /// The frames, by their numbers.
    pub frame_ids: Vec<i64>,
}

/// Frames to be put into sets, all or none.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SortFrames {
    /// The sets to make.
    pub sets: Vec<Sort>,
}

/// A new name for a set.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SetChange {
    /// Its name.
    pub name: String,
}
