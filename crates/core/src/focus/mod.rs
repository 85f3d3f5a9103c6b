//! Focus sweeps: frames of which each is sharp in another plane.

mod doubt;
mod level;
mod map;
mod merge;
mod order;
mod place;
mod plan;
mod pyramid;
mod shares;
mod sharpness;

pub use doubt::{Bump, Moved, bumps, moved};
pub use level::levels;
pub use map::{BETWEEN, FocusMap};
pub use merge::{Desk, Merger, Sight, Way};
pub use order::{Order, Step, order, strangers};
pub use place::{comes_nearer, place, placed_on};
pub use plan::{FocusPlan, Patch, PatchFrom};
pub use sharpness::Sharpness;
