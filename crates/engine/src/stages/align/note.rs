//! What the align stage notes beside the frames.

use crate::stages::frames::gallery::Gallery;
use jade_align::Alignment;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame};
use serde::{Deserialize, Serialize};

/// What the align stage found, for all frames that were given.
#[derive(Serialize, Deserialize)]
pub struct AlignNote {
    pub reference: FrameIndex<Given>,
    pub alignment: Alignment<Given>,
    pub stars: PerFrame<Given, Option<StarFigures>>,
    /// Which frames could be read when it was noted.
    pub readable: PerFrame<Given, bool>,
}

impl AlignNote {
    /// Whether it was found in just those frames that can be read now, on the same reference frame.
    pub fn holds_for(&self, gallery: &Gallery, reference: FrameIndex<Given>) -> bool {
        self.reference == reference && self.readable == readable(gallery)
    }
}

/// Which frames can be read.
pub fn readable(gallery: &Gallery) -> PerFrame<Given, bool> {
    gallery.frames.iter().map(Result::is_ok).collect()
}

#[derive(Clone, Copy, Serialize, Deserialize)]
pub struct StarFigures {
    pub count: usize,
    pub width: Option<f32>,
    pub level: f32,
}
