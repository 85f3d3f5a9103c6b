//! Combining, with all that it reads: frames, where they lie, and the skyline.

use crate::keys::combine_key;
use crate::request::Request;
use crate::stages::align::frames::{aligned, aligned_in};
use crate::stages::combine::pictures;
use crate::stages::frames::decode;
use crate::stages::frames::gallery::Gallery;
use crate::stages::note::PictureNote;
use crate::stages::skyline::find;
use crate::stages::source::Source;
use jade_frames::cache::Key;
use jade_plan::CoreError;

/// Many frames to one, sample by sample; with a skyline, sky and ground apart.
pub struct Combine;

impl Source for Combine {
    fn notes(&self) -> &'static str {
        "combine"
    }

    fn key(&self, request: &Request) -> Key {
        combine_key(request)
    }

    fn make(&self, request: &Request, key: &Key) -> Result<PictureNote, CoreError> {
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
}

/// Aligns and combines the frames on a reference frame.
fn made_on(
    request: &Request,
    key: &Key,
    gallery: &mut Gallery,
    reference: usize,
) -> Result<PictureNote, CoreError> {
    let note = aligned(request, gallery, reference)?;
    if !request.plan.skyline.is_on() {
        return pictures::combine(request, key, gallery, note, None);
    }
    let mask = find::mask(request, &gallery.frames, &note)?;
    let note = aligned_in(&mask, request, gallery, note)?;
    pictures::combine(request, key, gallery, note, Some(mask))
}
