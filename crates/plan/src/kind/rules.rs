//! What the kind of a shoot decides.

use crate::align::AlignMode;
use crate::combine::Edges;
use crate::error::CoreError;
use crate::kind::name::Kind;
use crate::plan::Plan;
use serde::Serialize;

/// Makes the default plan of a kind.
pub type MakePlan = fn() -> Plan;

/// Refuses plans whose settings make no sense for a kind.
pub type CheckPlan = fn(&Plan) -> Result<(), CoreError>;

/// What the kind of a shoot decides, for the engine and for the page.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct KindRules {
    /// The kind.
    pub kind: Kind,
    /// The name, as inside a sentence.
    pub name: &'static str,
    /// The purpose, as one sentence.
    pub about: &'static str,
    /// The stage that makes the picture.
    pub source: PictureSource,
    /// Stages that change the picture afterwards, in order.
    pub changes: &'static [PictureChange],
    /// Steps that the page shows, in order.
    pub steps: &'static [Step],
    /// Ways to align that make sense.
    pub align: &'static [AlignMode],
    /// Treatments of edges that make sense.
    pub edges: &'static [Edges],
    /// Whether the person chooses the reference frame; otherwise the run does.
    pub chooses_reference: bool,
    /// Whether the frames are taken for the sky and its stars.
    pub is_of_the_sky: bool,
    /// Whether stars are measured and used to judge frames.
    pub judges_stars: bool,
    /// Whether the scene is well lit, so that frames are shown as they are and not brightened.
    pub is_lit: bool,
    /// Whether each frame shows another plane sharp.
    pub has_planes: bool,
    /// The default plan.
    #[serde(skip)]
    pub plan: MakePlan,
    /// Refuses settings that make no sense for this kind.
    #[serde(skip)]
    pub check: CheckPlan,
}

/// A stage that makes the picture from the frames.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum PictureSource {
    /// Combines the frames sample by sample; with a skyline, sky and ground apart.
    Combine,
    /// Merges what is sharp in each frame.
    Merge,
}

/// A stage that changes the picture afterwards.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum PictureChange {
    /// Paints pixels of single frames, or of the other merging method, into the picture.
    Paint,
    /// Adjusts the whole picture.
    Finish,
}

/// A step of the work, as the page shows it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Step {
    /// The frames, their sets and their roles.
    Frames,
    /// One treatment for all frames.
    Prepare,
    /// Where each frame lies on the reference frame.
    Align,
    /// Where the sky ends.
    Skyline,
    /// How many frames become one.
    Combine,
    /// Adjustments of the picture.
    Finish,
    /// Files for other programs.
    Export,
}

/// All steps.
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

/// All treatments of edges.
pub const ALL_EDGES: &[Edges] = &[Edges::Trim, Edges::Keep, Edges::Fill];

/// Accepts every plan, for kinds that all settings make sense for.
pub fn anything(_: &Plan) -> Result<(), CoreError> {
    Ok(())
}
