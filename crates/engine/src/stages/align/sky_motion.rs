//! Motion of the sky in frames that are not aligned on it.

use crate::request::Request;
use crate::stages::align::star_lists::stars_of;
use jade_align::align_stars;
use jade_align::stars::StarList;
use jade_frames::Frame;
use jade_frames::cache::Key;
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_plan::CoreError;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame, Used};
use rayon::prelude::*;

/// Motion of the sky of each used frame to that of the reference frame, for filling the gaps of
/// star trails; `None` where it cannot be found.
pub fn sky(
    request: &Request,
    used: &PerFrame<Used, (FrameIndex<Given>, &Frame)>,
    reference: FrameIndex<Given>,
) -> Result<PerFrame<Used, Option<Motion>>, CoreError> {
    let inputs: Vec<Key> = used.iter().map(|(i, _)| request.frame(*i).light_key()).collect();
    let key = Key::of("sky", &reference, &inputs.iter().collect::<Vec<_>>());
    if let Some(motions) = request.cache.read("sky", &key) {
        return Ok(motions);
    }
    let lists: Result<Vec<StarList>, CoreError> =
        used.as_slice().par_iter().map(|(i, frame)| stars_of(request, *i, frame)).collect();
    let nothing = || used.iter().map(|_| None).collect();
    let Some(place) = used.position(|(i, _)| *i == reference) else { return Ok(nothing()) };
    // Too few stars are no reason to refuse trails: their gaps stay.
    let hints = used.iter().map(|_| None).collect();
    let size = used[place].1.size();
    let stop = || request.watch.cancelled();
    let motions = match align_stars(lists?.into(), place, hints, size, &stop) {
        Ok(found) => found.frames.into_iter().map(|f| f.motion).collect(),
        Err(CoreError::Frames(_)) => nothing(),
        Err(error) => return Err(error),
    };
    request.cache.write("sky", &key, &motions)?;
    Ok(motions)
}
