//! Focus sweeps: frames of which each is sharp in another plane.

mod order;
mod place;
mod sharpness;

pub use order::{Order, Step, order};
pub use place::place;
pub use sharpness::Sharpness;
