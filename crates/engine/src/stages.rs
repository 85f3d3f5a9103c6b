//! The stages of a stacked run, one after the other.

use crate::align::{aligned, aligned_in};
use crate::combine_note::CombineNote;
use crate::gallery::Gallery;
use crate::request::Request;
use crate::{combine, decode, skyline};
use jade_frames::cache::Key;
use jade_plan::CoreError;

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
        return combine::combine(request, key, gallery, note, None);
    }
    let mask = skyline::mask(request, &gallery.frames, &note)?;
    let note = aligned_in(&mask, request, gallery, note)?;
    combine::combine(request, key, gallery, note, Some(mask))
}
