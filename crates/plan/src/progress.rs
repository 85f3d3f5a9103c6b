//! How a run reports its progress and learns that it should stop.

use serde::{Deserialize, Serialize};

/// The stages of a run, in order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Stage {
    /// Makes what the frames are calibrated with; counted in frames.
    Prepare,
    /// Decodes the frames; counted in frames.
    Frames,
    /// Finds each frame's motion; counted in frames.
    Align,
    /// Finds the skyline; counted in steps.
    Skyline,
    /// Combines or merges the frames; counted in tiles.
    Combine,
    /// Changes the picture afterwards; counted in parts of it.
    Finish,
    /// Writes files for other programs; counted in rows of the picture.
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
    /// Announces that a stage begins, with the number of steps that it takes.
    fn begin(&self, stage: Stage, total: u64);
    /// Announces that some steps of the current stage are done.
    fn advance(&self, steps: u64);
    /// Whether the run should stop; asked between small pieces of work.
    fn cancelled(&self) -> bool;
}

/// Ignores progress and never stops the run.
pub struct Unwatched;

impl Watch for Unwatched {
    fn begin(&self, _: Stage, _: u64) {}
    fn advance(&self, _: u64) {}
    fn cancelled(&self) -> bool {
        false
    }
}
