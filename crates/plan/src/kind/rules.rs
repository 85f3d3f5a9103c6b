//! What follows from the kind of a shoot.

use crate::align::AlignMode;
use crate::combine::Edges;
use crate::error::CoreError;
use crate::kind::name::Kind;
use crate::plan::Plan;
use serde::Serialize;

/// What follows from the kind of a shoot, for the engine and for a page that shows it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct KindRules {
    /// The kind.
    pub kind: Kind,
    /// Its name, as inside a sentence.
    pub name: &'static str,
    /// What it is for, as one sentence.
    pub about: &'static str,
    /// The stage that makes the picture.
    pub source: PictureSource,
    /// Stages that go on from it, in order.
    pub changes: &'static [PictureChange],
    /// Steps that a page shows, in order.
    pub steps: &'static [Step],
    /// Ways to align that make sense.
    pub align: &'static [AlignMode],
    /// What may happen to edges that not every frame covers.
    pub edges: &'static [Edges],
    /// Whether a person chooses the reference frame, rather than the run.
    pub chooses_reference: bool,
    /// Whether the sky with its stars is what the frames are taken for.
    pub is_of_the_sky: bool,
    /// Whether stars in the frames are measured, and speak for or against a frame.
    pub judges_stars: bool,
    /// Whether the scene is lit, so that frames are seen as they are rather than made brighter.
    pub is_lit: bool,
    /// Whether each frame shows another plane sharp.
    pub has_planes: bool,
    /// The plan that a shoot of this kind begins with.
    #[serde(skip)]
    #[cfg_attr(feature = "types", ts(skip))]
    pub plan: fn() -> Plan,
    /// Refuses settings that make no sense for this kind.
    #[serde(skip)]
    #[cfg_attr(feature = "types", ts(skip))]
    pub check: fn(&Plan) -> Result<(), CoreError>,
}

/// A stage that makes the picture of the frames.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum PictureSource {
    /// Sample by sample; with a skyline, sky and ground apart.
    Combine,
    /// By what is sharp in each frame.
    Merge,
}

/// A stage that goes on from the picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum PictureChange {
    /// Pixels of frames, or of another way of merging, are painted into it.
    Paint,
    /// Adjustments of the whole picture.
    Finish,
}

/// A step of the work, as a page shows it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum Step {
    /// The frames, their sets and roles.
    Frames,
    /// One treatment for all frames.
    Prepare,
    /// Where each frame lies on the reference frame.
    Align,
    /// Where the sky ends.
    Skyline,
    /// Many frames to one.
    Combine,
    /// Adjustments of the picture.
    Finish,
    /// Files for elsewhere.
    Export,
}

/// All steps, for kinds that leave none out.
pub const ALL_STEPS: &[Step] = &[
    Step::Frames,
    Step::Prepare,
    Step::Align,
    Step::Skyline,
    Step::Combine,
    Step::Finish,
    Step::Export,
];

/// All ways to align.
pub const ALL_ALIGN: &[AlignMode] = &[AlignMode::Stars, AlignMode::Scene, AlignMode::None];

/// All that may happen to edges.
pub const ALL_EDGES: &[Edges] = &[Edges::Trim, Edges::Keep, Edges::Fill];

/// For kinds that all settings make sense for.
pub fn anything(_: &Plan) -> Result<(), CoreError> {
    Ok(())
}
