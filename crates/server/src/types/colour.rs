//! Figures about the colours of a frame.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// The light that a raw frame was balanced for as shot.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct FrameLight {
    /// Colour temperature in kelvin.
    pub kelvin: f32,
    /// Towards green above 0, towards magenta below.
    pub tint: f32,
}

/// Figures about a frame's colours.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct FrameColour {
    /// Whether it is raw.
    pub raw: bool,
    /// The light it was balanced for as shot, where the file tells.
    pub light: Option<FrameLight>,
}

/// Light of a patch as shot: red, green, blue.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Grey {
    /// Its linear light as shot: red, green, blue.
    #[schema(value_type = Vec<f32>, min_items = 3, max_items = 3)]
    pub grey: [f32; 3],
}
