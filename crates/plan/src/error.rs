//! Reasons why a run gave no result.

use jade_pixels::PictureError;

/// Why a run gave no result. Every message is one sentence for a person.
#[derive(Debug, thiserror::Error)]
pub enum CoreError {
    /// A picture file could not be read or written.
    #[error(transparent)]
    Picture(PictureError),
    /// Too few frames were usable.
    #[error("{0}")]
    Frames(String),
    /// The reference frame cannot be read.
    #[error("The reference frame cannot be read: {0}")]
    Reference(String),
    /// A setting has a value that it cannot have.
    #[error("{sentence}")]
    Value {
        /// The setting by its place in the plan: `prepare.gain_ev`.
        setting: &'static str,
        /// What is wrong and what to do.
        sentence: String,
    },
    /// A setting cannot be carried out.
    #[error("{0}")]
    Setting(String),
    /// The disk has no room for the scratch files.
    #[error(
        "{folder}: the run needs {need_mib} MiB of scratch space and {reserve_mib} MiB that stay free, and {free_mib} MiB are free; make room on that disk, or choose a folder on another one."
    )]
    Scratch {
        /// Where the scratch files would go.
        folder: String,
        /// Needed, in MiB.
        need_mib: u64,
        /// What must stay free, in MiB.
        reserve_mib: u64,
        /// Free, in MiB.
        free_mib: u64,
    },
    /// Stopped by the person.
    #[error("The run was stopped.")]
    Cancelled,
}

impl CoreError {
    /// That a setting, by its place in the plan, has a value that it cannot have.
    pub(crate) fn value(setting: &'static str, sentence: impl Into<String>) -> Self {
        Self::Value { setting, sentence: sentence.into() }
    }
}

impl From<PictureError> for CoreError {
    fn from(error: PictureError) -> Self {
        match error {
            PictureError::Cancelled => Self::Cancelled,
            error => Self::Picture(error),
        }
    }
}
