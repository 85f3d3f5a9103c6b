//! The input of a run.

use crate::memory::Budget;
use jade_frames::FrameInput;
use jade_frames::cache::Cache;
use jade_plan::frame_index::{FrameIndex, Given};
use jade_plan::progress::Watch;
use jade_plan::{FrameId, Plan, SkylineMode};
use std::path::Path;

/// The input of a run: what to stack, and how.
pub struct Request<'a> {
    /// The frames, in order.
    pub frames: &'a [FrameInput],
    /// The reference frame; `None` takes the middle one of those that can be read.
    pub reference: Option<FrameIndex<Given>>,
    /// The settings.
    pub plan: &'a Plan,
    /// The folder for products of stages, and for scratch files.
    pub cache: &'a Cache,
    /// Bounds of memory and threads.
    pub budget: Budget,
    /// Whether the cache is for this run alone. Frames that are not in it may then be decoded
    /// without putting them there, where the plan or the memory allow it, and the picture need not
    /// be on the disk before the run ends. The result is the same.
    pub stream: bool,
    /// Files for the skyline.
    pub skyline_inputs: SkylineInputs<'a>,
    /// Gets progress, and may stop the run.
    pub watch: &'a dyn Watch,
}

impl Request<'_> {
    /// A given frame.
    pub(crate) fn frame(&self, index: FrameIndex<Given>) -> &FrameInput {
        &self.frames[index.number()]
    }

    /// The given frame with an id, if there is one.
    pub(crate) fn find(&self, id: &FrameId) -> Option<FrameIndex<Given>> {
        self.frames.iter().position(|input| input.id == *id).map(FrameIndex::new)
    }
}

/// Files that the skyline's settings refer to.
#[derive(Clone, Copy, Default)]
pub struct SkylineInputs<'a> {
    /// The mask, where one was loaded.
    pub mask: Option<&'a Path>,
    /// Frames of the ground set, or the finished picture, where the ground comes from them.
    pub ground: &'a [FrameInput],
}

/// The mask file, where the plan uses one and it is available.
pub(crate) fn loaded_mask<'a>(request: &Request<'a>) -> Option<&'a Path> {
    request.skyline_inputs.mask.filter(|_| request.plan.skyline.mode == SkylineMode::Mask)
}
