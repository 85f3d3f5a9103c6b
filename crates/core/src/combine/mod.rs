//! Many frames to one, tile by tile.

pub mod backdrop;
pub mod clear;
mod clip;
pub mod edges;
pub mod gaps;
pub mod join;
mod kernel;
pub mod level;
pub mod lone;
pub mod network;
mod ordered;
pub mod reduce;
pub mod resample;
pub mod streamed;
