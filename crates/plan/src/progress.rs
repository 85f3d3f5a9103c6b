//! How a run tells where it is and hears that it should stop.

use serde::{Deserialize, Serialize};

/// The stages of a run, in order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum Stage {
    /// Making what the frames are calibrated with; counted in frames.
    Prepare,
    /// Decoding the frames; counted in frames.
    Frames,
    /// Finding each frame's motion; counted in frames.
    Align,
    /// Telling sky and ground apart; counted in steps.
    Skyline,
    /// Many frames to one; counted in tiles.
    Combine,
    /// What is done to the picture after combining; counted in parts of it.
    Finish,
    /// Writing files for elsewhere; counted in rows of the picture.
    Export,
}

impl Stage {
    /// The stage's name in reports and routes.
    pub fn name(self) -> &'static str {
        match self {
            Self::Prepare => "prepare",
            Self::Frames => "frames",
            Self::Align => "align",
            Self::Skyline => "skyline",
            Self::Combine => "combine",
            Self::Finish => "finish",
            Self::Export => "export",
        }
    }
}

/// Follows a run. Called from many threads.
pub trait Watch: Sync {
    /// A stage begins, with the number of steps it will take.
    fn begin(&self, stage: Stage, total: u64);
    /// Some steps of the stage that began last are done.
    fn advance(&self, steps: u64);
    /// Whether the run should stop; asked between small pieces of work.
    fn cancelled(&self) -> bool;
}

/// Follows nothing and never stops.
pub struct Unwatched;

impl Watch for Unwatched {
    fn begin(&self, _: Stage, _: u64) {}
    fn advance(&self, _: u64) {}
    fn cancelled(&self) -> bool {
        false
    }
}
