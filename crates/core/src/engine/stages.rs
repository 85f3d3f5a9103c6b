//! The stages of a run, one after the other.

use super::gallery::{Decoded, Gallery};
use super::{Outcome, Request, decode};
use crate::CoreError;
use crate::align::scene::Scene;
use crate::align::stars::{self, StarList};
use crate::align::{Aligned, Alignment, Motion, align_again, align_stars, hand};
use crate::cache::{Cache, Key};
use crate::frames::{Frame, FrameInput, Light};
use crate::plan::AlignMode;
use crate::progress::Stage;
use crate::report::Report;
use crate::skyline::Mask;
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
    /// Which frames could be read when it was noted.
    pub readable: Vec<bool>,
}

impl AlignNote {
    /// Whether it was found in just those frames that can be read now, on the same reference frame.
    fn holds_for(&self, gallery: &Gallery, reference: usize) -> bool {
        self.reference == reference && self.readable == readable(gallery)
    }
}

fn readable(gallery: &Gallery) -> Vec<bool> {
    gallery.frames.iter().map(Result::is_ok).collect()
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
        Outcome { combined: key.clone(), key, picture, profile, reference, report }
    }
}

pub fn run(request: &Request, key: &Key) -> Result<CombineNote, CoreError> {
    let mut gallery = Gallery::open(request)?;
    loop {
        let reference = decode::settle(&mut gallery.frames, request.reference)?;
        decode::several(&gallery.frames, reference)?;
        match made_on(request, key, &mut gallery, reference) {
            // A frame that nobody chose is left out as any other is, and the next one takes its
            // place.
            Err(CoreError::Reference(reason)) if request.reference.is_none() => {
                gallery.frames[reference] = Err(reason);
            }
            made => return made,
        }
    }
}

/// Aligns and combines the frames on a reference frame.
fn made_on(
    request: &Request,
    key: &Key,
    gallery: &mut Gallery,
    reference: usize,
) -> Result<CombineNote, CoreError> {
    let note = aligned(request, gallery, reference)?;
    if !request.plan.skyline.is_on() {
        return super::combine::combine(request, key, gallery, note, None);
    }
    let mask = super::skyline::mask(request, &gallery.frames, &note)?;
    let note = aligned_in(&mask, request, gallery, note)?;
    super::combine::combine(request, key, gallery, note, Some(mask))
}

/// Where the frames lie, from the cache where that was found before.
pub fn aligned(
    request: &Request,
    gallery: &mut Gallery,
    reference: usize,
) -> Result<AlignNote, CoreError> {
    let key = super::align_key(request);
    let known: Option<AlignNote> = request.cache.read("align", &key);
    if let Some(note) = known.filter(|note| note.holds_for(gallery, reference)) {
        return Ok(note);
    }
    let note = align(request, gallery, reference)?;
    request.cache.write("align", &key, &note)?;
    Ok(note)
}

/// The same from the stars that are in the sky of a mask, where lights outside it had a say.
fn aligned_in(
    mask: &Mask,
    request: &Request,
    gallery: &Gallery,
    note: AlignNote,
) -> Result<AlignNote, CoreError> {
    if request.plan.align.mode != AlignMode::Stars || super::loaded_mask(request).is_some() {
        return Ok(note);
    }
    let AlignNote { reference, alignment, mut stars, readable } = note;
    let usable = gallery.usable();
    let Some(place) = usable.iter().position(|&i| i == reference) else {
        return Ok(AlignNote { reference, alignment, stars, readable });
    };
    let size = gallery.header(reference).size();
    let lists: Result<Vec<StarList>, CoreError> = usable
        .par_iter()
        .map(|&i| {
            let mut list = stars_of(request, i, gallery.header(i))?;
            keep_sky(&mut list, mask);
            Ok(list)
        })
        .collect();
    let lists = lists?;
    for (&i, list) in usable.iter().zip(&lists) {
        if let Some(figures) = &mut stars[i] {
            figures.count = list.stars.len();
        }
    }
    let mut frames = alignment.frames;
    let known = usable.iter().map(|&i| frames[i].clone()).collect();
    let known = Alignment { frames: known, ..alignment };
    let found = align_again(lists, place, known, size, &|| request.watch.cancelled())?;
    for (i, frame) in usable.into_iter().zip(found.frames) {
        frames[i] = frame;
    }
    let alignment = Alignment { frames, lens: found.lens, lens_spread: found.lens_spread };
    Ok(AlignNote { reference, alignment, stars, readable })
}

/// Leaves the stars in the sky. The camera stood still: the ground is where the mask has it, in
/// every frame.
fn keep_sky(list: &mut StarList, mask: &Mask) {
    list.stars.retain(|star| mask.at(star.x as i64, star.y as i64) > 127);
}

/// The stars of a frame, where they would stand without the flaws of its lens.
pub fn stars_of(request: &Request, index: usize, frame: &Frame) -> Result<StarList, CoreError> {
    let stop = || request.watch.cancelled();
    let mut list = stars_in(&request.frames[index], request.cache, frame, &stop)?;
    if let Some(lens) = frame.lens() {
        for star in &mut list.stars {
            [star.x, star.y] = lens.to_corrected([star.x, star.y]);
        }
    }
    Ok(list)
}

