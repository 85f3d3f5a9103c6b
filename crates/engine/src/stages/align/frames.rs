//! The align stage: the motion of each frame to the reference frame.

use crate::keys::align_key;
use crate::request::{Request, loaded_mask};
use crate::stages::align::note::{AlignNote, StarFigures, readable};
use crate::stages::align::star_lists::stars_of;
use crate::stages::frames::decoded::Decoded;
use crate::stages::frames::gallery::Gallery;
use crate::stages::frames::lost::NotMade;
use jade_align::scene::Scene;
use jade_align::stars::StarList;
use jade_align::{Aligned, Alignment, align_again, align_stars, hand};
use jade_combine::mask::Mask;
use jade_optics::light::Light;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame, Readable};
use jade_plan::progress::Stage;
use jade_plan::{AlignMode, CoreError};
use nalgebra::Matrix3;
use rayon::prelude::*;

/// Motions of the frames, from the cache where they were found before.
///
/// # Errors
/// [`NotMade::ReferenceLost`]; those of aligning.
pub fn aligned(
    request: &Request,
    gallery: &mut Gallery,
    reference: FrameIndex<Given>,
) -> Result<AlignNote, NotMade> {
    let key = align_key(request);
    let known: Option<AlignNote> = request.cache.read("align", &key);
    if let Some(note) = known.filter(|note| note.holds_for(gallery, reference)) {
        return Ok(note);
    }
    let note = align(request, gallery, reference)?;
    request.cache.write("align", &key, &note)?;
    Ok(note)
}

/// Motions found again from the stars in the sky of a mask alone, where lights outside it took
/// part.
pub fn aligned_in(
    mask: &Mask,
    request: &Request,
    gallery: &Gallery,
    note: AlignNote,
) -> Result<AlignNote, CoreError> {
    if request.plan.align.mode != AlignMode::Stars || loaded_mask(request).is_some() {
        return Ok(note);
    }
    let AlignNote { reference, alignment, mut stars, readable } = note;
    let usable = gallery.usable();
    let Some(place) = usable.position(|&i| i == reference) else {
        return Ok(AlignNote { reference, alignment, stars, readable });
    };
    let size = gallery.header(reference).size();
    let lists: Result<Vec<StarList>, CoreError> = usable
        .as_slice()
        .par_iter()
        .map(|&i| {
            let mut list = stars_of(request, i, gallery.header(i))?;
            keep_sky(&mut list, mask);
            Ok(list)
        })
        .collect();
    let lists: PerFrame<Readable, StarList> = lists?.into();
    for (&i, list) in usable.iter().zip(&lists) {
        if let Some(figures) = &mut stars[i] {
            figures.count = list.stars.len();
        }
    }
    let mut frames = alignment.frames;
    let known = usable.iter().map(|&i| frames[i].clone()).collect();
    let Alignment { lens, lens_spread, .. } = alignment;
    let known: Alignment<Readable> = Alignment { frames: known, lens, lens_spread };
    let found = align_again(lists, place, known, size, &|| request.watch.cancelled())?;
    for (i, frame) in usable.into_iter().zip(found.frames) {
        frames[i] = frame;
    }
    let alignment = Alignment { frames, lens: found.lens, lens_spread: found.lens_spread };
    Ok(AlignNote { reference, alignment, stars, readable })
}

/// Keeps the stars in the sky. The camera stood still, so the mask holds for every frame.
fn keep_sky(list: &mut StarList, mask: &Mask) {
    list.stars.retain(|star| mask.at(star.x as i64, star.y as i64) > 127);
}

fn align(
    request: &Request,
    gallery: &mut Gallery,
    reference: FrameIndex<Given>,
) -> Result<AlignNote, NotMade> {
    request.watch.begin(Stage::Align, gallery.usable().len() as u64);
    let mut stars: PerFrame<Given, Option<StarFigures>> =
        gallery.frames.iter().map(|_| None).collect();
    let mut lens = None;
    let by_hand = &request.plan.align.by_hand;
    let hint = |i: FrameIndex<Given>| -> Option<Matrix3<f64>> {
        let points = by_hand.iter().find(|h| h.blake3 == request.frame(i).id)?;
        (i != reference).then(|| hand::fit(&points.pairs)).flatten().map(|fit| fit.motion)
    };
    let found: Vec<(FrameIndex<Given>, Aligned)> = match request.plan.align.mode {
        AlignMode::Stars => {
            let size = gallery.header(reference).size();
            let mask = loaded_mask(request).map(|path| Mask::read(path, size)).transpose()?;
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
            let (read, lists): (Vec<_>, Vec<StarList>) = lists.into_iter().unzip();
            let read: PerFrame<Readable, FrameIndex<Given>> = read.into();
            let place = place_of(gallery, &read, reference)?;
            let hints = read.iter().map(|&i| hint(i)).collect();
            let found =
                align_stars(lists.into(), place, hints, size, &|| request.watch.cancelled())?;
            lens = found.lens;
            read.into_iter().zip(found.frames).collect()
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
            let read = found.iter().map(|(i, _)| *i).collect();
            place_of(gallery, &read, reference)?;
            found
        }
        AlignMode::None => {
            let usable = gallery.usable();
            request.watch.advance(usable.len() as u64);
            usable.into_iter().map(|i| (i, Aligned::still())).collect()
        }
    };
    let left_out = |frame: &Decoded| Aligned::left_out(frame.as_ref().err().cloned());
    let mut frames: PerFrame<Given, Aligned> = gallery.frames.iter().map(left_out).collect();
    for (i, aligned) in found {
        frames[i] = aligned;
    }
    let alignment = Alignment { frames, lens, lens_spread: None };
    Ok(AlignNote { reference, alignment, stars, readable: readable(gallery) })
}

/// Index of the reference frame among those that could be read.
fn place_of(
    gallery: &Gallery,
    read: &PerFrame<Readable, FrameIndex<Given>>,
    reference: FrameIndex<Given>,
) -> Result<FrameIndex<Readable>, NotMade> {
    read.position(|&i| i == reference).ok_or_else(|| {
        let reason = gallery.frames[reference].as_ref().err().cloned().unwrap_or_default();
        NotMade::ReferenceLost(reason)
    })
}
