//! The combine stage: picture, maps and figures from aligned frames.

use crate::request::Request;
use crate::stages::align::note::AlignNote;
use crate::stages::align::sky_motion;
use crate::stages::align::star_lists::stars_of;
use crate::stages::combine::ground::Ground;
use crate::stages::combine::joined::{self, Join};
use crate::stages::combine::noise_growth::{counts, ideal_gain, noise_points};
use crate::stages::combine::streamed::{self, Running};
use crate::stages::combine::used::{BLOCK, Used, reference_first};
use crate::stages::frame_report::{exposures, frame_report};
use crate::stages::frames::decoded::Decoded;
use crate::stages::frames::gallery::Gallery;
use crate::stages::note::PictureNote;
use jade_align::{Aligned, noise, stars};
use jade_combine::edges;
use jade_combine::gaps::{self, Exposure, Gap};
use jade_combine::mask::{Mask, Side};
use jade_combine::normalise::{self, Normalisation};
use jade_combine::reduce::{Reducer, Scratch};
use jade_frames::Frame;
use jade_frames::cache::{Key, MapKind};
use jade_optics::combined::Combined;
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TileWriter};
use jade_plan::progress::Stage;
use jade_plan::report::{Report, SkylineReport};
use jade_plan::{AlignMode, CoreError, Edges, Method};
use rayon::prelude::*;
use std::sync::Mutex;

/// Makes the picture; with a mask, sky and ground apart.
///
/// # Errors
/// As for [`crate::stack`].
pub fn combine(
    request: &Request,
    key: &Key,
    gallery: &Gallery,
    mut note: AlignNote,
    mask: Option<Mask>,
) -> Result<PictureNote, CoreError> {
    let plan = &request.plan.combine;
    let reference = gallery.header(note.reference);
    let motions: Vec<Option<Motion>> =
        note.alignment.frames.iter().map(|aligned| aligned.motion.clone()).collect();
    let mut used = used(&gallery.frames, &motions)?;
    prepare(request, reference, &note, &mut used)?;
    let region = region(plan.edges, &used, reference)?;
    let origin = [region.x, region.y];
    let on_stars = request.plan.align.mode == AlignMode::Stars;
    let reference_stars = match on_stars {
        true => {
            gallery
                .with_reference(note.reference, |frame| stars_of(request, note.reference, frame))?
                .stars
        }
        false => vec![],
    };
    let averaging = matches!(plan.method, Method::Mean | Method::Clipped | Method::Median);

    let mut report = None;
    let (result, rejected, running) = if let Some(mask) = &mask {
        let ground = Ground::open(request, &used, reference, mask)?;
        let (key, used) = (key, &used[..]);
        let (ground, size) = (&ground, reference.size());
        let of = note.reference;
        let made = joined::reduce(&Join {
            request,
            key,
            used,
            ground,
            mask,
            reference: of,
            size,
            region,
        })?;
        let ideal = ideal_gain(request.plan.skyline.ground.method, ground.count());
        let ground_noise = ground.noise(request, used, mask, ideal)?;
        report = Some(SkylineReport { ground_noise, ..joined::report(ground, mask, region) });
        (Combined(made.0), made.1, None)
    } else if gallery.streamed().is_some() {
        let size = (region.width, region.height);
        let candidates = match averaging {
            true => noise::candidates(size, origin, &reference_stars, PATCHES, &|_| true),
            false => vec![],
        };
        let of = note.reference;
        let made = streamed::reduce(request, key, gallery, &used, of, region, &candidates)?;
        if let (Some((_, reason)), true) = (made.failed.first(), used.len() - made.failed.len() < 2)
        {
            return Err(only_one(used.len(), reason));
        }
        for (index, reason) in made.failed {
            used.retain(|one| one.index != index);
            note.alignment.frames[index] = Aligned::left_out(Some(reason));
        }
        (Combined(made.picture), None, Some(made.running))
    } else {
        let gaps = gaps(request, note.reference, &used)?;
        let (result, rejected) = reduce(request, key, &used, gaps, note.reference, region)?;
        (Combined(result), rejected, None)
    };

    let star_width_px = match on_stars {
        true => {
            let found = stars::find(&result, &|| request.watch.cancelled())?.stars;
            stars::width_of_the_same(&found, &reference_stars, origin)
        }
        false => None,
    };
    let in_sky = |patch: Region| {
        let there = patch.moved(origin);
        mask.as_ref().is_none_or(|mask| mask.side(there) == Side::Sky)
    };
    let noise = match averaging {
        true => gallery.with_reference(note.reference, |frame| {
            let ideal = ideal_gain(plan.method, used.len());
            Ok(noise::gain(frame, &result, origin, &reference_stars, ideal, &in_sky)?)
        })?,
        false => None,
    };
    let noise_by_frames = match averaging {
        true => {
            let patches = noise::patches(&result, origin, &reference_stars, PATCHES, &in_sky)?;
            let counts = counts(used.len());
            let measured = match &running {
                Some(running) => running_noise(running, &patches, counts.len()),
                None => {
                    let order = reference_first(&used, note.reference);
                    noise_of_counts(request, &order, &counts, &patches, origin)?
                }
            };
            noise_points(plan.method, &counts, measured)
        }
        false => vec![],
    };
    let frames = request.frames.iter().enumerate().map(|(i, input)| {
        let place = used.iter().position(|u| u.index == i);
        let part = place.map(|p| (&used[p], rejected.as_ref().map(|shares| shares[p])));
        let aligned = &note.alignment.frames[i];
        frame_report(input, aligned, note.stars[i], part, reference.size())
    });
    let report = Report {
        version: 1,
        reference: request.frames[note.reference].name.clone(),
        reference_content: request.frames[note.reference].content.clone(),
        size: [region.width, region.height],
        origin,
        frames: frames.collect(),
        noise,
        noise_by_frames,
        star_width_px,
        skyline: report,
        focus: None,
        finish: None,
        exposures: exposures(
            &gallery.frames,
            &used.iter().map(|one| one.index).collect::<Vec<_>>(),
        ),
        lens: note.alignment.lens,
        stages: vec![],
        peak_memory_mib: 0,
    };
    Ok(PictureNote {
        reference: note.reference,
        profile: reference.encoding.icc().to_vec(),
        report,
    })
}

