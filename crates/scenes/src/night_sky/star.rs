//! A star of the scene.

use crate::geometry::Vec3;
use serde::Serialize;

/// One star, as it stands in the reference frame.
#[derive(Debug, Clone, Copy, Serialize)]
pub struct Star {
    /// Column in the reference frame at the middle of its exposure, in pixels.
    pub x: f64,
    /// Row in the reference frame, in pixels.
    pub y: f64,
    /// Linear light of its brightest pixel before shading, mean of the channels.
    pub peak: f64,
    /// Relative red, green, blue; mean 1.
    pub colour: [f64; 3],
    /// Whether the ground hides it.
    pub hidden: bool,
    #[serde(skip)]
    pub(super) ray: Vec3,
}
