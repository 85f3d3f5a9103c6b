//! The kinds of calibration frames.

use serde::{Deserialize, Serialize};

/// The kinds of calibration frames.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum FrameRole {
    /// The signal that the sensor adds during an exposure.
    Dark,
    /// The signal that the sensor adds at readout.
    Bias,
    /// An evenly lit surface.
    Flat,
}

impl FrameRole {
    /// The name, as inside a sentence.
    pub fn name(self) -> &'static str {
        match self {
            Self::Dark => "dark",
            Self::Bias => "bias",
            Self::Flat => "flat",
        }
    }
}
