//! Focus sweeps: frames of which each is sharp in another plane.

mod map;
mod merge;
mod order;
mod place;
mod pyramid;
mod sharpness;

pub use map::FocusMap;
pub use merge::{Desk, Merger, Sight, Way};
pub use order::{Order, Step, order};
pub use place::place;
pub use sharpness::Sharpness;
