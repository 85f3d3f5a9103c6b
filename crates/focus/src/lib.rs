//! Focus sweeps: frames of which each is sharp in another plane.

#![warn(missing_docs)]

mod doubt;
mod level;
mod map;
mod merge;
mod order;
mod place;
mod pyramid;
mod shares;

pub use doubt::{Bump, Moved, bumps, moved};
pub use level::levels;
pub use map::{BETWEEN, FocusMap};
pub use merge::{Desk, Merger, Sight};
pub use order::{Order, Step, order, strangers};
pub use place::{comes_nearer, place, placed_on};
