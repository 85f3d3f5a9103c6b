//! Combining, with all that it reads: frames, where they lie, and the skyline.

use crate::keys::combine_key;
use crate::request::Request;
use crate::stages::align::frames::{aligned, aligned_in};
use crate::stages::align::note::AlignNote;
use crate::stages::combine::pictures;
use crate::stages::frames::decode;
use crate::stages::frames::gallery::Gallery;
use crate::stages::frames::lost::NotMade;
use crate::stages::note::PictureNote;
use crate::stages::skyline::find;
use crate::stages::source::Source;
use jade_combine::mask::Mask;
use jade_frames::cache::Key;
use jade_pixels::tiled::Region;
use jade_plan::CoreError;
use jade_plan::frame_index::{FrameIndex, Given};

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
        on_a_reference(request, &|gallery, note, mask| {
            pictures::combine(request, key, gallery, note, mask)
        })
    }

    fn region(&self, request: &Request, region: Region) -> Result<Vec<f32>, CoreError> {
        // Frames are read at places of a region again and again: they are decoded beforehand.
        let request = &Request { stream: false, ..*request };
        let key = self.key(request);
        on_a_reference(request, &|gallery, note, mask| {
            pictures::region(request, &key, gallery, &note, mask, region)
        })
    }
}

/// What is done with aligned frames and, where the plan asks for one, their skyline.
type Work<'a, T> = &'a dyn Fn(&Gallery, AlignNote, Option<&Mask>) -> Result<T, NotMade>;

/// Works on a reference frame that can be read. One that nobody chose is left out as any other frame
/// is when it cannot be read, and the next one takes its place.
fn on_a_reference<T>(request: &Request, work: Work<T>) -> Result<T, CoreError> {
    let mut gallery = Gallery::open(request)?;
    loop {
        let reference = decode::settle(&mut gallery.frames, request.reference)?;
        decode::several(&gallery.frames, reference)?;
        match on(request, &mut gallery, reference, work) {
            Ok(made) => return Ok(made),
            Err(NotMade::ReferenceLost(reason)) if request.reference.is_none() => {
                gallery.frames[reference] = Err(reason);
            }
            Err(not) => return Err(not.into()),
        }
    }
}

fn on<T>(
    request: &Request,
    gallery: &mut Gallery,
    reference: FrameIndex<Given>,
    work: Work<T>,
) -> Result<T, NotMade> {
    let note = aligned(request, gallery, reference)?;
    if !request.plan.skyline.is_on() {
        return work(gallery, note, None);
    }
    let mask = find::mask(request, &gallery.frames, &note)?;
    let note = aligned_in(&mask, request, gallery, note)?;
    work(gallery, note, Some(&mask))
}
