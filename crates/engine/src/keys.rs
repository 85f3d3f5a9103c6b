//! Keys of the products of a run, from its frames and settings.

use crate::request::{Request, loaded_mask};
use jade_frames::FrameInput;
use jade_frames::cache::Key;
use jade_plan::{Denoise, LensPlan};

/// The key of the alignment.
pub fn align_key(request: &Request) -> Key {
    let keys: Vec<Key> = request.frames.iter().map(FrameInput::plain_key).collect();
    let inputs: Vec<&Key> = keys.iter().collect();
    let lenses: Vec<&LensPlan> = request.frames.iter().map(|f| &f.prepare.lens).collect();
    // A loaded mask decides which stars are in the sky.
    let mask =
        loaded_mask(request).and(request.plan.skyline.mask.as_ref()).map(|file| &file.blake3);
    Key::of("align", &(&request.plan.align, request.reference, lenses, mask), &inputs)
}

/// The key of the combined picture, before changes.
pub fn combine_key(request: &Request) -> Key {
    // Names do not change the picture, but the report speaks of frames by name.
    let names: Vec<&str> = request.frames.iter().map(|f| f.name.as_str()).collect();
    // Noise reduction does not change the alignment.
    let denoise: Vec<&Denoise> = request.frames.iter().map(|f| &f.prepare.denoise).collect();
    let align = align_key(request);
    if !request.plan.skyline.is_on() {
        return Key::of("combine", &(&request.plan.combine, names, denoise), &[&align]);
    }
    let plan = (&request.plan.combine, &request.plan.skyline);
    let ground: Vec<Key> =
        request.skyline_inputs.ground.iter().map(FrameInput::light_key).collect();
    let inputs: Vec<&Key> = std::iter::once(&align).chain(&ground).collect();
    Key::of("join", &(plan, names, denoise), &inputs)
}
