//! Settings of the combine step.

use serde::{Deserialize, Serialize};

/// The method by which the samples of all frames at a pixel become one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Method {
    /// The mean.
    Mean,
    /// The median; for an even number of frames, the mean of the two in the middle.
    Median,
    /// The mean of the samples that do not lie far from the median.
    Clipped,
    /// The lightest sample of each colour.
    Lightest,
    /// The darkest sample of each colour.
    Darkest,
    /// The standard deviation: a diagnostic that shows what moved and what is noisy.
    #[serde(rename = "spread")]
    StdDev,
}

/// How edges are treated that not every frame covers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Edges {
    /// Cut to what every used frame covers.
    Trim,
    /// Keep the reference frame's size; an edge comes from the frames that cover it.
    Keep,
    /// Keep the reference frame's size; where a frame ends, its outermost pixels are repeated, so
    /// that every pixel is made from the same number of frames.
    Fill,
}

/// Settings of the combine step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CombinePlan {
    /// The method.
    pub method: Method,
    /// Standard deviations from the median beyond which the clipped mean rejects a sample.
    #[serde(default = "usual_clip")]
    pub clip: f32,
    /// Bring the brightness of all frames to that of the reference frame first.
    #[serde(default)]
    pub level: bool,
    /// Let less noisy and sharper frames count more in a mean or clipped mean.
    #[serde(default)]
    pub weigh: bool,
    /// Fill the gaps that pauses between exposures leave in star trails. Only for the lightest of
    /// frames that are not aligned.
    #[serde(default)]
    pub fill_gaps: bool,
    /// How edges are treated.
    pub edges: Edges,
}

/// Default clip of the clipped mean, in standard deviations.
pub(crate) fn usual_clip() -> f32 {
    2.8
}