fn used<'a>(
    frames: &'a [Decoded],
    motions: &'a [Option<Motion>],
) -> Result<Vec<Used<'a>>, CoreError> {
    let all = frames.iter().zip(motions).enumerate();
    let used = all.filter_map(|(index, (frame, motion))| {
        let (frame, motion) = (frame.as_ref().ok()?, motion.as_ref()?);
        Some(Used { index, frame, motion, levels: [Normalisation::NONE; 3], weight: 1.0 })
    });
    let used: Vec<Used> = used.collect();
    enough(&used)?;
    Ok(used)
}

/// Why a run of `all` frames has no second one that can be read.
fn only_one(all: usize, reason: &str) -> CoreError {
    CoreError::Frames(format!(
        "Only one of the {all} frames can be read; the first of the others: {reason}"
    ))
}

fn enough(used: &[Used]) -> Result<(), CoreError> {
    match used.len() {
        0 | 1 => Err(CoreError::Frames(
            "No frame could be aligned with the reference frame; choose another reference frame, or combine without alignment.".to_owned(),
        )),
        _ => Ok(()),
    }
}

/// Levels and weights, as the plan asks for them.
fn prepare(
    request: &Request,
    reference: &Frame,
    note: &AlignNote,
    used: &mut [Used],
) -> Result<(), CoreError> {
    let plan = &request.plan.combine;
    used.par_iter_mut().try_for_each(|one| {
        if request.watch.cancelled() {
            return Err(PictureError::Cancelled);
        }
        if plan.level && one.index != note.reference {
            one.levels = normalise::find(one.frame, one.motion, reference)?;
        }
        if plan.weigh {
            // Inverse variance after levelling, and less for wider stars (their light is spread
            // over so much more noise).
            let sigma = noise::typical(one.frame)? * one.levels[1].gain;
            let width = note.stars[one.index].and_then(|s| s.width).unwrap_or(1.0);
            one.weight = 1.0 / (sigma * width).max(1e-6).powi(2);
        }
        Ok(())
    })?;
    let heaviest = used.iter().map(|u| u.weight).fold(0.0, f32::max);
    used.iter_mut().for_each(|u| u.weight /= heaviest);
    Ok(())
}

/// The gaps of star trails that the plan wants filled.
fn gaps<'a>(
    request: &Request,
    reference: usize,
    used: &[Used<'a>],
) -> Result<Vec<Gap<'a>>, CoreError> {
    let plan = &request.plan;
    let trails = plan.align.mode == AlignMode::None && plan.combine.method == Method::Lightest;
    if !plan.combine.fill_gaps || !trails {
        return Ok(vec![]);
    }
    let frames: Vec<(usize, &Frame)> = used.iter().map(|u| (u.index, u.frame)).collect();
    let skies = sky_motion::sky(request, &frames, reference)?;
    let mut order: Vec<(&Used, Option<Motion>)> = used.iter().zip(skies).collect();
    // In the order they were taken, where all tell it.
    if used.iter().all(|u| u.frame.facts.taken.is_some()) {
        order.sort_by(|a, b| a.0.frame.facts.taken.cmp(&b.0.frame.facts.taken));
    }
    let exposures: Result<Vec<Exposure>, CoreError> = order
        .into_par_iter()
        .map(|(one, sky)| {
            let level = stars_of(request, one.index, one.frame)?.sky_level;
            let noise = noise::typical(one.frame)?;
            Ok(Exposure { light: one.frame, sky, noise, level })
        })
        .collect();
    Ok(gaps::find(&exposures?))
}

/// The part of the reference frame that the result covers.
fn region(edges: Edges, used: &[Used], reference: &Frame) -> Result<Region, CoreError> {
    let (width, height) = reference.size();
    if edges != Edges::Trim {
        return Ok(Region { x: 0, y: 0, width, height });
    }
    let motions: Vec<&Motion> = used.iter().map(|u| u.motion).collect();
    edges::common(&motions, reference.lens(), width, height).ok_or_else(|| {
        CoreError::Frames(
            "The used frames have no part in common; keep the edges instead of trimming them."
                .to_owned(),
        )
    })
}

