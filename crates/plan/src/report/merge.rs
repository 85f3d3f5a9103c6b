//! Figures about a merged focus sweep.

use crate::frame_id::FrameId;
use serde::{Deserialize, Serialize};

/// Figures about the frames of a focus sweep.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FocusReport {
    /// File names of the readable frames in the order of focus; from near to far where alignment
    /// shows the direction.
    pub order: Vec<String>,
    /// The frames in that order.
    #[serde(default)]
    pub contents: Vec<FrameId>,
    /// Steps from each frame in that order to the next.
    pub steps: Vec<FocusStep>,
    /// For each frame in that order, the share of the picture in which it is the sharpest.
    pub shares: Vec<f32>,
    /// Sentences about what to check: planes that are missing or shown twice, patches that are left
    /// out.
    pub doubts: Vec<String>,
    /// Places where one frame shows something else than its neighbours.
    #[serde(default)]
    pub moved: Vec<MovedPlace>,
    /// Share of the picture in which it is known which frame is the sharpest.
    #[serde(alias = "told")]
    pub known: f32,
    /// Share of the picture that lies where a plane is missing, and is sharp in no frame.
    #[serde(default)]
    pub between: f32,
}

/// A place where something moved in one frame of a focus sweep, or came and stayed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct MovedPlace {
    /// File name of the frame, or of the first frame that shows it.
    pub file: String,
    /// That frame.
    #[serde(default)]
    pub content: FrameId,
    /// Middle of the place in the reference frame, in pixels.
    #[cfg_attr(feature = "schema", schema(value_type = (f64, f64)))]
    pub at: [f64; 2],
    /// Radius of the place, in pixels.
    pub radius_px: f64,
}

/// The step from one frame of a focus sweep to the next.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FocusStep {
    /// How far the focus moved; 1 is the usual step.
    pub length: f32,
    /// Whether a plane is missing between the two frames.
    pub wide: bool,
    /// Whether both frames show the same plane.
    pub double: bool,
}
