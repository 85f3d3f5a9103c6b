//! The simulated camera: made-up shoots whose truth is known.
//!
//! The same kind, options and seed give the same bytes. What is written as truth comes from the
//! scene's own geometry, never from measuring the pictures.

#![warn(missing_docs)]

mod canvas;
mod files;
pub mod focus_sweep;
pub mod geometry;
pub mod kiln_yard;
pub mod night_sky;
mod random;
pub mod raw;
mod sensor;
mod texture;

use jade_pixels::PictureError;

pub use files::frame_name;

/// What can go wrong while a scene is made.
#[derive(Debug, thiserror::Error)]
pub enum SceneError {
    /// A picture could not be written.
    #[error(transparent)]
    Picture(#[from] PictureError),
    /// An option out of range.
    #[error("{0}")]
    Option(String),
    /// Stopped by the person.
    #[error("stopped")]
    Cancelled,
}
