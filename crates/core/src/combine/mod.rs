//! Many frames to one, tile by tile.

mod clip;
pub mod edges;
pub mod gaps;
mod kernel;
pub mod level;
pub mod network;
mod ordered;
pub mod reduce;
pub mod resample;
pub mod streamed;
