//! Settings of the combine step.

use serde::{Deserialize, Serialize};

/// How many samples become one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum Method {
    /// The average.
    Mean,
    /// The middle value; of an even number, the average of the middle two.
    Median,
    /// The average of what does not lie far from the median.
    Clipped,
    /// The lightest sample of each colour.
    Lightest,
    /// The darkest sample of each colour.
    Darkest,
    /// The standard deviation: a diagnostic that shows what moved and what is noisy.
    #[serde(rename = "spread")]
    StdDev,
}

/// What happens to edges that not every frame covers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum Edges {
    /// Cut to what every used frame covers.
    Trim,
    /// Keep the reference frame's size; edges come from the frames that cover them.
    Keep,
    /// Keep the reference frame's size; where a frame ends, its outermost pixels go on, so that
    /// every place is made from the same number of frames.
    Fill,
}

/// Settings of the combine step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct CombinePlan {
    /// How.
    pub method: Method,
    /// Standard deviations from the median beyond which the clipped mean rejects a sample.
    #[serde(default = "usual_clip")]
    pub clip: f32,
    /// Bring frames to the reference frame's brightness first.
    #[serde(default)]
    pub level: bool,
    /// Let less noisy and sharper frames count more in a mean or clipped mean.
    #[serde(default)]
    pub weigh: bool,
    /// Fill the gaps that pauses between exposures leave in star trails; with the lightest of
    /// frames that are not aligned.
    #[serde(default)]
    pub fill_gaps: bool,
    /// What happens to the edges.
    pub edges: Edges,
}

/// Standard deviations that a clipped mean allows when nothing else is asked for.
pub(crate) fn usual_clip() -> f32 {
    2.8
}
