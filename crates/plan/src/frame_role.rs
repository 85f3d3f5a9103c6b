//! What a frame for calibration shows.

use serde::{Deserialize, Serialize};

/// What a frame for calibration shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum FrameRole {
    /// What the sensor adds in the time of an exposure.
    Dark,
    /// What it adds in no time.
    Bias,
    /// An evenly lit surface.
    Flat,
}

impl FrameRole {
    /// For sentences.
    pub fn name(self) -> &'static str {
        match self {
            Self::Dark => "dark",
            Self::Bias => "bias",
            Self::Flat => "flat",
        }
    }
}
