//! The stages of a run, one after the other.

use super::{Outcome, Request, decode};
use crate::CoreError;
use crate::align::stars::{self, StarList};
use crate::align::{Aligned, Alignment, Motion, align_stars, hand, scene};
use crate::cache::Key;
use crate::frames::{Frame, Light};
use crate::plan::AlignMode;
use crate::progress::Stage;
use crate::report::Report;
use decode::Decoded;
use nalgebra::Matrix3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// What the align stage found, for all frames that were given.
#[derive(Serialize, Deserialize)]
pub struct AlignNote {
    pub reference: usize,
    pub alignment: Alignment,
    pub stars: Vec<Option<StarFigures>>,
}

#[derive(Clone, Copy, Serialize, Deserialize)]
pub struct StarFigures {
    pub count: usize,
    pub width: Option<f32>,
    pub level: f32,
}

/// What the combine stage noted beside its picture.
#[derive(Serialize, Deserialize)]
pub struct CombineNote {
    pub reference: usize,
    pub profile: Vec<u8>,
    pub report: Report,
}

impl CombineNote {
    pub fn outcome(self, key: Key, picture: PathBuf) -> Outcome {
        let Self { reference, profile, report } = self;
        Outcome { key, picture, profile, reference, report }
    }
}

pub fn run(request: &Request, align_key: &Key, key: &Key) -> Result<CombineNote, CoreError> {
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
    super::combine::combine(request, key, &decoded, &note)
}

pub fn stars_of(request: &Request, index: usize, frame: &Frame) -> Result<StarList, CoreError> {
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
        .map(|d| match d {
            Ok(_) => Aligned::still(),
            Err(reason) => Aligned::left_out(Some(reason.clone())),
        })
        .collect();
    let place = usable.iter().position(|&i| i == reference).expect("the reference is usable");
    let by_hand = &request.plan.align.by_hand;
    let hints: Vec<Option<Matrix3<f64>>> = usable
        .iter()
        .map(|&i| {
            let own = by_hand.iter().find(|h| h.blake3 == request.frames[i].blake3)?;
            (i != reference).then(|| hand::fit(&own.pairs)).flatten().map(|fit| fit.motion)
        })
        .collect();
    let found = match request.plan.align.mode {
        AlignMode::Stars => {
            let lists: Result<Vec<StarList>, CoreError> = usable
                .par_iter()
                .map(|&i| {
                    let list = stars_of(request, i, frame(i));
                    request.watch.advance(1);
                    list
                })
                .collect();
            let lists = lists?;
            for (&i, list) in usable.iter().zip(&lists) {
                note.stars[i] = Some(StarFigures {
                    count: list.stars.len(),
                    width: list.star_width,
                    level: list.sky_level,
                });
            }
            let (width, height) = frame(reference).size();
            Some(align_stars(lists, place, hints, width, height)?)
        }
        AlignMode::Scene => {
            let frames: Vec<&Frame> = usable.iter().map(|&i| frame(i)).collect();
            let model = request.plan.align.model;
            Some(scene::align_scene(&frames, place, &hints, model, request.watch)?)
        }
        AlignMode::None => {
            request.watch.advance(usable.len() as u64);
            None
        }
    };
    if let Some(found) = found {
        note.alignment.lens = found.lens;
        for (&i, one) in usable.iter().zip(found.frames) {
            aligned[i] = one;
        }
    }
    note.alignment.frames = aligned;
    Ok(note)
}

/// Where the sky of each used frame lies against the reference frame's, for filling the gaps of
/// star trails; nothing where that cannot be found.
pub fn sky(
    request: &Request,
    used: &[(usize, &Frame)],
    reference: usize,
) -> Result<Vec<Option<Motion>>, CoreError> {
    let inputs: Vec<Key> = used.iter().map(|(i, _)| request.frames[*i].key()).collect();
    let key = Key::of("sky", &reference, &inputs.iter().collect::<Vec<_>>());
    if let Some(motions) = request.cache.read("sky", &key) {
        return Ok(motions);
    }
    let lists: Result<Vec<StarList>, CoreError> =
        used.par_iter().map(|(i, frame)| stars_of(request, *i, frame)).collect();
    let Some(place) = used.iter().position(|(i, _)| *i == reference) else {
        return Ok(vec![None; used.len()]);
    };
    let (width, height) = used[place].1.size();
    // Too few stars are no reason to refuse trails; they are left as they are.
    let motions = match align_stars(lists?, place, vec![None; used.len()], width, height) {
        Ok(found) => found.frames.into_iter().map(|f| f.motion).collect(),
        Err(CoreError::Frames(_)) => vec![None; used.len()],
        Err(error) => return Err(error),
    };
    request.cache.write("sky", &key, &motions)?;
    Ok(motions)
}
