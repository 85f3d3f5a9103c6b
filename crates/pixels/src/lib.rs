//! Pictures as rows and tiles, colour, and reading and writing picture files.
//!
//! This crate knows neither frames nor plans. Samples are 16-bit codes as stored in the file (8-bit
//! files are widened by 257) or linear `f32`, always interleaved red, green, blue.

pub mod aside;
pub mod colour;
mod error;
pub mod facts;
pub mod limits;
pub mod mosaic;
pub mod pyramid;
pub mod read;
pub mod regular;
pub mod rounding;
pub mod tiled;
pub mod write;

pub use error::PictureError;
