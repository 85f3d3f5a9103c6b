//! Figures about sky and ground that were combined apart.

use super::combine::NoiseGain;
use serde::{Deserialize, Serialize};

/// Figures about sky and ground that were combined apart.
#[derive(Debug, Clone, Serialize, Deserialize, PartialEq)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SkylineReport {
    /// Share of the result that is sky.
    pub sky: f32,
    /// Frames that the ground was made from.
    pub ground_frames: u32,
    /// Noise of the ground, in the reference frame and in the result; `noise` of the report is that
    /// of the sky. `None` where the ground came from elsewhere.
    pub ground_noise: Option<NoiseGain>,
    /// Factors that brought the ground's red, green and blue to the brightness of the sky's frames.
    #[cfg_attr(feature = "schema", schema(value_type = (f32, f32, f32)))]
    pub ground_gain: [f32; 3],
    /// Frames of the ground that were left out, each with the reason.
    pub left_out: Vec<(String, String)>,
}
