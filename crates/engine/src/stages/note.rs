//! What is noted beside a picture.

use crate::outcome::Outcome;
use jade_frames::cache::Key;
use jade_plan::frame_index::{FrameIndex, Given};
use jade_plan::report::Report;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// What a source notes beside its picture.
#[derive(Serialize, Deserialize)]
pub struct PictureNote {
    pub reference: FrameIndex<Given>,
    pub profile: Vec<u8>,
    pub report: Report,
}

impl PictureNote {
    pub fn outcome(self, key: Key, picture: PathBuf) -> Outcome {
        let Self { reference, profile, report } = self;
        Outcome { combined: key.clone(), key, picture, profile, reference, report }
    }
}
