//! One scene through which things move that shall not be seen.

use crate::align::AlignMode;
use crate::combine::Method;
use crate::kind::name::Kind;
use crate::kind::rules::{
    ALL_ALIGN, ALL_EDGES, ALL_STEPS, KindRules, PictureChange, PictureSource, anything,
};
use crate::plan::Plan;

/// The rules of this kind.
pub const RULES: KindRules = KindRules {
    kind: Kind::ClearTheScene,
    name: "clear the scene",
    about: "People, cars or flakes move through and shall not be seen.",
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
    let mut plan = Plan::with(Kind::ClearTheScene, AlignMode::Scene, Method::Median);
    plan.combine.level = true;
    plan
}
