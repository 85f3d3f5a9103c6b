//! Settings of the align step.

use crate::frame_id::FrameId;
use serde::{Deserialize, Serialize};

/// How the motion of the frames is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum AlignMode {
    /// On the stars, while the sky turns.
    Stars,
    /// On the whole scene, for a camera that was held by hand or moved a little.
    Scene,
    /// Not at all: the frames lie on each other as they are.
    None,
}

/// What a frame's motion on the scene may be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum SceneModel {
    /// The simplest that explains what is seen.
    #[default]
    Auto,
    /// A shift.
    Shift,
    /// A shift, a turn and a scale.
    Similarity,
    /// A plane seen from elsewhere.
    Homography,
}

/// Settings of the align step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct AlignPlan {
    /// How.
    pub mode: AlignMode,
    /// What a motion on the scene may be.
    #[serde(default)]
    pub model: SceneModel,
    /// Frames that are placed by hand.
    #[serde(default)]
    pub by_hand: Vec<HandPairs>,
}

/// Pairs of places set by hand for one frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct HandPairs {
    /// BLAKE3 of the frame's file, as hexadecimal digits.
    pub blake3: FrameId,
    /// `[x, y, X, Y]`: a place in the frame and the same place in the reference frame, in pixels.
    pub pairs: Vec<[f64; 4]>,
}
