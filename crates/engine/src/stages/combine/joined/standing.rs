//! The second pass: what stands before the sky, without which each frame shows the sky alone.

use super::blocks::Block;
use super::join::Join;
use super::layers::Layers;
use super::squares::{PASSING, STILL_SKY};
use jade_combine::mask::Side;
use jade_combine::visibility;
use jade_pixels::PictureError;
use jade_pixels::tiled::TiledFile;
use rayon::prelude::*;

/// Makes what stands before the sky near the skyline; `None` where it cannot be taken off frames.
///
/// # Errors
/// [`PictureError::Io`].
pub fn make(
    join: &Join,
    blocks: &[Block],
    layers: &Layers,
) -> Result<Option<TiledFile<f32>>, PictureError> {
    let Some(writer) = &layers.before else { return Ok(None) };
    let still = layers.still().so_far()?;
    let layer = if layers.still.is_some() { STILL_SKY } else { PASSING };
    let sky = layers.squares().backdrop(layer);
    let near = blocks.par_iter().filter(|block| block.is_near());
    near.filter(|block| join.mask.side(join.there(block.region)) != Side::Sky).try_for_each(
        |block| {
            let shares = join.mask.region(join.there(block.region));
            let light = still.read_region(block.region)?;
            let standing = visibility::standing(&shares, light, block.region, &sky);
            writer.write_region(block.region, &standing)
        },
    )?;
    Ok(Some(writer.so_far()?))
}
