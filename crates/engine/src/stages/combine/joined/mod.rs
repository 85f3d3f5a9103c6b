//! The combine stage where sky and ground are kept apart: both layers, then the picture.
//!
//! Four passes over the blocks of the picture follow one another, as each reads what the one before
//! left: [`unaligned`] combines the frames as the camera stood, for the ground; [`standing`] takes
//! what stands before the sky out of it; [`sky`] combines the frames as the sky turned, without what
//! stands before it; [`joining`] joins both where they meet.

mod blocks;
mod join;
mod joining;
mod layers;
mod sky;
mod squares;
mod standing;
mod unaligned;

use crate::stages::combine::ground::Ground;
use crate::stages::combine::maps::RejectedShares;
use blocks::Block;
use jade_combine::mask::Mask;
use jade_optics::space::InReference;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TiledFile};
use jade_plan::CoreError;
use jade_plan::progress::Stage;
use jade_plan::report::SkylineReport;
pub use join::Join;
use layers::Layers;

/// Makes layers and picture; gives the picture, and the share of rejected samples of each used frame
/// where the method rejects.
///
/// # Errors
/// [`CoreError::Picture`], [`CoreError::Cancelled`].
pub fn write(join: &Join) -> Result<(TiledFile<f32>, RejectedShares), CoreError> {
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
