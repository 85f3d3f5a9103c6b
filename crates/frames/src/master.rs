//! Master frames: averages of many dark, bias or flat frames.

use crate::shape::Shape;
use jade_pixels::tiled::TiledFile;
use jade_plan::{CoreError, FrameRole};
use serde::{Deserialize, Serialize};

/// A master frame on scratch: light, or for flats the share of light that is left.
pub struct Master {
    pub picture: TiledFile<f32>,
    pub note: Note,
}

/// Figures that are stored beside a master frame.
#[derive(Debug, Clone, Copy, Serialize, Deserialize)]
pub struct Note {
    /// Typical standard deviation of one frame's noise, in light.
    pub noise: f32,
    /// Exposure in seconds, where all files have the same.
    pub exposure_s: Option<f64>,
}

impl Master {
    /// Checks that this can calibrate a picture of a shape.
    ///
    /// # Errors
    /// [`CoreError::Frames`] with one sentence.
    pub fn fits(&self, shape: Shape, shows: FrameRole, name: &str) -> Result<(), CoreError> {
        let own_shape = Shape::of(&self.picture);
        if own_shape == shape {
            return Ok(());
        }
        Err(CoreError::Frames(format!(
            "The {} frames are {}, and {name} is {}; take them with the same camera and in the same format.",
            shows.name(),
            own_shape,
            shape
        )))
    }
}
