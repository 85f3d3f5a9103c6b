//! Stars over a landscape, camera on a tripod.

use crate::align::AlignMode;
use crate::combine::Method;
use crate::kind::name::Kind;
use crate::kind::rules::{
    ALL_ALIGN, ALL_EDGES, ALL_STEPS, KindRules, PictureChange, PictureSource, anything,
};
use crate::plan::Plan;

/// The rules of this kind.
pub const RULES: KindRules = KindRules {
    kind: Kind::NightSky,
    name: "night sky",
    about: "Stars over a landscape from a tripod; frames are aligned on the stars.",
    source: PictureSource::Combine,
    changes: &[PictureChange::Finish],
    steps: ALL_STEPS,
    align: ALL_ALIGN,
    edges: ALL_EDGES,
    chooses_reference: true,
    is_of_the_sky: true,
    judges_stars: true,
    is_lit: false,
    has_planes: false,
    plan,
    check: anything,
};

fn plan() -> Plan {
    Plan::with(Kind::NightSky, AlignMode::Stars, Method::Clipped)
}
