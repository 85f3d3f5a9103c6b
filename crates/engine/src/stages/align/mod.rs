//! The align stage: where each frame lies on the reference frame.

pub mod frames;
pub mod note;
pub mod sky_motion;
pub mod star_lists;
