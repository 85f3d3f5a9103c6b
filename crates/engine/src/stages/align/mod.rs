//! The align stage: the motion of each frame to the reference frame.

pub mod frames;
pub mod note;
pub mod sky_motion;
pub mod star_lists;
