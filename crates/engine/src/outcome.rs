//! The result of a run.

use jade_frames::cache::{Cache, Key, LayerKind};
use jade_plan::frame_index::{FrameIndex, Given};
use jade_plan::report::Report;
use std::path::PathBuf;

/// The result of a run.
pub struct Outcome {
    /// Names the picture; the same plan on the same files gives the same key and bytes.
    pub key: Key,
    /// Names the picture before changes, with its maps and layers; equal to `key` where nothing was
    /// changed.
    pub combined: Key,
    /// The picture's tiled file: linear light, three channels.
    pub picture: PathBuf,
    /// Embedded profile of the reference frame; empty for plain sRGB.
    pub profile: Vec<u8>,
    /// Index of the reference frame.
    pub reference: FrameIndex<Given>,
    /// Figures. Times and memory are added by the caller, who has the clock.
    pub report: Report,
}

impl Outcome {
    /// The file of a layer of the picture: of the finished layer, where there is one.
    pub fn layer(&self, cache: &Cache, kind: LayerKind) -> PathBuf {
        let finished = cache.layer(&self.key, kind);
        if finished.exists() { finished } else { cache.layer(&self.combined, kind) }
    }
}
