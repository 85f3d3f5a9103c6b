//! The note of the align stage.

use crate::stages::frames::gallery::Gallery;
use jade_align::Alignment;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame};
use serde::{Deserialize, Serialize};

/// The result of the align stage, for all given frames.
#[derive(Serialize, Deserialize)]
pub struct AlignNote {
    pub reference: FrameIndex<Given>,
    pub alignment: Alignment<Given>,
    pub stars: PerFrame<Given, Option<StarFigures>>,
    /// Which frames could be read at that time.
    pub readable: PerFrame<Given, bool>,
}

impl AlignNote {
    /// Whether the same frames can be read now, and the reference frame is the same.
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
