//! The simulated camera: made-up shoots whose truth is known.
//!
//! The same kind, options and seed give the same bytes. The truth comes from the scene's own
//! geometry, never from measuring the pictures.

mod canvas;
mod error;
mod files;
pub mod focus_sweep;
pub mod geometry;
pub mod kiln_yard;
pub mod night_sky;
mod random;
pub mod raw;
mod sensor;
mod texture;

pub use error::SceneError;
pub use files::frame_name;
