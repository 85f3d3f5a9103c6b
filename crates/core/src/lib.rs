//! The rules and the computation of stacking.
//!
//! A [`plan::Plan`] and frames go in, a picture and what was measured come out ([`engine::stack`]).
//! Nothing here knows of HTTP, a database, a clock or a screen; progress and cancellation come in
//! through [`progress::Watch`]. Arithmetic is in scene-linear light. Pixel positions: the centre of
//! the top-left pixel is (0, 0), x to the right, y down.

#![warn(missing_docs)]

pub mod align;
pub mod brush;
pub mod cache;
pub mod combine;
pub mod engine;
mod error;
pub mod export;
pub mod finish;
pub mod focus;
pub mod frames;
pub mod grid;
pub mod measure;
pub mod plan;
pub mod prepare;
pub mod progress;
pub mod report;
pub mod skyline;
mod statistics;

pub use error::CoreError;
