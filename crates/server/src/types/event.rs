//! Events that the server sends to pages.

use super::job::Job;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Events that the server sends to pages.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(tag = "type", rename_all = "lowercase")]
#[allow(clippy::large_enum_variant, reason = "events are few, and most of them are jobs")]
pub enum Event {
    /// All unfinished jobs, sent first.
    Present {
        /// All jobs that are queued or under way.
        jobs: Vec<Job>,
    },
    /// A job moved on.
    Job {
        /// The job as it is now.
        job: Job,
    },
    /// Something in a shoot changed.
    Shoot {
        /// The shoot, by its number.
        id: i64,
    },
}
