//! A focus sweep to one picture that is sharp from front to back.

use super::sweep::{SweepFound, ordered};
use super::{Budget, decode, pool};
use crate::CoreError;
use crate::align::{Aligned, Motion};
use crate::cache::{Cache, Key};
use crate::combine::edges;
use crate::focus::{
    Desk, FocusMap, Merger, Order, Sharpness, Sight, Way, comes_nearer, levels, place, placed_on,
};
use crate::frames::{Frame, FrameInput, Light};
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
    /// for the last one in order, and 65535 where none is told.
    pub depth: PathBuf,
    /// Embedded profile of the reference frame; empty for plain sRGB.
    pub profile: Vec<u8>,
    /// Index of the reference frame: the one in the middle of the sweep.
    pub reference: usize,
    /// The order of focus of the frames that were used; numbers are those of all frames.
    pub order: Order,
    /// What alignment found for each frame that was used, in order.
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
    let FocusRequest { frames: inputs, plan, cache, watch, .. } = *request;
    let stop = || watch.cancelled();
    let mut decoded = decode::frames(inputs, cache, (request.budget, true), watch)?;
    decode::settle(&mut decoded, None)?;
    let measured: Result<Vec<Result<Sharpness, String>>, CoreError> = decoded
        .iter()
        .map(|frame| match frame {
            Ok(frame) => Ok(Ok(Sharpness::of(frame, &stop)?)),
            Err(why) => Ok(Err(why.clone())),
        })
        .collect();
    let SweepFound { mut order, mut sharpness, mut left_out } = ordered(measured?)?;
    let frame = |i: usize| decoded[i].as_ref().map_err(|why| CoreError::Frames(why.clone()));
    let all: Result<Vec<&Frame>, CoreError> = order.frames.iter().map(|i| frame(*i)).collect();
    let mut all = all?;
    watch.begin(Stage::Align, all.len() as u64);
    let mut aligned = match plan.align {
        false => vec![Aligned::still(); all.len()],
        true => {
            let lights: Vec<&dyn Light> = all.iter().map(|frame| *frame as &dyn Light).collect();
            place(&lights, &sharpness, watch)?
        }
    };
    // From near to far.
    if comes_nearer(&aligned) {
        order.frames.reverse();
        order.steps.reverse();
        sharpness.reverse();
        all.reverse();
        aligned.reverse();
    }
    let placed: Vec<usize> = (0..all.len()).filter(|i| aligned[*i].motion.is_some()).collect();
    let middle = placed[placed.len() / 2];
    if plan.align {
        aligned = placed_on(aligned, middle);
    }
    let lights: Vec<&dyn Light> = all.iter().map(|frame| *frame as &dyn Light).collect();
    let mut kept = vec![];
    for (place, (own, &i)) in aligned.iter().zip(&order.frames).enumerate() {
        match &own.motion {
            Some(motion) => kept.push((place, motion.clone())),
            None => left_out.push((i, own.reason.clone().unwrap_or_default())),
        }
    }
    if kept.len() < 2 {
        return Err(CoreError::Frames(
            "Fewer than two frames of this sweep can be aligned; see why the others were left out, or merge them as they lie, without alignment.".to_owned(),
        ));
    }
    let (width, height) = lights[middle].size();
    let region = match plan.trim {
        true => {
            let motions: Vec<&Motion> = kept.iter().map(|own| &own.1).collect();
            edges::common(&motions, None, width, height).ok_or_else(|| {
                CoreError::Frames(
                    "These frames have no part in common; fill edges instead of trimming them."
                        .to_owned(),
                )
            })?
        }
        false => Region { x: 0, y: 0, width, height },
    };
    let key = key(request);
    let used = sharpness.into_iter().zip(&aligned).filter(|(_, own)| own.motion.is_some());
    let sharp: Vec<Sharpness> = used.map(|(own, _)| own).collect();
    let motions: Vec<Motion> = kept.iter().map(|own| own.1.clone()).collect();
    let own = kept.iter().position(|own| own.0 == middle).unwrap_or(0);
    let gains = levels(&sharp, &motions, own);
    let level = |(own, gain): (Sharpness, &f32)| own.brighter(*gain);
    let sharp: Vec<Sharpness> = sharp.into_iter().zip(&gains).map(level).collect();
    let map = FocusMap::of(&sharp, &motions);
    drop(sharp);
    let sights = kept.iter().zip(&gains).map(|((i, motion), gain)| Sight {
        light: lights[*i],
        motion: motion.clone(),
        gain: *gain,
    });
    let merger = Merger::new(sights.collect(), &map, plan.way)?;
    let picture = cache.picture(&key);
    let depth = cache.depth(&key);
    let out = TileWriter::<f32>::create(&picture, region.width, region.height, 3)?;
    let codes = TileWriter::<u16>::create(&depth, region.width, region.height, 1)?;
    let parts = Region::covering(region.width, region.height, [PART; 2]);
    watch.begin(Stage::Combine, parts.len() as u64);
    parts.into_iter().par_bridge().try_for_each_init(Desk::default, |desk, part| {
        let there = part.moved([region.x, region.y]);
        out.write_region(part, &merger.merge(there, desk, &stop)?)?;
        codes.write_region(part, &map.codes(there))?;
        watch.advance(1);
        Ok::<(), PictureError>(())
    })?;
    out.finish(false)?;
    codes.finish(false)?;
    let told = map.told();
    let profile = all[middle].encoding.icc().to_vec();
    let reference = order.frames[middle];
    Ok(Merged { picture, depth, profile, reference, order, aligned, left_out, gains, region, told })
}

/// Names the picture.
fn key(request: &FocusRequest) -> Key {
    let keys: Vec<Key> = request.frames.iter().map(FrameInput::light_key).collect();
    Key::of("focus", &request.plan, &keys.iter().collect::<Vec<_>>())
}
