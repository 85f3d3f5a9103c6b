//! The stages of a run. Frames are decoded and aligned, a skyline is found where one is asked for, and a
//! source makes the picture of them; changes then go on from it. Each stage is kept in the cache under a
//! key of all that it depends on, and is made only where nothing lies there.

pub mod align;
mod change;
mod combine;
mod finish;
mod frame_report;
pub mod frames;
pub mod merge;
mod note;
mod paint;
pub mod skyline;
mod source;

pub use change::Change;
pub use source::{Source, made};

use combine::stage::Combine;
use finish::Finish;
use jade_plan::{PictureChange, PictureSource};
use merge::stage::Merge;
use paint::Paint;

/// What carries out a stage that makes a picture.
pub fn source(stage: PictureSource) -> &'static dyn Source {
    match stage {
        PictureSource::Combine => &Combine,
        PictureSource::Merge => &Merge,
    }
}

/// What carries out a stage that goes on from a picture.
pub fn change(stage: PictureChange) -> &'static dyn Change {
    match stage {
        PictureChange::Paint => &Paint,
        PictureChange::Finish => &Finish,
    }
}
