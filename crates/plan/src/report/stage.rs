//! What a report says of one stage.

use super::combine::CombineReport;
use super::finish::FinishReport;
use super::frames::ExposureReport;
use super::merge::FocusReport;
use super::skyline::SkylineReport;
use jade_optics::camera::Lens;
use serde::{Deserialize, Serialize};

/// Time that a stage took.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StageTime {
    /// The stage's name, of [`crate::progress::Stage`].
    pub name: String,
    /// Seconds.
    pub seconds: f64,
}

/// The report of one stage.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StageReport {
    /// Seconds that it took; `None` where its product came from the cache.
    pub seconds: Option<f64>,
    /// Its name and figures.
    #[serde(flatten)]
    pub figures: Figures,
}

/// The figures of a stage, by the stage's name; in the order in which stages run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "stage", rename_all = "lowercase")]
pub enum Figures {
    /// Calibration was made.
    Prepare,
    /// Frames were decoded.
    Frames {
        /// Exposure times of the frames, where all of them are known.
        exposures: Option<ExposureReport>,
    },
    /// Frames were aligned.
    Align {
        /// The lens that was found, where the camera model was used.
        lens: Option<Lens>,
    },
    /// Sky and ground were kept apart.
    Skyline(SkylineReport),
    /// Frames were combined.
    Combine(CombineReport),
    /// A focus sweep was merged.
    Merge(FocusReport),
    /// Patches were painted into the picture.
    Paint,
    /// The picture was finished.
    Finish(FinishReport),
    /// Files were written.
    Export,
}

impl Figures {
    /// Place of the stage in the order in which stages run.
    pub(super) fn place(&self) -> usize {
        match self {
            Self::Prepare => 0,
            Self::Frames { .. } => 1,
            Self::Align { .. } => 2,
            Self::Skyline(_) => 3,
            Self::Combine(_) => 4,
            Self::Merge(_) => 5,
            Self::Paint => 6,
            Self::Finish(_) => 7,
            Self::Export => 8,
        }
    }

    /// Whether the time of a stage with this name is that of these figures: merging is timed as
    /// combining, and painting as finishing.
    pub(super) fn is_timed_as(&self, name: &str) -> bool {
        match self {
            Self::Prepare => name == "prepare",
            Self::Frames { .. } => name == "frames",
            Self::Align { .. } => name == "align",
            Self::Skyline(_) => name == "skyline",
            Self::Combine(_) | Self::Merge(_) => name == "combine",
            Self::Paint | Self::Finish(_) => name == "finish",
            Self::Export => name == "export",
        }
    }

    /// The figures of a stage that has none beside its time.
    pub(super) fn none(name: &str) -> Option<Self> {
        match name {
            "prepare" => Some(Self::Prepare),
            "frames" => Some(Self::Frames { exposures: None }),
            "align" => Some(Self::Align { lens: None }),
            "export" => Some(Self::Export),
            _ => None,
        }
    }
}
