//! Focus sweeps: frames of which each is sharp in another plane.

mod level;
mod map;
mod merge;
mod order;
mod place;
mod pyramid;
mod sharpness;

use serde::{Deserialize, Serialize};
use ts_rs::TS;

pub use level::levels;
pub use map::FocusMap;
pub use merge::{Desk, Merger, Sight, Way};
pub use order::{Order, Step, order};
pub use place::{comes_nearer, place, placed_on};
pub use sharpness::Sharpness;

/// Settings of merging a focus sweep.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(default)]
pub struct FocusPlan {
    /// How frames are merged.
    pub way: Way,
}