/// Makes the picture and its maps; with a method that rejects, also gives each used frame's share
/// of rejected samples.
fn reduce(
    request: &Request,
    key: &Key,
    used: &[Used],
    gaps: Vec<Gap>,
    reference: usize,
    region: Region,
) -> Result<(jade_pixels::tiled::TiledFile<f32>, Option<Vec<f32>>), CoreError> {
    let plan = &request.plan.combine;
    let rejects = plan.method == Method::Clipped;
    // Sums are taken in this order, as they are without scratch.
    let streams = !matches!(plan.method, Method::Median | Method::Clipped);
    let placed = match streams {
        true => reference_first(used, reference).into_iter().map(Used::placed).collect(),
        false => used.iter().map(Used::placed).collect(),
    };
    let reducer = Reducer::new(placed, plan, request.budget.held()).with_gaps(gaps);
    let tiles = Region::covering(region.width, region.height, BLOCK);
    request.watch.begin(Stage::Combine, tiles.len() as u64);
    let (width, height) = (region.width, region.height);
    let picture = request.cache.picture(key);
    let writer = TileWriter::<f32>::create(&picture, width, height, 3)?;
    let map = |kind: MapKind, channels: u32| {
        TileWriter::<u16>::create(&request.cache.map(key, kind), width, height, channels)
    };
    let coverage = (plan.edges == Edges::Keep).then(|| map(MapKind::Coverage, 1)).transpose()?;
    let rejected = rejects.then(|| map(MapKind::Rejected, 2)).transpose()?;
    let by_frame = Mutex::new(vec![0u64; used.len()]);
    // One tile after the other to whichever thread is free: shares cut beforehand end apart.
    tiles.iter().par_bridge().try_for_each_init(Scratch::default, |scratch, tile| {
        let there = tile.moved([region.x, region.y]);
        let made = reducer.reduce(there, scratch, &|| request.watch.cancelled())?;
        writer.write_region(*tile, &made.light)?;
        if let Some(coverage) = &coverage {
            let everywhere = vec![used.len() as u16; tile.area()];
            let counts = if made.coverage.is_empty() { &everywhere } else { &made.coverage };
            coverage.write_region(*tile, counts)?;
        }
        if let Some(rejected) = &rejected {
            rejected.write_region(*tile, made.rejected.as_flattened())?;
            let mut all = by_frame.lock().expect("no thread fails with the lock");
            all.iter_mut().zip(&made.by_frame).for_each(|(sum, n)| *sum += n);
        }
        request.watch.advance(1);
        Ok::<(), PictureError>(())
    })?;
    for map in [coverage, rejected].into_iter().flatten() {
        map.finish(false)?;
    }
    let area = region.area() as f32;
    let by_frame = by_frame.into_inner().expect("no thread fails with the lock");
    let shares = rejects.then(|| by_frame.into_iter().map(|n| n as f32 / area).collect());
    Ok((writer.finish(!request.stream)?, shares))
}

/// Patches by which the noise of growing numbers of frames is told.
const PATCHES: usize = 12;

/// Noise of a few patches if only so many frames, in this order, were combined; 0 without patches.
fn noise_of_counts(
    request: &Request,
    order: &[&Used],
    counts: &[usize],
    patches: &[Region],
    origin: [u32; 2],
) -> Result<Vec<f32>, CoreError> {
    let reducers: Vec<Reducer> = counts
        .iter()
        .map(|&n| {
            let placed = order[..n].iter().map(|u| u.placed()).collect();
            Reducer::new(placed, &request.plan.combine, request.budget.held())
        })
        .collect();
    let each: Vec<(&Reducer, &Region)> =
        reducers.iter().flat_map(|reducer| patches.iter().map(move |p| (reducer, p))).collect();
    let figures: Result<Vec<f32>, PictureError> = each
        .into_par_iter()
        .with_max_len(4)
        .map_init(Scratch::default, |scratch, (reducer, patch)| {
            let there = patch.moved(origin);
            let made = reducer.reduce(there, scratch, &|| request.watch.cancelled())?;
            Ok(noise::of_light(&made.light, patch.width as usize))
        })
        .collect();
    let figures = figures?;
    let of_count = |i: usize| figures[i * patches.len()..(i + 1) * patches.len()].to_vec();
    Ok((0..counts.len()).map(|i| middle(of_count(i))).collect())
}

/// The same from what was measured on the way.
fn running_noise(running: &Running, patches: &[Region], counts: usize) -> Vec<f32> {
    let after = |n: usize| {
        let patches = patches.iter().filter_map(|p| running.get(&(p.x, p.y))?.get(n).copied());
        middle(patches.collect())
    };
    (0..counts).map(after).collect()
}

fn middle(mut figures: Vec<f32>) -> f32 {
    match figures.is_empty() {
        true => 0.0,
        false => jade_optics::statistics::median(&mut figures),
    }
}
