//! The third pass: frames combined as the sky turned, without what stands before it.

use super::blocks::{Block, tiles};
use super::join::Join;
use super::joining::passing_motions;
use super::layers::Layers;
use super::squares::{SKY, squares_of};
use crate::stages::combine::maps::Noted;
use jade_combine::join::MARGIN;
use jade_combine::mask::Side;
use jade_combine::reduce::{Placed, Reducer, Scratch};
use jade_combine::reduced::Reduced;
use jade_combine::visibility::{SkyVisibility, Unground};
use jade_optics::motion::Motion;
use jade_optics::space::{InFrame, InReference};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TiledFile};
use rayon::prelude::*;
use std::sync::Mutex;

/// Points along each side of a region by which it is seen where a motion takes it.
const POINTS: u32 = 9;
/// Pixels that a motion may bend between two of those points, and the kernel of resampling.
const BENT: f64 = 24.0;

/// Combines the sky wherever it is seen in any frame; with `only`, no more than that region of the
/// picture needs. Returns the blocks in which some pixels are not covered by any frame.
///
/// # Errors
/// [`PictureError::Io`], [`PictureError::Cancelled`].
pub fn make(
    join: &Join,
    blocks: &[Block],
    layers: &Layers,
    standing: Option<&TiledFile<f32>>,
    only: Option<Region>,
) -> Result<Vec<Region>, PictureError> {
    let request = join.request();
    let visible = SkyVisibility::of(join.mask, standing.is_some().then_some(join.stack.region.0));
    let order = join.stack.in_order();
    let (mask, origin) = (join.mask, join.stack.origin().0);
    let skies: Vec<Unground> = standing
        .iter()
        .flat_map(|before| order.iter().map(move |one| (one, before)))
        .map(|(one, before)| Unground { frame: one.placed().light, mask, before, origin })
        .collect();
    let frames = order.iter().enumerate().map(|(i, one)| match skies.get(i) {
        Some(sky) => Placed { light: sky, ..one.placed() },
        None => one.placed(),
    });
    let frames = Reducer::new(frames.collect(), &request.plan.combine);
    let frames = frames.of_clear_sky(&visible);
    let sees = |region: Region| {
        let there = join.there(region);
        mask.side(there) != Side::Ground || frames.sees(there)
    };
    // Ground is looked behind tile by tile, as most of its tiles show nothing of the sky.
    let parts = |block: &Block| match block.side {
        Side::Ground if !sees(block.region) => {
            request.watch.advance(block.count());
            vec![]
        }
        Side::Ground => {
            tiles(block.region).into_iter().map(|region| Block { region, ..*block }).collect()
        }
        _ => vec![*block],
    };
    let read = only.map(|only| read_for(join, blocks, only));
    let is_wanted = |block: &Block| {
        // Gaps are filled from the sky's light in all squares around them.
        block.side != Side::Sky
            || join.may_have_gaps()
            || read.as_ref().is_none_or(|read| {
                read.iter().any(|region| region.shared_with(block.region).is_some())
            })
    };
    let gaps: Mutex<Vec<Region>> = Mutex::default();
    let parts: Vec<Block> = blocks.iter().flat_map(parts).filter(is_wanted).collect();
    parts.iter().par_bridge().try_for_each_init(Scratch::default, |scratch, block| {
        let made = match sees(block.region) {
            true => Some(frames.reduce(join.there(block.region), scratch, &join.stop())?),
            false => None,
        };
        if made.as_ref().is_none_or(|made| made.coverage.contains(&0)) {
            gaps.lock().expect("no thread fails with the lock").push(block.region);
        }
        match made {
            Some(made) => keep(join, block, made, layers)?,
            None => {
                let nothing = vec![f32::NAN; block.region.area() * 3];
                layers.sky.write_region(block.region, &nothing)?;
            }
        }
        request.watch.advance(block.count());
        Ok::<(), PictureError>(())
    })?;
    Ok(gaps.into_inner().expect("no thread fails with the lock"))
}

/// The regions of the sky that are read to make a region of the picture: itself, what joining looks at
/// around it, and what passed behind it in the frames.
fn read_for(join: &Join, blocks: &[Block], only: Region) -> Vec<Region> {
    let near = blocks.iter().filter(|block| block.is_near());
    let near = near.filter_map(|block| only.shared_with(block.region).and(Some(block.region)));
    let near: Vec<Region> = near.map(|region| region.widened(2 * MARGIN, join.size())).collect();
    let motions = passing_motions(join);
    let passed = near
        .iter()
        .flat_map(|region| motions.iter().filter_map(|motion| taken_to(join, motion, *region)));
    passed.chain(near.iter().copied()).chain([only]).collect()
}

/// Where a motion takes a region of the result, at most; `None` where that is beyond the result.
fn taken_to(join: &Join, motion: &Motion, region: Region) -> Option<Region> {
    let there = join.there(region).0;
    let [left, top] = join.stack.origin().0.map(f64::from);
    let (width, height) = join.size();
    let (mut least, mut most) = ([f64::MAX; 2], [f64::MIN; 2]);
    for k in 0..POINTS * POINTS {
        let along = |from: u32, length: u32, k: u32| {
            f64::from(from) + f64::from(length) * f64::from(k) / f64::from(POINTS - 1)
        };
        let at =
            [along(there.x, there.width, k % POINTS), along(there.y, there.height, k / POINTS)];
        // Aligned, the sky that stood here in the frame lies there.
        let InReference([x, y]) = motion.to_reference(InFrame(at));
        for (axis, value) in [x - left, y - top].into_iter().enumerate() {
            least[axis] = least[axis].min(value - BENT);
            most[axis] = most[axis].max(value + BENT);
        }
    }
    let inside = |value: f64, size: u32| value.clamp(0.0, f64::from(size)) as u32;
    let [x, y] = [inside(least[0].floor(), width), inside(least[1].floor(), height)];
    let [right, bottom] = [inside(most[0].ceil(), width), inside(most[1].ceil(), height)];
    (x < right && y < bottom).then_some(Region { x, y, width: right - x, height: bottom - y })
}

/// Writes the sky of a block, to the picture where nothing is to be joined. Pixels that no frame covers
/// are no numbers.
fn keep(
    join: &Join,
    block: &Block,
    mut made: Reduced,
    layers: &Layers,
) -> Result<(), PictureError> {
    let Block { region, side } = *block;
    let shares = join.mask.region(join.there(region));
    let is_sky = |i: usize| shares[i] > 127;
    let noted = if side == Side::Sky { Noted::All } else { Noted::Some(&is_sky) };
    layers.maps.note_coverage(region, &noted, &made)?;
    layers.maps.note_rejected(region, &noted, &made)?;
    let gaps = made.coverage.contains(&0);
    if gaps || side == Side::Both {
        let covered = |i: usize| made.coverage.get(i).is_none_or(|n| *n > 0);
        let found = squares_of(region, &made.light, &covered);
        layers.squares().note(SKY, found);
    }
    if gaps {
        let pixels = made.light.as_chunks_mut::<3>().0.iter_mut().zip(&made.coverage);
        pixels.filter(|(_, n)| **n == 0).for_each(|(pixel, _)| *pixel = [f32::NAN; 3]);
    }
    layers.sky.write_region(region, &made.light)?;
    match side {
        Side::Sky => layers.picture.write_region(region, &made.light),
        _ => Ok(()),
    }
}
