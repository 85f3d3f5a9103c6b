//! One still scene in little light, on a tripod or handheld.

use crate::align::AlignMode;
use crate::combine::Method;
use crate::kind::name::Kind;
use crate::kind::rules::{
    ALL_ALIGN, ALL_EDGES, ALL_STEPS, KindRules, PictureChange, PictureSource, anything,
};
use crate::plan::Plan;

/// The rules of this kind.
pub const RULES: KindRules = KindRules {
    kind: Kind::LowLightBurst,
    name: "low-light burst",
    about: "One still scene in little light, handheld or not; frames are aligned on the scene.",
    source: PictureSource::Combine,
    changes: &[PictureChange::Finish],
    steps: ALL_STEPS,
    align: ALL_ALIGN,
    edges: ALL_EDGES,
    chooses_reference: true,
    is_of_the_sky: false,
    judges_stars: true,
    is_lit: false,
    has_planes: false,
    plan,
    check: anything,
};

fn plan() -> Plan {
    let mut plan = Plan::with(Kind::LowLightBurst, AlignMode::Scene, Method::Clipped);
    plan.combine.level = true;
    plan
}
