//! Events that the server sends to pages.

use super::job::Job;
use jade_plan::progress::Stage;
use serde::{Deserialize, Serialize};

/// Events that the server sends to pages.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(tag = "type", rename_all = "lowercase")]
#[allow(clippy::large_enum_variant, reason = "events are few, and most of them are jobs")]
pub enum Event {
    /// All unfinished jobs, sent first.
    Present {
        /// All runs that are queued or under way.
        jobs: Vec<Job>,
    },
    /// A job moved on.
    Job {
        /// The run as it is now.
        job: Job,
    },
    /// Something in a shoot changed.
    Shoot {
        /// The shoot, by its number.
        id: i64,
    },
    /// Finding something in a shoot's frames moved on: its skyline, or the order of a sweep.
    Finding {
        /// The shoot, by its number.
        shoot_id: i64,
        /// The stage that it is at.
        stage: Option<Stage>,
        /// Steps of that stage that are done.
        #[cfg_attr(feature = "types", ts(type = "number"))]
        done: i64,
        /// Steps of that stage.
        #[cfg_attr(feature = "types", ts(type = "number"))]
        total: i64,
    },
    /// Saving a result moved on.
    Saving {
        /// The result, by its number.
        result_id: i64,
        /// `None` when it ended.
        stage: Option<Stage>,
        /// Steps of that stage that are done.
        done: i64,
        /// Steps of that stage.
        total: i64,
        /// Expected seconds until this stage ends, once they can be estimated.
        remaining_s: Option<f64>,
    },
}
