//! What sky and ground are combined and joined from.

use super::blocks::{Block, blocks};
use crate::request::Request;
use crate::stages::combine::ground::Ground;
use crate::stages::combine::stack::Stack;
use crate::stages::combine::used::UsedFrame;
use jade_combine::join::MARGIN;
use jade_combine::mask::{Mask, Side};
use jade_combine::normalise::Normalisation;
use jade_combine::reduce::Placed;
use jade_frames::cache::Key;
use jade_optics::space::InReference;
use jade_pixels::tiled::Region;
use jade_plan::Edges;

/// What sky and ground are combined and joined from.
pub struct Join<'a> {
    pub stack: &'a Stack<'a>,
    pub key: &'a Key,
    pub ground: &'a Ground,
    /// The mask of the reference frame.
    pub mask: &'a Mask,
}

impl Join<'_> {
    pub fn request(&self) -> &Request<'_> {
        self.stack.request
    }

    /// Size of the result, in pixels.
    pub fn size(&self) -> (u32, u32) {
        self.stack.result_size()
    }

    /// Where a region of the result is in the reference frame.
    pub fn there(&self, region: Region) -> InReference<Region> {
        self.stack.there(region)
    }

    /// What the mask shows in a region of the result and around it, as far as joining looks.
    pub fn around(&self, region: Region) -> Side {
        let InReference(there) = self.there(region);
        self.mask.side(InReference(there.widened(2 * MARGIN, self.stack.size)))
    }

    pub fn blocks(&self) -> Vec<Block> {
        blocks(self.size(), &|region| self.around(region))
    }

    /// Whether what stands still can be taken off frames before they are aligned. It cannot where the
    /// lens drew it elsewhere, or with another brightness: both are only put right on the way.
    pub fn takes_off(&self) -> bool {
        let plain = |one: &UsedFrame| {
            let Placed { light, levels, .. } = one.placed();
            light.lens().is_none() && levels == [Normalisation::NONE; 3]
        };
        self.stack.used.iter().all(plain)
    }

    /// Whether the result may have pixels that no frame covers.
    pub fn may_have_gaps(&self) -> bool {
        self.request().plan.combine.edges != Edges::Trim
    }

    pub fn stop(&self) -> impl Fn() -> bool + Sync {
        || self.request().watch.cancelled()
    }
}
