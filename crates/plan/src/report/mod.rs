//! Reports of runs. Each stage has figures of its own, in a file of its own here.

mod combine;
mod finish;
mod frame;
mod frames;
mod merge;
mod skyline;
mod stage;
mod whole;

pub use combine::{CombineReport, NoiseGain, NoisePoint};
pub use finish::FinishReport;
pub use frame::FrameReport;
pub use frames::ExposureReport;
pub use merge::{FocusReport, FocusStep, MovedPlace};
pub use skyline::SkylineReport;
pub use stage::{Figures, StageReport, StageTime};
pub use whole::Report;
