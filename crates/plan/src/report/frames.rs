//! Figures of the frames stage.

use serde::{Deserialize, Serialize};

/// Exposure times in seconds, `[of all given frames, of the used frames]`.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ExposureReport {
    /// Sum.
    #[cfg_attr(feature = "schema", schema(value_type = (f64, f64)))]
    pub total_s: [f64; 2],
    /// Longest.
    #[cfg_attr(feature = "schema", schema(value_type = (f64, f64)))]
    pub longest_s: [f64; 2],
    /// Shortest.
    #[cfg_attr(feature = "schema", schema(value_type = (f64, f64)))]
    pub shortest_s: [f64; 2],
}
