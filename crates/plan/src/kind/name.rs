//! The kinds of shoots by name.

use serde::{Deserialize, Serialize};

/// The kind of a shoot: what its frames were taken for. Each kind's rules are in a file of its own
/// ([`Kind::rules`]).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Stars over a landscape, camera on a tripod.
    NightSky,
    /// Stars drawn into trails over a landscape, camera on a tripod.
    StarTrails,
    /// One still scene in little light, on a tripod or handheld.
    LowLightBurst,
    /// One scene through which things move that shall not be seen.
    ClearTheScene,
    /// One subject, of which each frame shows another plane sharp.
    FocusSweep,
}
