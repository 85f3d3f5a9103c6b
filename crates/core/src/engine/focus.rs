//! A focus sweep to one picture that is sharp from front to back.

use super::gallery::Decoded;
use super::sweep::{SweepFound, ordered};
use super::{Budget, decode, pool};
use crate::CoreError;
use crate::align::{Aligned, Motion};
use crate::cache::{Cache, Key};
use crate::combine::edges;
use crate::focus::{
    Desk, FocusMap, Merger, Order, Sharpness, Sight, Way, comes_nearer, levels, place, placed_on,
};
use crate::frames::{FrameInput, Light};
use crate::progress::{Stage, Watch};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, SIDE, TileWriter};
use rayon::prelude::*;
use serde::Serialize;
use std::path::PathBuf;

/// Side of the parts of a picture that are merged at a time, in pixels.
const PART: u32 = 2 * SIDE;

/// How a sweep is merged.
#[derive(Debug, Clone, Copy, Serialize)]
pub struct FocusPlan {
    /// The way of merging.
    pub way: Way,
    /// Whether edges that not every frame covers are cut off; otherwise they are filled from the frames
    /// that do.
    pub trim: bool,
    /// Whether frames are aligned; otherwise they lie as they are.
    pub align: bool,
}

/// What a sweep is merged from.
pub struct FocusRequest<'a> {
    /// The frames in any order.
    pub frames: &'a [FrameInput],
    /// How.
    pub plan: FocusPlan,
    /// Where products are kept.
    pub cache: &'a Cache,
    /// Bounds of memory and threads.
    pub budget: Budget,
    /// Who follows.
    pub watch: &'a dyn Watch,
}

/// A merged sweep.
pub struct Merged {
    /// The picture's tiled file: linear light, three channels.
    pub picture: PathBuf,
    /// Tiled file of the focus map: for each pixel the sharpest frame, from 0 for the first to 65534
    /// for the last of those that were aligned, and 65535 where none is told.
    pub depth: PathBuf,
    /// Embedded profile of the reference frame; empty for plain sRGB.
    pub profile: Vec<u8>,
    /// Index of the reference frame: the one in the middle of the sweep.
    pub reference: usize,
    /// The order of focus of the frames that could be read, from near to far where they tell; numbers
    /// are those of all frames.
    pub order: Order,
    /// What alignment found for each of those.
    pub aligned: Vec<Aligned>,
    /// Frames that were not, and why.
    pub left_out: Vec<(usize, String)>,
    /// What brought the light of each frame that was aligned to that of the reference frame, in order;
    /// 1 for all where none differed.
    pub gains: Vec<f32>,
    /// The part of the reference frame that is shown.
    pub region: Region,
    /// Share of the picture of which it is told which frame is sharp there.
    pub told: f32,
}

/// Merges the frames of a focus sweep, whatever their order.
///
/// # Errors
/// As for [`super::sweep`]; [`CoreError::Frames`] when fewer than two frames can be aligned;
/// [`CoreError::Picture`], [`CoreError::Scratch`].
pub fn merge(request: &FocusRequest) -> Result<Merged, CoreError> {
    pool(request.budget)?.install(|| merged(request))
}

