//! Why nothing was made on a reference frame.

use jade_pixels::PictureError;
use jade_plan::CoreError;

/// Why nothing was made on a reference frame.
pub enum NotMade {
    /// The reference frame turned out not to be readable, for this reason. Another frame can take its
    /// place where nobody chose this one.
    ReferenceLost(String),
    /// Something that another reference frame does not mend.
    Failed(CoreError),
}

impl From<CoreError> for NotMade {
    fn from(error: CoreError) -> Self {
        Self::Failed(error)
    }
}

impl From<PictureError> for NotMade {
    fn from(error: PictureError) -> Self {
        Self::Failed(error.into())
    }
}

impl From<NotMade> for CoreError {
    fn from(not: NotMade) -> Self {
        match not {
            NotMade::ReferenceLost(reason) => Self::Reference(reason),
            NotMade::Failed(error) => error,
        }
    }
}
