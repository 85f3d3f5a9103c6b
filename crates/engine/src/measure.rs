//! Measures of single frames.

use crate::memory::Budget;
use crate::stages::align::star_lists::stars_in;
use crate::stages::frames::decode;
use jade_frames::FrameInput;
use jade_frames::cache::Cache;
use jade_plan::CoreError;
use jade_survey::measures::Measures;

/// Measures a frame. It is decoded where that was not done, and its stars are kept for later runs.
///
/// # Errors
/// [`CoreError::Picture`]; [`CoreError::Cancelled`] when `stop` says so.
pub fn measure(
    input: &FrameInput,
    cache: &Cache,
    budget: Budget,
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Measures, CoreError> {
    let frame = decode::one(input, cache, budget, stop)?;
    let stars = stars_in(input, cache, &frame, stop)?;
    Ok(Measures::of(&frame, &stars, stop)?)
}
