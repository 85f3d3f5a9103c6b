//! Types of the API. Their TypeScript side is generated.

mod colour;
mod event;
mod export;
mod found;
mod frame;
mod job;
mod picture;
mod problem;
mod proposal;
mod set;
mod shoot;

pub use colour::{FrameColour, FrameLight, Grey};
pub use event::Event;
pub use export::{Export, ExportFormat, NewExport};
pub use found::{HandFound, HandTry, LensFrom, LensWish, SkylineSeen};
pub use frame::{AddFolder, Added, Folder, FolderEntry, Frame, FramesChange, Role, Watched};
pub use job::{Job, JobState, ShootResult};
pub use picture::{Histogram, Measured, NewProbe, PictureInfo, Probe, SharpFrame};
pub use problem::Problem;
pub use proposal::{Check, Doubt, ProposedKind, ProposedReference, ProposedSet};
pub use set::{FrameSet, SetChange, Sort, SortFrames};
pub use shoot::{NewShoot, Shoot, ShootCard, ShootChange, ShootState};
