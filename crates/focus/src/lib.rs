//! Focus sweeps, whose frames are each sharp in another plane: their order, registration, depth map
//! and merging.

mod depth_map;
mod merge;
mod motion_check;
mod normalise;
mod order;
mod pyramid;
mod registration;
mod weights;

pub use depth_map::{BETWEEN, DepthMap};
pub use merge::{Merger, Scratch, Sight};
pub use motion_check::{Bump, Moved, bumps, moved};
pub use normalise::levels;
pub use order::{Order, Step, order, strangers};
pub use registration::{comes_nearer, place, placed_on};
