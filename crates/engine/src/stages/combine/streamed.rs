//! Combining without scratch: frames are decoded into memory, a few at a time, and added to the
//! picture that gathers there.

use crate::request::Request;
use crate::stages::combine::noise_growth::counts;
use crate::stages::combine::used::{BLOCK, Used, reference_first};
use crate::stages::frames::gallery::Gallery;
use jade_align::noise;
use jade_combine::reduce::{Reducer, Scratch};
use jade_combine::streamed::Gathered;
use jade_frames::Frame;
use jade_frames::cache::{Key, MapKind};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TileWriter, TiledFile};
use jade_plan::progress::Stage;
use jade_plan::{CoreError, Edges};
use rayon::prelude::*;
use std::collections::HashMap;

/// What a run without scratch leaves.
pub struct Streamed {
    pub picture: TiledFile<f32>,
    /// For each candidate patch, its noise after so many frames as [`counts`] says.
    pub running: Running,
    /// Frames that could not be decoded after all, and why.
    pub failed: Vec<(usize, String)>,
}

/// Noise of patches, by left top corner, after growing numbers of frames.
pub type Running = HashMap<(u32, u32), Vec<f32>>;

/// A part of the picture: where it lies in the reference frame, and what has gathered there.
type Part = (Region, Gathered);

pub fn reduce(
    request: &Request,
    key: &Key,
    gallery: &Gallery,
    used: &[Used],
    reference: usize,
    region: Region,
    candidates: &[Region],
) -> Result<Streamed, CoreError> {
    let plan = &request.plan.combine;
    let parts = |of: &[Region]| -> Vec<Part> {
        let there = |r: &Region| r.moved([region.x, region.y]);
        of.iter().map(|r| (there(r), Gathered::new(plan.method, r.area()))).collect()
    };
    let tiles = Region::covering(region.width, region.height, BLOCK);
    let (mut picture, mut patches) = (parts(&tiles), parts(candidates));
    let mut running: Vec<Vec<f32>> = vec![vec![]; candidates.len()];
    let order = reference_first(used, reference);
    let counts = counts(order.len());
    let (mut done, mut failed) = (0, vec![]);
    request.watch.begin(Stage::Combine, order.len() as u64);
    for few in order.chunks(gallery.streamed().unwrap_or(1)) {
        let mut loaded: Vec<(&Used, Frame)> = Vec::with_capacity(few.len());
        let frames: Vec<_> = few.par_iter().map(|one| gallery.load(one.index)).collect();
        for (one, frame) in few.iter().zip(frames) {
            match frame {
                Ok(frame) => loaded.push((one, frame)),
                Err(CoreError::Cancelled) => return Err(CoreError::Cancelled),
                Err(error) if one.index == reference => {
                    return Err(CoreError::Reference(error.to_string()));
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
        add(request, &Reducer::new(all, plan, 0), &mut picture)?;
        for (one, frame) in &loaded {
            add(request, &Reducer::new(vec![one.placed_as(frame)], plan, 0), &mut patches)?;
            done += 1;
            if counts.contains(&done) {
                for (running, (there, gathered)) in running.iter_mut().zip(&patches) {
                    let light = gathered.clone().finish().light;
                    running.push(noise::of_light(&light, there.width as usize));
                }
            }
        }
        request.watch.advance(few.len() as u64);
    }
    let corners = candidates.iter().map(|r| (r.x, r.y));
    let running = corners.zip(running).collect();
    let picture = write(request, key, picture, &tiles, region, used.len() - failed.len())?;
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

fn write(
    request: &Request,
    key: &Key,
    parts: Vec<Part>,
    tiles: &[Region],
    Region { width, height, .. }: Region,
    frames: usize,
) -> Result<TiledFile<f32>, CoreError> {
    let writer = TileWriter::<f32>::create(&request.cache.picture(key), width, height, 3)?;
    let keep = request.plan.combine.edges == Edges::Keep;
    let path = request.cache.map(key, MapKind::Coverage);
    let coverage = keep.then(|| TileWriter::<u16>::create(&path, width, height, 1)).transpose()?;
    parts.into_par_iter().zip(tiles).try_for_each(|((_, gathered), tile)| {
        let made = gathered.finish();
        writer.write_region(*tile, &made.light)?;
        if let Some(coverage) = &coverage {
            let everywhere = vec![frames as u16; tile.area()];
            let counts = if made.coverage.is_empty() { &everywhere } else { &made.coverage };
            coverage.write_region(*tile, counts)?;
        }
        Ok::<(), PictureError>(())
    })?;
    coverage.map(|map| map.finish(false)).transpose()?;
    Ok(writer.finish(!request.stream)?)
}
