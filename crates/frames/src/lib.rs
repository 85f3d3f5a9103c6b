//! Frames as the later steps read them: decoded samples in a tiled file, in memory or in their own
//! file, developed and calibrated, and converted to linear light when they are read; and the cache
//! of everything that can be made again.

mod averaging;
mod band;
pub mod cache;
mod calibrating;
pub mod calibration;
pub mod calibration_match;
pub mod colour;
mod content;
mod decoding;
mod defect_search;
mod defects;
pub mod demosaic;
pub mod denoise;
pub mod exposure;
mod frame;
mod input;
pub mod lens;
pub mod light_codes;
mod master;
mod photosites;
pub mod recorded;
mod samples;
pub mod shape;
mod smooth;
mod treated;

pub use band::{develop, developing_bytes};
pub use calibrating::CalibrationFrames;
pub use content::{FileState, content_hash};
pub use decoding::Decoding;
pub use frame::{Frame, in_place};
pub use input::FrameInput;
pub use treated::TreatedLight;
