//! Stars of frames, from the cache where they were searched before.

use crate::request::Request;
use jade_align::stars::{self, StarList};
use jade_frames::cache::{Cache, Key};
use jade_frames::{Frame, FrameInput};
use jade_optics::light::Light;
use jade_plan::CoreError;
use jade_plan::frame_index::{FrameIndex, Given};

/// The stars of a frame, at their positions without the displacement of its lens.
pub fn stars_of(
    request: &Request,
    index: FrameIndex<Given>,
    frame: &Frame,
) -> Result<StarList, CoreError> {
    let stop = || request.watch.cancelled();
    let mut list = stars_in(request.frame(index), request.cache, frame, &stop)?;
    if let Some(lens) = frame.lens() {
        for star in &mut list.stars {
            [star.x, star.y] = lens.to_corrected([star.x, star.y]);
        }
    }
    Ok(list)
}

/// The stars of a frame as the lens imaged them, from the cache where they were searched before.
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
