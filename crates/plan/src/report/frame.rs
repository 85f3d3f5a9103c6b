//! One frame in a report.

use crate::frame_id::FrameId;
use jade_optics::motion::Motion;
use serde::{Deserialize, Serialize};

/// One frame in a [`super::Report`].
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FrameReport {
    /// File name.
    pub file: String,
    /// The frame.
    #[serde(default)]
    pub content: FrameId,
    /// Whether it went into the result.
    pub used: bool,
    /// Why it did not go into the result: one sentence.
    pub reason: Option<String>,
    /// Model of its motion: `still`, `shift`, `similarity`, `homography` or `camera`.
    pub model: Option<String>,
    /// Its motion in full.
    #[cfg_attr(feature = "schema", schema(value_type = serde_json::Value))]
    #[serde(default)]
    pub motion: Option<Motion>,
    /// The homography from the frame to the reference frame that comes nearest to its motion, row
    /// by row.
    #[cfg_attr(feature = "schema", schema(value_type = Option<((f64, f64, f64), (f64, f64, f64), (f64, f64, f64))>))]
    pub to_reference: Option<[[f64; 3]; 3]>,
    /// Its motion, sampled: `[x, y, X, Y]` from frame to reference frame, in pixels.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<(f64, f64, f64, f64)>))]
    pub grid: Vec<[f64; 4]>,
    /// Root mean square distance of the matched stars in pixels, weighted by how well their centres
    /// are known.
    pub rms_px: Option<f64>,
    /// Stars matched with the reference frame.
    pub matched: Option<usize>,
    /// Stars found.
    pub stars: Option<usize>,
    /// Median full width at half maximum of its stars, in pixels.
    pub star_width_px: Option<f32>,
    /// Median level of its background in linear light (white is 1).
    pub sky_level: Option<f32>,
    /// Its weight in the result.
    pub weight: f32,
    /// Whether it was placed by pairs set by hand.
    #[serde(default)]
    pub by_hand: bool,
    /// Factor and offset that brought its green to the reference frame's brightness.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Option<(f32, f32)>))]
    pub level: Option<[f32; 2]>,
    /// Share of its samples that the clipped mean rejected.
    #[serde(default)]
    pub rejected: Option<f32>,
    /// Residuals of up to 80 matches spread over the picture: `[X, Y, dX, dY]`, the place in the
    /// reference frame and the offset of the matched place, in pixels.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Vec<(f32, f32, f32, f32)>))]
    pub residuals: Vec<[f32; 4]>,
}
