//! The combine stage: picture, maps and figures of aligned frames; with a skyline, sky and ground apart.

mod combination;
mod figures;
mod ground;
pub mod interleaved;
mod joined;
mod maps;
mod noise_growth;
mod pictures;
mod stack;
pub mod stage;
mod streamed;
pub mod used;
