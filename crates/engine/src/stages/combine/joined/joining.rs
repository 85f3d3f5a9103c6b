//! The last pass: sky and ground joined where they meet.

use super::blocks::{Block, tiles};
use super::join::Join;
use super::layers::Layers;
use super::squares::{GROUND, PASSING, SKY};
use crate::stages::combine::interleaved::interleaved;
use crate::stages::combine::used::UsedFrame;
use jade_combine::backdrop::Extended;
use jade_combine::join::{Joiner, Passing};
use jade_combine::normalise::Normalisation;
use jade_combine::reduce::{Placed, Reducer, Scratch};
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::{CombinePlan, Edges, Method};
use rayon::prelude::*;

/// Number of frames whose sky is restored where the stack leaves passing things out.
const PASSING_FRAMES: usize = 6;

/// Joins both layers near the skyline; with `only`, no more than that region of the picture needs.
/// `gaps` are the blocks in which the sky has pixels without light, which are filled at last.
///
/// # Errors
/// [`PictureError::Io`], [`PictureError::Cancelled`].
pub fn make(
    join: &Join,
    blocks: &[Block],
    layers: &Layers,
    gaps: &[Region],
    only: Option<Region>,
) -> Result<(), PictureError> {
    let squares = layers.squares();
    let [sky_backdrop, ground_backdrop, passing] =
        [SKY, GROUND, PASSING].map(|layer| squares.backdrop(layer));
    drop(squares);
    let (sky_layer, unaligned) = (layers.sky.so_far()?, layers.unaligned.so_far()?);
    let (origin, size) = (join.stack.origin().0, join.stack.size);
    let sky = Extended { layer: &sky_layer, origin, size, backdrop: &sky_backdrop };
    let motions = passing_motions(join);
    let backward: Vec<Motion> = motions.iter().map(|motion| motion.inverted()).collect();
    let moved = moved(join, &sky, &backward);
    let joiner = Joiner {
        mask: join.mask,
        sky: &sky,
        ground: &unaligned,
        passing: match &moved {
            Some(moved) => Passing::Moved(moved),
            None => Passing::Backdrop(&passing),
        },
        backdrop: &ground_backdrop,
    };
    let is_wanted = |block: &&Block| {
        block.is_near() && only.is_none_or(|only| only.shared_with(block.region).is_some())
    };
    let near = blocks.iter().filter(is_wanted).flat_map(|block| parts(&joiner, block.region));
    let near: Vec<Region> = near.collect();
    near.iter().par_bridge().try_for_each_init(Scratch::default, |scratch, part| {
        let joined = joiner.join(*part, scratch, &join.stop())?;
        layers.picture.write_region(*part, &joined.picture)?;
        layers.ground.write_region(*part, &joined.ground)
    })?;
    // The gaps of the sky are not read any more and can be filled.
    gaps.par_iter().try_for_each(|region| {
        layers.sky.write_region(*region, &interleaved(&sky.planes(join.there(*region).0)?))
    })
}

/// A block, or its tiles where these take less work.
fn parts(joiner: &Joiner, block: Region) -> Vec<Region> {
    let tiles = tiles(block);
    let apart: usize = tiles.iter().map(|tile| joiner.cost(*tile)).sum();
    if apart < joiner.cost(block) { tiles } else { vec![block] }
}

/// Motions of the frames whose sky passed behind the ground: of some frames spread over those of
/// the ground; none where the ground comes from other frames.
pub fn passing_motions<'a>(join: &'a Join) -> Vec<&'a Motion> {
    let shared = join.ground.shared(&join.stack.used);
    let spread = spread(join.ground.plan(join.request()).method, shared);
    spread.into_iter().map(|one: &UsedFrame| one.motion).collect()
}

/// Some values spread over all, where the method leaves passing things out; otherwise all of them.
fn spread<T: Copy>(method: Method, shared: Vec<T>) -> Vec<T> {
    if !matches!(method, Method::Median | Method::Clipped) || shared.len() <= PASSING_FRAMES {
        return shared;
    }
    let one = |k: usize| shared[k * (shared.len() - 1) / (PASSING_FRAMES - 1)];
    (0..PASSING_FRAMES).map(one).collect()
}

/// The sky that passed behind the ground in each frame of the unaligned stack, from the aligned
/// sky; `None` where the ground comes from other frames. `backward` are motions from the aligned
/// sky to those frames.
fn moved<'a>(join: &Join, sky: &'a Extended, backward: &'a [Motion]) -> Option<Reducer<'a>> {
    let placed = backward.iter().map(|motion| {
        let levels = [Normalisation::NONE; 3];
        Placed { light: sky as &dyn Light, motion, levels, weight: 1.0 }
    });
    let placed: Vec<Placed> = placed.collect();
    let plan = CombinePlan { edges: Edges::Fill, ..join.ground.plan(join.request()) };
    (!placed.is_empty()).then(|| Reducer::new(placed, &plan))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_passes_is_left_out_of_medians_of_a_few_frames_as_of_all() {
        let frames: Vec<usize> = (0..40).collect();
        let few = spread(Method::Median, frames.clone());
        assert_eq!((few.len(), few[0], few[PASSING_FRAMES - 1]), (PASSING_FRAMES, 0, 39));
        assert!(few.windows(2).all(|pair| pair[1] - pair[0] >= 7), "{few:?}");
        assert_eq!(spread(Method::Clipped, vec![3, 4, 9]), [3, 4, 9]);
        // In a mean every frame takes part.
        assert_eq!(spread(Method::Mean, frames.clone()), frames);
    }
}
