//! What is found before a run: the lens, a motion from pairs set by hand, the skyline.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a lens is measured from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum LensFrom {
    /// Distortion and lateral colour from the stars of the frames that are in.
    Stars,
    /// Shading from the flat frames.
    Flats,
}

/// A wish to find the lens.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct LensWish {
    /// What the lens is measured from.
    pub from: LensFrom,
}

/// Pairs of places set by hand, to be tried: `[x, y, X, Y]` in the frame and in the reference frame.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct HandTry {
    /// The pairs.
    #[schema(value_type = Vec<(f64, f64, f64, f64)>)]
    pub pairs: Vec<[f64; 4]>,
}

/// The motion that pairs set by hand define.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct HandFound {
    /// `shift`, `similarity` or `homography`; `None` while the pairs tell no motion.
    pub model: Option<String>,
    /// Distance of each pair under that motion, in pixels.
    pub off_px: Vec<f64>,
    /// Root of the mean of their squares, in pixels.
    pub rms_px: f64,
}

/// A shoot's skyline as it is now.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SkylineSeen {
    /// Changes whenever the mask does.
    pub version: String,
    /// Whether it is that of the present plan and frames; another is found by a new job.
    pub current: bool,
    /// Share of the reference frame that is sky.
    pub sky: f32,
    /// Share of it that may be either.
    pub unsure: f32,
    /// Frames that it was found in; 0 for a mask that was loaded.
    pub frames: u32,
    /// Places along the skyline: `[x, y, unsure]`, in pixels, and 0 to 1.
    #[schema(value_type = Vec<(f32, f32, f32)>)]
    pub places: Vec<[f32; 3]>,
}
