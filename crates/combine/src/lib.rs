//! Many frames to one, tile by tile: methods of combining, levels, edges, the mask, and joining sky
//! and ground.

pub mod backdrop;
mod clip;
pub mod edges;
pub mod gaps;
pub mod isolated;
pub mod join;
pub mod mask;
pub mod network;
pub mod normalise;
mod ordered;
pub mod painting;
pub mod reduce;
pub mod reduced;
pub mod streamed;
pub mod visibility;
