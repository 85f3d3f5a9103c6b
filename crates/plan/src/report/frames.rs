//! Figures of the frames stage.

use serde::{Deserialize, Serialize};

/// Exposure times in seconds, `[of all given frames, of the used frames]`.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct ExposureReport {
    /// Sum.
    pub total_s: [f64; 2],
    /// Longest.
    pub longest_s: [f64; 2],
    /// Shortest.
    pub shortest_s: [f64; 2],
}
