//! Finding the motion of each frame against the reference frame.

mod alignment;
pub mod background;
pub mod camera;
pub mod hand;
pub mod homography;
pub mod matching;
pub mod motion;
pub mod scene;
pub mod stars;
pub mod turning;

pub use alignment::{Aligned, Alignment};
pub use motion::Motion;
pub use turning::{align_again, align_stars};
