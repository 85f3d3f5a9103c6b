//! Merging a focus sweep: the order of its frames, and one picture of what is sharp in each.

pub mod order;
pub mod stage;
pub mod sweep;
