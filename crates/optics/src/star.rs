//! A point of light in a picture.

use serde::{Deserialize, Serialize};

/// One point of light.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Star {
    /// Column of its centre in pixels.
    pub x: f64,
    /// Row of its centre in pixels.
    pub y: f64,
    /// Light above the background under the window, in linear units.
    pub flux: f32,
    /// Full width at half maximum in pixels.
    pub width: f32,
    /// Shorter by longer axis, 0 to 1.
    pub roundness: f32,
    /// Signal to noise of the matched filter.
    pub snr: f32,
    /// Some sample is at the white point.
    pub saturated: bool,
}

impl Star {
    /// Expected error of the centre along one axis in pixels.
    pub fn error(&self) -> f64 {
        (0.02f64).hypot(0.9 / self.snr.max(1.0) as f64 * (self.width as f64 / 2.2).max(1.0))
    }

    /// Whether its width can be trusted.
    pub fn measures_well(&self) -> bool {
        self.snr > 20.0 && !self.saturated && self.roundness > 0.75
    }
}
