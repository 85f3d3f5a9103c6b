//! Figures of the finish stage.

use serde::{Deserialize, Serialize};

/// Figures about a finished sky; noise elsewhere in the report is that before finishing.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FinishReport {
    /// Unevenness of the sky before and after. It is the difference between the 95th and the 5th
    /// percentile of the medians of small squares, as a share of the median. `None` where no sky
    /// glow was taken off.
    #[cfg_attr(feature = "schema", schema(value_type = Option<(f32, f32)>))]
    pub uneven: Option<[f32; 2]>,
    /// Standard deviation of the sky's noise before and after, in linear light. `None` where it was
    /// not smoothed, or no patch is even enough.
    #[cfg_attr(feature = "schema", schema(value_type = Option<(f32, f32)>))]
    pub noise: Option<[f32; 2]>,
}
