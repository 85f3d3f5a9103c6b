//! Frames whose files cannot be opened at the moment, as when their card was taken out.
//!
//! Products of stages are named by the frames that they were made of. A frame that is gone gets
//! another name, so that what is made without it is never taken for what is made with it.

use crate::request::{Request, SkylineInputs};
use jade_frames::FrameInput;
use jade_pixels::regular;
use rayon::prelude::*;

/// The frames of a run; those that are gone have names that say so.
pub struct Present {
    frames: Vec<FrameInput>,
    ground: Vec<FrameInput>,
    gone: Vec<bool>,
}

impl Present {
    /// Checks which files can be opened.
    pub fn of(request: &Request) -> Self {
        let (frames, gone) = marked(request.frames);
        let (ground, ground_gone) = marked(request.skyline_inputs.ground);
        Self { frames, ground, gone: [gone, ground_gone].concat() }
    }

    /// The run with these frames.
    pub fn request<'a>(&'a self, request: &Request<'a>) -> Request<'a> {
        let skyline_inputs = SkylineInputs { ground: &self.ground, ..request.skyline_inputs };
        Request { frames: &self.frames, skyline_inputs, ..*request }
    }

    /// Whether the same files are gone.
    pub fn is_as(&self, other: &Self) -> bool {
        self.gone == other.gone
    }
}

fn marked(frames: &[FrameInput]) -> (Vec<FrameInput>, Vec<bool>) {
    let mark = |input: &FrameInput| {
        let gone = regular::check(&input.path).and_then(|()| input.unchanged()).is_err();
        let id = if gone { input.id.gone() } else { input.id.clone() };
        (FrameInput { id, ..input.clone() }, gone)
    };
    frames.par_iter().map(mark).unzip()
}
