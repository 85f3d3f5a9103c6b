//! One subject, of which each frame shows another plane sharp.

use crate::align::AlignMode;
use crate::combine::{Edges, Method};
use crate::error::CoreError;
use crate::kind::name::Kind;
use crate::kind::rules::{KindRules, PictureChange, PictureSource, Step};
use crate::plan::Plan;

/// The rules of this kind.
pub const RULES: KindRules = KindRules {
    kind: Kind::FocusSweep,
    name: "focus sweep",
    about: "Each frame shows another plane sharp; they are merged to one, sharp from front to back.",
    source: PictureSource::Merge,
    changes: &[PictureChange::Paint],
    steps: &[Step::Frames, Step::Prepare, Step::Align, Step::Combine, Step::Export],
    align: &[AlignMode::Scene, AlignMode::None],
    edges: &[Edges::Trim, Edges::Fill],
    chooses_reference: false,
    is_of_the_sky: false,
    judges_stars: false,
    is_lit: true,
    has_planes: true,
    plan,
    check,
};

fn plan() -> Plan {
    Plan::with(Kind::FocusSweep, AlignMode::Scene, Method::Mean)
}

fn check(plan: &Plan) -> Result<(), CoreError> {
    plan.focus.check()?;
    let (setting, what) = if plan.align.mode == AlignMode::Stars {
        (
            "align.mode",
            "A focus sweep has no stars to be aligned on; align it on the scene, or not at all.",
        )
    } else if plan.combine.edges == Edges::Keep {
        ("combine.edges", "Edges of a focus sweep are trimmed, or filled; choose one of these.")
    } else if plan.finish.is_on() {
        ("finish", "A focus sweep has no sky to be finished; set sky glow and sky smoothing to 0.")
    } else {
        return Ok(());
    };
    Err(CoreError::value(setting, what))
}
