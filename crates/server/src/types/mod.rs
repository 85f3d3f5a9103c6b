//! Types of the API. The document of the API and the TypeScript of the page are made from them.

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
pub use job::{Job, JobState, ShootResult, Task};
pub use picture::{Histogram, Measured, NewProbe, PictureInfo, Probe, SharpFrame};
pub use problem::{Problem, ProblemCode};
pub use proposal::{Check, Doubt, ProposedKind, ProposedReference, ProposedSet};
pub use set::{FrameSet, SetChange, Sort, SortFrames};
pub use shoot::{History, ListPlace, NewShoot, Shoot, ShootCard, ShootChange, ShootState};
