//! The combine stage where sky and ground are kept apart: both layers, then the picture.
//!
//! Four passes over the blocks of the picture follow one another, as each reads what the one before
//! left: [`unaligned`] combines the frames as the camera stood, for the ground; [`standing`] takes
//! what stands before the sky out of it; [`sky`] combines the frames as the sky turned, without what
//! stands before it; [`joining`] joins both where they meet.

mod blocks;
mod joining;
mod layers;
mod sky;
mod squares;
mod standing;
mod unaligned;

use crate::request::Request;
use crate::stages::combine::ground::Ground;
use crate::stages::combine::stack::Stack;
use crate::stages::combine::used::UsedFrame;
use blocks::{Block, blocks};
use jade_combine::join::MARGIN;
use jade_combine::mask::{Mask, Side};
use jade_combine::normalise::Normalisation;
use jade_combine::reduce::Placed;
use jade_frames::cache::Key;
use jade_optics::space::InReference;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TiledFile};
use jade_plan::frame_index::{PerFrame, Used};
use jade_plan::progress::Stage;
use jade_plan::report::SkylineReport;
use jade_plan::{CoreError, Edges};
use layers::Layers;

/// What sky and ground are combined and joined from.
pub struct Join<'a> {
    pub stack: &'a Stack<'a>,
    pub key: &'a Key,
    pub ground: &'a Ground,
    /// The mask of the reference frame.
    pub mask: &'a Mask,
}

/// Makes layers and picture; gives the picture, and the share of rejected samples of each used frame
/// where the method rejects.
///
/// # Errors
/// [`CoreError::Picture`], [`CoreError::Cancelled`].
pub fn write(join: &Join) -> Result<(TiledFile<f32>, Option<PerFrame<Used, f32>>), CoreError> {
    let layers = Layers::create(join)?;
    passes(join, &layers, None)?;
    layers.finish(join)
}

/// The light of a region of the picture that [`write()`] makes, three channels interleaved. Beside the
/// region only what is needed of both layers near the skyline is made.
///
/// # Errors
/// [`CoreError::Picture`], [`CoreError::Cancelled`].
pub fn region(join: &Join, region: Region) -> Result<Vec<f32>, CoreError> {
    // Files that are never finished never get a name.
    let layers = Layers::create(join)?;
    passes(join, &layers, Some(region))?;
    Ok(layers.picture.so_far()?.read_region(region)?)
}

/// What is said of a mask and the ground behind it.
pub fn report(ground: &Ground, mask: &Mask, region: InReference<Region>) -> SkylineReport {
    SkylineReport {
        sky: mask.sky(region),
        ground_frames: ground.count() as u32,
        ground_noise: None,
        ground_gain: ground.gain,
        left_out: ground.left_out.clone(),
    }
}

/// Makes the picture and its layers, or what a region of the picture needs of them.
fn passes(join: &Join, layers: &Layers, only: Option<Region>) -> Result<(), PictureError> {
    let blocks = join.blocks();
    let count = blocks.iter().map(Block::count).sum::<u64>();
    join.request().watch.begin(Stage::Combine, 2 * count);
    unaligned::make(join, &blocks, layers, only)?;
    let standing = standing::make(join, &blocks, layers)?;
    let gaps = sky::make(join, &blocks, layers, standing.as_ref(), only)?;
    joining::make(join, &blocks, layers, &gaps, only)
}

impl Join<'_> {
    fn request(&self) -> &Request<'_> {
        self.stack.request
    }

    /// Size of the result, in pixels.
    fn size(&self) -> (u32, u32) {
        self.stack.result_size()
    }

    /// Where a region of the result is in the reference frame.
    fn there(&self, region: Region) -> InReference<Region> {
        self.stack.there(region)
    }

    /// What the mask shows in a region of the result and around it, as far as joining looks.
    fn around(&self, own: Region) -> Side {
        let InReference(there) = self.there(own);
        self.mask.side(InReference(there.widened(2 * MARGIN, self.stack.size)))
    }

    fn blocks(&self) -> Vec<Block> {
        blocks(self.size(), &|region| self.around(region))
    }

    /// Whether what stands still can be taken off frames before they are aligned. It cannot where the
    /// lens drew it elsewhere, or with another brightness: both are only put right on the way.
    fn takes_off(&self) -> bool {
        let plain = |one: &UsedFrame| {
            let Placed { light, levels, .. } = one.placed();
            light.lens().is_none() && levels == [Normalisation::NONE; 3]
        };
        self.stack.used.iter().all(plain)
    }

    /// Whether the result may have pixels that no frame covers.
    fn may_have_gaps(&self) -> bool {
        self.request().plan.combine.edges != Edges::Trim
    }

    fn stop(&self) -> impl Fn() -> bool + Sync {
        || self.request().watch.cancelled()
    }
}