fn merged(request: &FocusRequest) -> Result<Merged, CoreError> {
    let FocusRequest { plan, cache, watch, .. } = *request;
    let mut decoded = decode::frames(request.frames, cache, (request.budget, true), watch)?;
    decode::settle(&mut decoded, None)?;
    let Placed { order, sharpness, aligned, mut left_out } = placed(request, &decoded)?;
    let used = order.frames.iter().zip(&aligned).zip(sharpness);
    let (mut frames, mut motions, mut sharp) = (vec![], vec![], vec![]);
    for ((&i, own), sharpness) in used {
        match (&decoded[i], &own.motion) {
            (Ok(frame), Some(motion)) => {
                frames.push((i, frame));
                motions.push(motion.clone());
                sharp.push(sharpness);
            }
            (_, None) => left_out.push((i, own.reason.clone().unwrap_or_default())),
            (Err(why), _) => left_out.push((i, why.clone())),
        }
    }
    if frames.len() < 2 {
        return Err(CoreError::Frames(
            "Fewer than two frames of this sweep can be aligned; see why the others were left out, or merge them as they lie, without alignment.".to_owned(),
        ));
    }
    let middle = frames.len() / 2;
    let (reference, middle_frame) = frames[middle];
    let (width, height) = middle_frame.size();
    let region = match plan.trim {
        true => common(&motions, (width, height))?,
        false => Region { x: 0, y: 0, width, height },
    };
    let gains = levels(&sharp, &motions, middle);
    let level = |(own, gain): (Sharpness, &f32)| own.brighter(*gain);
    let sharp: Vec<Sharpness> = sharp.into_iter().zip(&gains).map(level).collect();
    let map = FocusMap::of(&sharp, &motions);
    drop(sharp);
    let sights = frames.iter().zip(motions).zip(&gains).map(|((frame, motion), gain)| {
        let light: &dyn Light = frame.1;
        Sight { light, motion, gain: *gain }
    });
    let merger = Merger::new(sights.collect(), &map, plan.way)?;
    let key = key(request);
    let (picture, depth) = (cache.picture(&key), cache.depth(&key));
    let out = TileWriter::<f32>::create(&picture, region.width, region.height, 3)?;
    let codes = TileWriter::<u16>::create(&depth, region.width, region.height, 1)?;
    let parts = Region::covering(region.width, region.height, [PART; 2]);
    watch.begin(Stage::Combine, parts.len() as u64);
    parts.into_iter().par_bridge().try_for_each_init(Desk::default, |desk, part| {
        let there = part.moved([region.x, region.y]);
        out.write_region(part, &merger.merge(there, desk, &|| watch.cancelled())?)?;
        codes.write_region(part, &map.codes(there))?;
        watch.advance(1);
        Ok::<(), PictureError>(())
    })?;
    out.finish(false)?;
    codes.finish(false)?;
    let (told, profile) = (map.told(), middle_frame.encoding.icc().to_vec());
    Ok(Merged { picture, depth, profile, reference, order, aligned, left_out, gains, region, told })
}

/// Frames in the order of focus, and where they lie.
struct Placed {
    order: Order,
    /// How sharp they are where, in that order.
    sharpness: Vec<Sharpness>,
    /// The same of where they lie, on the one in the middle of those that are placed.
    aligned: Vec<Aligned>,
    /// Those that cannot be read, and why.
    left_out: Vec<(usize, String)>,
}

/// Puts decoded frames in order, from near to far, and places them.
fn placed(request: &FocusRequest, decoded: &[Decoded]) -> Result<Placed, CoreError> {
    let FocusRequest { plan, watch, .. } = *request;
    let measured: Result<Vec<Result<Sharpness, String>>, CoreError> = decoded
        .iter()
        .map(|frame| match frame {
            Ok(frame) => Ok(Ok(Sharpness::of(frame, &|| watch.cancelled())?)),
            Err(why) => Ok(Err(why.clone())),
        })
        .collect();
    let SweepFound { mut order, mut sharpness, left_out } = ordered(measured?)?;
    watch.begin(Stage::Align, order.frames.len() as u64);
    if !plan.align {
        let aligned = vec![Aligned::still(); order.frames.len()];
        return Ok(Placed { order, sharpness, aligned, left_out });
    }
    // Only frames that could be read have a place in the order.
    let read = order.frames.iter().filter_map(|i| decoded[*i].as_ref().ok());
    let lights: Vec<&dyn Light> = read.map(|frame| frame as &dyn Light).collect();
    let mut aligned = place(&lights, &sharpness, watch)?;
    if comes_nearer(&aligned) {
        order.frames.reverse();
        order.steps.reverse();
        sharpness.reverse();
        aligned.reverse();
    }
    let placed = (0..aligned.len()).filter(|i| aligned[*i].motion.is_some());
    let placed: Vec<usize> = placed.collect();
    let aligned = placed_on(aligned, placed[placed.len() / 2]);
    Ok(Placed { order, sharpness, aligned, left_out })
}

/// What all frames cover.
fn common(motions: &[Motion], (width, height): (u32, u32)) -> Result<Region, CoreError> {
    let motions: Vec<&Motion> = motions.iter().collect();
    edges::common(&motions, None, width, height).ok_or_else(|| {
        CoreError::Frames(
            "These frames have no part in common; fill edges instead of trimming them.".to_owned(),
        )
    })
}

/// Names the picture.
fn key(request: &FocusRequest) -> Key {
    let keys: Vec<Key> = request.frames.iter().map(FrameInput::light_key).collect();
    Key::of("focus", &request.plan, &keys.iter().collect::<Vec<_>>())
}
