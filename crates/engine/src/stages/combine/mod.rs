//! The combine stage: picture, maps and figures of aligned frames; with a skyline, sky and ground apart.

mod blocks;
mod ground;
pub mod interleaved;
mod joined;
mod noise_growth;
mod pictures;
mod squares;
pub mod stage;
mod streamed;
pub mod used;
