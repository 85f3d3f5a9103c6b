//! Focus sweeps: frames of which each is sharp in another plane.

mod order;
mod sharpness;

pub use order::{Order, Step, order};
pub use sharpness::Sharpness;
