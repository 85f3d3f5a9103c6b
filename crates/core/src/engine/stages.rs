//! The stages of a run, one after the other.

use super::{Outcome, Request, decode};
use crate::CoreError;
use crate::align::stars::{self, StarList};
use crate::align::turning::Aligned;
use crate::align::{Alignment, Motion, align_stars};
use crate::cache::Key;
use crate::combine::edges;
use crate::combine::reduce::{Placed, Reducer};
use crate::frames::{Combined, Frame, Light};
use crate::measure::noise;
use crate::plan::{AlignMode, Edges, Method};
use crate::progress::Stage;
use crate::report::{FrameReport, Report};
use decode::Decoded;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, SIDE, TileWriter};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// What the align stage found, for all frames that were given.
#[derive(Serialize, Deserialize)]
struct AlignNote {
    reference: usize,
    alignment: Alignment,
    stars: Vec<Option<StarFigures>>,
}

#[derive(Clone, Copy, Serialize, Deserialize)]
struct StarFigures {
    count: usize,
    width: Option<f32>,
    level: f32,
}

/// What the combine stage noted beside its picture.
#[derive(Serialize, Deserialize)]
pub struct CombineNote {
    reference: usize,
    profile: Vec<u8>,
    report: Report,
}

impl CombineNote {
    pub fn outcome(self, key: Key, picture: PathBuf) -> Outcome {
        let Self { reference, profile, report } = self;
        Outcome { key, picture, profile, reference, report }
    }
}

pub fn run(request: &Request, align_key: &Key, picture: &Path) -> Result<CombineNote, CoreError> {
    let mut decoded = decode::frames(request)?;
    let reference = decode::settle(&mut decoded, request.reference)?;
    let note: AlignNote = match request.cache.read("align", align_key) {
        Some(note) => note,
        None => {
            let note = align(request, &decoded, reference)?;
            request.cache.write("align", align_key, &note)?;
            note
        }
    };
    combine(request, &decoded, &note, picture)
}

fn stars_of(request: &Request, index: usize, frame: &Frame) -> Result<StarList, CoreError> {
    let key = Key::of("stars", &(), &[&request.frames[index].key()]);
    if let Some(list) = request.cache.read("stars", &key) {
        return Ok(list);
    }
    let list = stars::find(frame, &|| request.watch.cancelled())?;
    request.cache.write("stars", &key, &list)?;
    Ok(list)
}

fn align(request: &Request, decoded: &[Decoded], reference: usize) -> Result<AlignNote, CoreError> {
    let usable: Vec<usize> = (0..decoded.len()).filter(|&i| decoded[i].is_ok()).collect();
    let frame = |i: usize| decoded[i].as_ref().expect("usable frames are decoded");
    request.watch.begin(Stage::Align, usable.len() as u64);
    let mut note = AlignNote {
        reference,
        alignment: Alignment { frames: vec![], lens: None },
        stars: vec![None; decoded.len()],
    };
    let mut aligned: Vec<Aligned> = decoded
        .iter()
        .map(|d| Aligned {
            motion: d.is_ok().then_some(Motion::Still),
            reason: d.as_ref().err().cloned(),
            matched: 0,
            rms_px: None,
        })
        .collect();
    if request.plan.align.mode == AlignMode::Stars {
        let lists: Result<Vec<StarList>, CoreError> = usable
            .par_iter()
            .map(|&i| {
                let list = stars_of(request, i, frame(i));
                request.watch.advance(1);
                list
            })
            .collect();
        let lists = lists?;
        let (width, height) = frame(reference).size();
        let place = usable.iter().position(|&i| i == reference).expect("the reference is usable");
        for (&i, list) in usable.iter().zip(&lists) {
            note.stars[i] = Some(StarFigures {
                count: list.stars.len(),
                width: list.star_width,
                level: list.sky_level,
            });
        }
        let found = align_stars(lists, place, width, height)?;
        note.alignment.lens = found.lens;
        for (&i, one) in usable.iter().zip(found.frames) {
            aligned[i] = one;
        }
    } else {
        request.watch.advance(usable.len() as u64);
    }
    note.alignment.frames = aligned;
    Ok(note)
}

