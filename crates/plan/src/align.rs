//! Settings of the align step.

use crate::frame_id::FrameId;
use serde::{Deserialize, Serialize};

/// How the motion of the frames is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum AlignMode {
    /// On the stars, while the sky turns.
    Stars,
    /// On the whole scene, for a camera that was held by hand or moved a little.
    Scene,
    /// Not at all: the frames are combined as they lie.
    None,
}

/// The family of motions that a frame on the whole scene may have.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum SceneModel {
    /// The simplest family that explains the matches.
    #[default]
    Auto,
    /// Translation.
    Shift,
    /// Translation, rotation and scale.
    Similarity,
    /// A plane seen from another place.
    Homography,
}

/// Settings of the align step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct AlignPlan {
    /// What frames are aligned on.
    pub mode: AlignMode,
    /// The family of motions, when aligning on the whole scene.
    #[serde(default)]
    pub model: SceneModel,
    /// Frames that are placed by pairs set by hand.
    #[serde(default)]
    pub by_hand: Vec<HandPairs>,
}

/// Pairs of places set by hand for one frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct HandPairs {
    /// The frame.
    pub blake3: FrameId,
    /// `[x, y, X, Y]`: a place in the frame and the same place in the reference frame, in pixels.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<(f64, f64, f64, f64)>))]
    pub pairs: Vec<[f64; 4]>,
}
