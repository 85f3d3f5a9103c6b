//! Figures of the combine stage.

use serde::{Deserialize, Serialize};

/// Figures of the combine stage.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CombineReport {
    /// Noise of the reference frame and of the result, where it could be measured.
    pub noise: Option<NoiseGain>,
    /// Noise of growing numbers of combined frames, the reference frame first.
    pub noise_by_frames: Vec<NoisePoint>,
    /// Median full width at half maximum in the result, in pixels, of the stars that measure well
    /// in the reference frame.
    pub star_width_px: Option<f32>,
}

/// The noise that a number of combined frames leaves.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, PartialEq)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct NoisePoint {
    /// Number of frames.
    pub frames: u32,
    /// Measured standard deviation, in linear light.
    pub noise: f32,
    /// Standard deviation expected from one frame's noise and the method.
    pub expected: f32,
}

/// Noise of one frame and of the result.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct NoiseGain {
    /// Standard deviation in the reference frame, in linear light.
    pub single: f32,
    /// Standard deviation in the result at the same places.
    pub result: f32,
    /// `single / result`.
    pub gain: f32,
    /// The gain that the method reaches at best with this many frames.
    pub ideal_gain: f32,
}