/// The stars of a frame as the lens drew them, from the cache where it was searched before.
pub fn stars_in(
    input: &FrameInput,
    cache: &Cache,
    frame: &Frame,
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<StarList, CoreError> {
    let key = Key::of("stars", &(), &[&input.plain_key()]);
    if let Some(list) = cache.read("stars", &key) {
        return Ok(list);
    }
    let list = stars::find(&frame.plain(), stop)?;
    cache.write("stars", &key, &list)?;
    Ok(list)
}

fn align(
    request: &Request,
    gallery: &mut Gallery,
    reference: usize,
) -> Result<AlignNote, CoreError> {
    request.watch.begin(Stage::Align, gallery.usable().len() as u64);
    let mut stars = vec![None; gallery.frames.len()];
    let mut lens = None;
    let by_hand = &request.plan.align.by_hand;
    let hint = |i: usize| -> Option<Matrix3<f64>> {
        let own = by_hand.iter().find(|h| h.blake3 == request.frames[i].content)?;
        (i != reference).then(|| hand::fit(&own.pairs)).flatten().map(|fit| fit.motion)
    };
    let found: Vec<(usize, Aligned)> = match request.plan.align.mode {
        AlignMode::Stars => {
            let size = gallery.header(reference).size();
            let mask =
                super::loaded_mask(request).map(|path| Mask::read(path, size)).transpose()?;
            let lists = gallery.each(|i, frame| {
                let mut list = stars_of(request, i, frame)?;
                if let Some(mask) = &mask {
                    keep_sky(&mut list, mask);
                }
                request.watch.advance(1);
                Ok(list)
            })?;
            for (i, list) in &lists {
                let (count, width) = (list.stars.len(), list.star_width);
                stars[*i] = Some(StarFigures { count, width, level: list.sky_level });
            }
            let (places, lists): (Vec<usize>, Vec<StarList>) = lists.into_iter().unzip();
            let place = place_of(gallery, &places, reference)?;
            let hints = places.iter().map(|&i| hint(i)).collect();
            let found = align_stars(lists, place, hints, size, &|| request.watch.cancelled())?;
            lens = found.lens;
            places.into_iter().zip(found.frames).collect()
        }
        AlignMode::Scene => {
            let model = request.plan.align.model;
            let watch = request.watch;
            let scene = gallery
                .with_reference(reference, |frame| Scene::new(&frame.plain(), model, watch))?;
            let found = gallery.each(|i, frame| {
                let one = match i == reference {
                    true => scene.reference(),
                    false => scene.place(&frame.plain(), hint(i).as_ref())?,
                };
                watch.advance(1);
                Ok(one)
            })?;
            let places: Vec<usize> = found.iter().map(|f| f.0).collect();
            place_of(gallery, &places, reference)?;
            found
        }
        AlignMode::None => {
            let usable = gallery.usable();
            request.watch.advance(usable.len() as u64);
            usable.into_iter().map(|i| (i, Aligned::still())).collect()
        }
    };
    let left_out = |frame: &Decoded| Aligned::left_out(frame.as_ref().err().cloned());
    let mut frames: Vec<Aligned> = gallery.frames.iter().map(left_out).collect();
    for (i, aligned) in found {
        frames[i] = aligned;
    }
    let alignment = Alignment { frames, lens, lens_spread: None };
    Ok(AlignNote { reference, alignment, stars, readable: readable(gallery) })
}

/// Where the reference frame stands among those that could be read.
fn place_of(gallery: &Gallery, places: &[usize], reference: usize) -> Result<usize, CoreError> {
    places.iter().position(|&i| i == reference).ok_or_else(|| {
        let reason = gallery.frames[reference].as_ref().err().cloned().unwrap_or_default();
        CoreError::Reference(reason)
    })
}

/// Where the sky of each used frame lies against the reference frame's, for filling the gaps of
/// star trails; nothing where that cannot be found.
pub fn sky(
    request: &Request,
    used: &[(usize, &Frame)],
    reference: usize,
) -> Result<Vec<Option<Motion>>, CoreError> {
    let inputs: Vec<Key> = used.iter().map(|(i, _)| request.frames[*i].light_key()).collect();
    let key = Key::of("sky", &reference, &inputs.iter().collect::<Vec<_>>());
    if let Some(motions) = request.cache.read("sky", &key) {
        return Ok(motions);
    }
    let lists: Result<Vec<StarList>, CoreError> =
        used.par_iter().map(|(i, frame)| stars_of(request, *i, frame)).collect();
    let Some(place) = used.iter().position(|(i, _)| *i == reference) else {
        return Ok(vec![None; used.len()]);
    };
    // Too few stars are no reason to refuse trails; they are left as they are.
    let hints = vec![None; used.len()];
    let size = used[place].1.size();
    let stop = || request.watch.cancelled();
    let motions = match align_stars(lists?, place, hints, size, &stop) {
        Ok(found) => found.frames.into_iter().map(|f| f.motion).collect(),
        Err(CoreError::Frames(_)) => vec![None; used.len()],
        Err(error) => return Err(error),
    };
    request.cache.write("sky", &key, &motions)?;
    Ok(motions)
}