fn combine(
    request: &Request,
    decoded: &[Decoded],
    note: &AlignNote,
    picture: &Path,
) -> Result<CombineNote, CoreError> {
    let plan = &request.plan.combine;
    let placed: Vec<Placed> = decoded
        .iter()
        .zip(&note.alignment.frames)
        .filter_map(|(d, a)| Some(Placed { frame: d.as_ref().ok()?, motion: a.motion.as_ref()? }))
        .collect();
    if placed.len() < 2 {
        return Err(CoreError::Frames(
            "No frame could be aligned with the reference frame; choose another reference frame, or combine without alignment.".to_owned(),
        ));
    }
    let reference = decoded[note.reference].as_ref().map_err(|e| CoreError::Frames(e.clone()))?;
    let (width, height) = reference.size();
    let motions: Vec<&Motion> = placed.iter().map(|p| p.motion).collect();
    let region = match plan.edges {
        Edges::Trim => edges::common(&motions, width, height).ok_or_else(|| {
            CoreError::Frames(
                "The used frames have no part in common; keep the edges instead of trimming them."
                    .to_owned(),
            )
        })?,
        Edges::Keep | Edges::Fill => Region { x: 0, y: 0, width, height },
    };
    let used = placed.len();
    let reducer = Reducer::new(placed, plan.method, plan.edges);
    let tiles = Region::covering(region.width, region.height, SIDE);
    request.watch.begin(Stage::Combine, tiles.len() as u64);
    let writer = TileWriter::<f32>::create(picture, region.width, region.height, 3)?;
    tiles.par_iter().try_for_each(|tile| {
        let there = Region { x: tile.x + region.x, y: tile.y + region.y, ..*tile };
        let light = reducer.reduce(there, &|| request.watch.cancelled())?;
        writer.write_region(*tile, &light)?;
        request.watch.advance(1);
        Ok::<(), PictureError>(())
    })?;
    let result = Combined(writer.finish(true)?);

    let origin = [region.x, region.y];
    let by_stars = request.plan.align.mode == AlignMode::Stars;
    let (reference_stars, star_width_px) = if by_stars {
        let list = stars_of(request, note.reference, reference)?;
        let stop = || request.watch.cancelled();
        let found = stars::find(&result, &stop)?.stars;
        let width = stars::width_of_the_same(&found, &list.stars, origin);
        (list.stars, width)
    } else {
        (vec![], None)
    };
    let ideal = ideal_gain(plan.method, used);
    let noise = noise::gain(reference, &result, origin, &reference_stars, ideal)?;
    let frames = request.frames.iter().enumerate().map(|(i, input)| {
        frame_report(&input.name, &note.alignment.frames[i], note.stars[i], (width, height))
    });
    let report = Report {
        version: 1,
        reference: request.frames[note.reference].name.clone(),
        size: [region.width, region.height],
        origin,
        frames: frames.collect(),
        noise,
        star_width_px,
        lens: note.alignment.lens,
        stages: vec![],
        peak_memory_mib: 0,
    };
    Ok(CombineNote {
        reference: note.reference,
        profile: reference.encoding.icc().to_vec(),
        report,
    })
}

/// Noise gain that the method reaches at best with `n` frames of normal noise.
fn ideal_gain(method: Method, n: usize) -> f32 {
    let n = n as f32;
    match method {
        Method::Mean => n.sqrt(),
        // For two frames the median is the mean; then it falls towards sqrt(2 n / pi).
        Method::Median if n <= 2.0 => n.sqrt(),
        Method::Median => {
            (n / (1.0 + (std::f32::consts::FRAC_PI_2 - 1.0) * (1.0 - 1.5 / n))).sqrt()
        }
    }
}

fn frame_report(
    name: &str,
    aligned: &Aligned,
    stars: Option<StarFigures>,
    (width, height): (u32, u32),
) -> FrameReport {
    let motion = aligned.motion.as_ref();
    let rows = |m: nalgebra::Matrix3<f64>| [0, 1, 2].map(|i| [m[(i, 0)], m[(i, 1)], m[(i, 2)]]);
    FrameReport {
        file: name.to_owned(),
        used: motion.is_some(),
        reason: aligned.reason.clone(),
        model: motion.map(|m| m.model().to_owned()),
        to_reference: motion.map(|m| rows(m.nearest_homography(width, height))),
        grid: motion.map_or(vec![], |m| m.grid(width, height, 17, 11)),
        rms_px: aligned.rms_px,
        matched: stars.map(|_| aligned.matched),
        stars: stars.map(|s| s.count),
        star_width_px: stars.and_then(|s| s.width),
        sky_level: stars.map(|s| s.level),
        weight: if motion.is_some() { 1.0 } else { 0.0 },
    }
}
