//! Refusals.

use serde::{Deserialize, Serialize};

/// A refusal.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[cfg_attr(feature = "types", ts(optional_fields))]
pub struct Problem {
    /// What is wrong and what to do, as one sentence.
    pub problem: String,
    /// Settings that somebody else changed at the same time.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[cfg_attr(feature = "types", ts(optional, as = "Option<Vec<String>>"))]
    pub clash: Vec<String>,
}
