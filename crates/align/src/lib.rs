//! The motion of each frame against the reference frame: by the stars, by the whole scene, by pairs of
//! places set by hand; and what is measured of stars, detail and noise on the way.

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
