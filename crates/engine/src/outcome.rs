//! What a run gives.

use jade_frames::cache::{Cache, Key, LayerKind};
use jade_plan::frame_index::{FrameIndex, Given};
use jade_plan::report::Report;
use std::path::PathBuf;

/// A finished run.
pub struct Outcome {
    /// Names the picture; the same plan on the same files gives the same key and bytes.
    pub key: Key,
    /// Names what was combined, with its maps and layers; the same where nothing was finished.
    pub combined: Key,
    /// The picture's tiled file: linear light, three channels.
    pub picture: PathBuf,
    /// Embedded profile of the reference frame; empty for plain sRGB.
    pub profile: Vec<u8>,
    /// Index of the reference frame.
    pub reference: FrameIndex<Given>,
    /// Figures; times and memory are left for the caller, who has the clock.
    pub report: Report,
}

impl Outcome {
    /// Where a layer of the picture is kept, if it was made of layers: finished, where it is.
    pub fn layer(&self, cache: &Cache, kind: LayerKind) -> PathBuf {
        let finished = cache.layer(&self.key, kind);
        if finished.exists() { finished } else { cache.layer(&self.combined, kind) }
    }
}
