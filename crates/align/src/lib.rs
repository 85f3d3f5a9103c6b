//! The motion of each frame against the reference frame, from its stars, from the whole scene, or
//! from pairs set by hand; and measurements of stars, detail and noise.

mod alignment;
pub mod background;
pub mod camera;
pub mod hand;
pub mod matching;
pub mod noise;
pub mod scene;
pub mod sharpness;
pub mod star_registration;
pub mod stars;

pub use alignment::{Aligned, Alignment};
pub use star_registration::{align_again, align_stars};
