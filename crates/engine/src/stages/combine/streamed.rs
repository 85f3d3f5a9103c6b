//! Combining without scratch: frames are decoded into memory, a few at a time, and added to the
//! picture that gathers there.

use crate::request::Request;
use crate::stages::combine::maps::{Maps, Noted};
use crate::stages::combine::noise_growth::counts;
use crate::stages::combine::stack::Stack;
use crate::stages::combine::used::{BLOCK, UsedFrame};
use crate::stages::frames::gallery::Gallery;
use crate::stages::frames::lost::NotMade;
use jade_align::noise;
use jade_combine::reduce::{Reducer, Scratch};
use jade_combine::streamed::Gathered;
use jade_frames::Frame;
use jade_frames::cache::Key;
use jade_optics::space::{InReference, InResult};
use jade_pixels::tiled::{Region, TileWriter, TiledFile};
use jade_plan::CoreError;
use jade_plan::frame_index::{FrameIndex, Given};
use jade_plan::progress::Stage;
use rayon::prelude::*;
use std::collections::HashMap;

/// What a run without scratch leaves.
pub struct Streamed {
    pub picture: TiledFile<f32>,
    /// For each candidate patch, its noise after so many frames as [`counts`] says.
    pub running: Running,
    /// Frames that could not be decoded after all, and why.
    pub failed: Vec<(FrameIndex<Given>, String)>,
}

/// Noise of patches, by left top corner, after growing numbers of frames.
pub type Running = HashMap<(u32, u32), Vec<f32>>;

/// A part of the picture: where it lies in the reference frame, and what has gathered there.
type Part = (InReference<Region>, Gathered);

/// Decodes the frames of a stack, some at a time, and adds them to the picture. `candidates` are regions
/// of the result in which the noise of growing numbers of frames is measured on the way.
///
/// # Errors
/// [`NotMade`] where the reference frame cannot be decoded.
pub fn write(
    stack: &Stack,
    key: &Key,
    gallery: &Gallery,
    candidates: &[Region],
) -> Result<Streamed, NotMade> {
    let Stack { request, used, reference, .. } = stack;
    let (reference, plan) = (*reference, &request.plan.combine);
    let (width, height) = stack.result_size();
    let parts = |of: &[Region]| -> Vec<Part> {
        of.iter().map(|r| (stack.there(*r), Gathered::new(plan.method, r.area()))).collect()
    };
    let tiles = Region::covering(width, height, BLOCK);
    let (mut picture, mut patches) = (parts(&tiles), parts(candidates));
    let mut running: Vec<Vec<f32>> = vec![vec![]; candidates.len()];
    let order = stack.in_order();
    let counts = counts(order.len());
    let (mut done, mut failed) = (0, vec![]);
    request.watch.begin(Stage::Combine, order.len() as u64);
    for few in order.chunks(gallery.streamed().unwrap_or(1)) {
        let mut loaded: Vec<(&UsedFrame, Frame)> = Vec::with_capacity(few.len());
        let frames: Vec<_> = few.par_iter().map(|one| gallery.load(one.index)).collect();
        for (one, frame) in few.iter().zip(frames) {
            match frame {
                Ok(frame) => loaded.push((one, frame)),
                Err(CoreError::Cancelled) => return Err(CoreError::Cancelled.into()),
                Err(error) if one.index == reference => {
                    return Err(NotMade::ReferenceLost(error.to_string()));
                }
                Err(error) => failed.push((one.index, error.to_string())),
            }
        }
        // A chunk of which nothing can be read adds nothing.
        if loaded.is_empty() {
            request.watch.advance(few.len() as u64);
            continue;
        }
        let all = loaded.iter().map(|(one, frame)| one.placed_as(frame)).collect();
        add(request, &Reducer::new(all, plan), &mut picture)?;
        for (one, frame) in &loaded {
            add(request, &Reducer::new(vec![one.placed_as(frame)], plan), &mut patches)?;
            done += 1;
            if counts.contains(&done) {
                for (running, (there, gathered)) in running.iter_mut().zip(&patches) {
                    let light = gathered.clone().finish().light;
                    running.push(noise::of_light(&light, there.0.width as usize));
                }
            }
        }
        request.watch.advance(few.len() as u64);
    }
    let corners = candidates.iter().map(|r| (r.x, r.y));
    let running = corners.zip(running).collect();
    let picture = written(stack, key, picture, used.len() - failed.len())?;
    Ok(Streamed { picture, running, failed })
}

fn add(request: &Request, reducer: &Reducer, parts: &mut [Part]) -> Result<(), CoreError> {
    let stop = || request.watch.cancelled();
    parts
        .iter_mut()
        .par_bridge()
        .try_for_each_init(Scratch::default, |scratch, (there, gathered)| {
            reducer.gather(*there, gathered, scratch, &stop)
        })?;
    Ok(())
}

/// Writes what has gathered of `frames` frames.
fn written(
    stack: &Stack,
    key: &Key,
    parts: Vec<Part>,
    frames: usize,
) -> Result<TiledFile<f32>, CoreError> {
    let (request, (width, height)) = (stack.request, stack.result_size());
    let picture = request.cache.picture(key);
    let writer = TileWriter::<f32>::create(&picture, width, height, 3)?;
    let maps = Maps::create(request, key, (width, height), frames)?;
    parts.into_par_iter().try_for_each(|(there, gathered)| {
        let InResult(part) = stack.origin().to_result(there).expect("it lies in the result");
        let made = gathered.finish();
        writer.write_region(part, &made.light)?;
        maps.note_coverage(part, &Noted::All, &made)
    })?;
    maps.finish()?;
    Ok(writer.finish(!request.stream)?)
}
