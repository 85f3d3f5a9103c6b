//! Frames that go into a result.

use jade_combine::normalise::Normalisation;
use jade_combine::reduce::Placed;
use jade_frames::Frame;
use jade_optics::motion::Motion;
use jade_pixels::tiled::SIDE;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame, Used};

/// Width and height of the blocks that are reduced at a time, in pixels: whole tiles, and large
/// enough that little is read twice.
pub const BLOCK: [u32; 2] = [4 * SIDE, 2 * SIDE];

/// A frame that goes into the result.
pub struct UsedFrame<'a> {
    /// Its index among the given frames.
    pub index: FrameIndex<Given>,
    pub frame: &'a Frame,
    pub motion: &'a Motion,
    pub levels: [Normalisation; 3],
    pub weight: f32,
}

impl<'a> UsedFrame<'a> {
    pub fn placed(&self) -> Placed<'a> {
        let Self { frame, motion, levels, weight, .. } = *self;
        Placed { light: frame, motion, levels, weight }
    }

    /// The same with the frame decoded elsewhere.
    pub fn placed_as<'b>(&'b self, frame: &'b Frame) -> Placed<'b> {
        Placed { light: frame, ..self.placed() }
    }
}

/// The reference frame, then the others in order.
pub fn reference_first<'a, 'b>(
    used: &'b PerFrame<Used, UsedFrame<'a>>,
    reference: FrameIndex<Given>,
) -> Vec<&'b UsedFrame<'a>> {
    let mut order: Vec<&UsedFrame> = used.iter().collect();
    order.sort_by_key(|one| one.index != reference);
    order
}
