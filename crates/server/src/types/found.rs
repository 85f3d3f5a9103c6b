//! What is found before a run: the lens, a motion from pairs set by hand, the skyline.

use serde::{Deserialize, Serialize};

/// What a lens is measured from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum LensFrom {
    /// Distortion and lateral colour from the stars of the frames that are in.
    Stars,
    /// Shading from the flat frames.
    Flats,
}

/// A wish to find the lens.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct LensWish {
    /// What the lens is measured from.
    pub from: LensFrom,
}

/// Pairs of places set by hand, to be tried: `[x, y, X, Y]` in the frame and in the reference frame.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct HandTry {
    /// The pairs.
    pub pairs: Vec<[f64; 4]>,
}

/// The motion that pairs set by hand define.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct HandFound {
    /// `shift`, `similarity` or `homography`; `None` while the pairs tell no motion.
    pub model: Option<String>,
    /// Distance of each pair under that motion, in pixels.
    pub off_px: Vec<f64>,
    /// Root of the mean of their squares, in pixels.
    pub rms_px: f64,
}

/// A shoot's skyline as it is now.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct SkylineSeen {
    /// Changes whenever the mask does.
    pub version: String,
    /// Share of the reference frame that is sky.
    pub sky: f32,
    /// Share of it that may be either.
    pub unsure: f32,
    /// Frames that it was found in; 0 for a mask that was loaded.
    pub frames: u32,
    /// Places along the skyline: `[x, y, unsure]`, in pixels, and 0 to 1.
    pub places: Vec<[f32; 3]>,
}
