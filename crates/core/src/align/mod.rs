//! Finding the motion of each frame against the reference frame.

pub mod background;
pub mod camera;
pub mod homography;
pub mod matching;
pub mod motion;
pub mod stars;
pub mod turning;

pub use motion::Motion;
pub use turning::{Alignment, align_stars};
