//! The first pass: frames combined as the camera stood. It makes the ground, and near the skyline what
//! sky and ground together look like there.

use super::blocks::Block;
use super::join::Join;
use super::layers::Layers;
use super::squares::{GROUND, PASSING, STILL_SKY, squares_of};
use crate::stages::combine::maps::Noted;
use jade_combine::isolated;
use jade_combine::mask::Side;
use jade_combine::reduce::{Placed, Reducer, Scratch};
use jade_combine::reduced::Reduced;
use jade_optics::motion::Motion;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::{CombinePlan, Edges, GroundFrom};
use rayon::prelude::*;

static STILL: Motion = Motion::Still;

/// Combines the ground's frames wherever there is ground or it is near; with `only`, away from the
/// skyline no more than that region.
///
/// # Errors
/// [`PictureError::Io`], [`PictureError::Cancelled`].
pub fn make(
    join: &Join,
    blocks: &[Block],
    layers: &Layers,
    only: Option<Region>,
) -> Result<(), PictureError> {
    let plan = join.ground.plan(join.request());
    let frames = Reducer::new(join.ground.placed(&join.stack.used), &plan);
    let still_frames = layers.still.is_some().then(|| still_frames(join));
    // A finished picture is taken as it is.
    let has_flaws = !matches!(join.request().plan.skyline.ground.from, GroundFrom::Picture(_));
    let is_wanted = |block: &&Block| {
        block.is_near() || only.is_none_or(|only| only.shared_with(block.region).is_some())
    };
    blocks.iter().filter(is_wanted).par_bridge().try_for_each_init(
        Scratch::default,
        |scratch, block| {
            let there = join.there(block.region);
            if let (Some(frames), true) = (&still_frames, block.is_near()) {
                keep_still(join, block, &frames.reduce(there, scratch, &join.stop())?, layers)?;
            }
            if block.side != Side::Sky {
                let mut made = frames.reduce(there, scratch, &join.stop())?;
                if has_flaws {
                    isolated::mend(&mut made.light, block.region.width as usize);
                }
                keep(join, block, &made, layers)?;
            }
            join.request().watch.advance(block.count());
            Ok(())
        },
    )
}

/// The frames of the sky as the camera stood.
fn still_frames<'a>(join: &'a Join) -> Reducer<'a> {
    let still = join.stack.used.iter().map(|one| Placed { motion: &STILL, ..one.placed() });
    let method = join.request().plan.skyline.ground.method;
    let plan = CombinePlan { method, edges: Edges::Fill, ..join.request().plan.combine.clone() };
    Reducer::new(still.collect(), &plan)
}

/// Writes the unaligned stack of a block, to the picture where nothing is to be joined.
fn keep(join: &Join, block: &Block, made: &Reduced, layers: &Layers) -> Result<(), PictureError> {
    let Block { region, side } = *block;
    let shares = join.mask.region(join.there(region));
    let is_ground = |i: usize| shares[i] < 128;
    let noted = if side == Side::Ground { Noted::All } else { Noted::Some(&is_ground) };
    layers.maps.note_coverage(region, &noted, made)?;
    if join.ground.is_shared() {
        // The map can name no frames but those of the sky.
        layers.maps.note_rejected(region, &noted, made)?;
    }
    if side == Side::Ground {
        layers.picture.write_region(region, &made.light)?;
        return layers.ground.write_region(region, &made.light);
    }
    let firm = squares_of(region, &made.light, &|i| shares[i] == 0);
    let passing = squares_of(region, &made.light, &|i| shares[i] == 255);
    let mut squares = layers.squares();
    squares.note(GROUND, firm);
    squares.note(PASSING, passing);
    drop(squares);
    layers.unaligned.write_region(region, &made.light)
}

/// Writes what stands still in the frames of the sky.
fn keep_still(
    join: &Join,
    block: &Block,
    made: &Reduced,
    layers: &Layers,
) -> Result<(), PictureError> {
    let shares = join.mask.region(join.there(block.region));
    let sky = squares_of(block.region, &made.light, &|i| shares[i] == 255);
    layers.squares().note(STILL_SKY, sky);
    layers.still().write_region(block.region, &made.light)
}
