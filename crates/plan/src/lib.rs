//! Settings of every step and kind with their ranges, and the reports of runs.
//!
//! Nothing is computed here beyond checking ranges. Every value has a JSON form.

mod align;
mod brief;
mod combine;
mod error;
mod finish;
mod focus;
mod frame_id;
pub mod frame_index;
mod frame_role;
pub mod kind;
mod lens;
mod plan;
mod prepare;
pub mod progress;
mod record;
pub mod report;
mod skyline;
mod valid;

pub use align::{AlignMode, AlignPlan, HandPairs, SceneModel};
pub use brief::in_brief;
pub use combine::{CombinePlan, Edges, Method};
pub use error::CoreError;
pub use finish::FinishPlan;
pub use focus::{FocusPlan, MergeMethod, Patch, PatchFrom};
pub use frame_id::FrameId;
pub use frame_index::{FrameIndex, PerFrame};
pub use frame_role::FrameRole;
pub use kind::{KINDS, Kind, KindRules, PictureChange, PictureSource, Step};
pub use lens::LensPlan;
pub use plan::Plan;
pub use prepare::{
    Demosaic, Denoise, FrameDifference, Highlights, PrepareChange, PreparePlan, Repair,
    WhiteBalance,
};
pub use record::{PlanCalibration, PlanFrame, PlanRecord};
pub use skyline::{
    GroundFrom, GroundPlan, MOST_PX, NamedFile, Paint, SkylineMode, SkylinePlan, Stroke,
};
