//! Stars drawn into trails over a landscape, camera on a tripod.

use crate::align::AlignMode;
use crate::combine::Method;
use crate::kind::name::Kind;
use crate::kind::rules::{
    ALL_ALIGN, ALL_EDGES, ALL_STEPS, KindRules, PictureChange, PictureSource, anything,
};
use crate::plan::Plan;

/// The rules of this kind.
pub const RULES: KindRules = KindRules {
    kind: Kind::StarTrails,
    name: "star trails",
    about: "Many frames from a tripod; the lightest of them draw the way of the stars.",
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
    let mut plan = Plan::with(Kind::StarTrails, AlignMode::None, Method::Lightest);
    plan.combine.fill_gaps = true;
    plan
}
