//! What every crate computes with: statistics, grids and brush geometry; the geometry of cameras,
//! lenses and motions; light and its resampling.
//!
//! Pixel positions: the centre of the top-left pixel is (0, 0), x to the right, y down. [`space`]
//! has types for whose pixels they are.

pub mod brush;
pub mod camera;
pub mod combined;
pub mod drawn;
pub mod grid;
pub mod homography;
mod kernel;
pub mod lens;
pub mod light;
pub mod motion;
pub mod resample;
pub mod space;
pub mod star;
pub mod statistics;
