//! Many frames to one, tile by tile.

#![warn(missing_docs)]

pub mod backdrop;
pub mod clear;
mod clip;
pub mod edges;
pub mod gaps;
pub mod join;
pub mod level;
pub mod lone;
pub mod mask;
pub mod network;
mod ordered;
pub mod painting;
pub mod reduce;
pub mod reduced;
pub mod streamed;
