//! Why a scene could not be made, in sentences.

use jade_pixels::PictureError;

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
