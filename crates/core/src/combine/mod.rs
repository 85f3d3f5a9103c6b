//! Many frames to one, tile by tile.

pub mod edges;
pub mod network;
pub mod reduce;
pub mod resample;
