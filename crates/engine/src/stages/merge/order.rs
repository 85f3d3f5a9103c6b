//! The frames of a focus sweep in order.

use jade_align::sharpness::Sharpness;
use jade_focus::{Order, order, strangers};
use jade_plan::CoreError;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame, Readable};

const SOMETHING_ELSE: &str =
    "It shows something else than the others, and what is sharp moves through those without it.";

/// A sweep in its order.
pub struct SweepFound {
    /// The order of those frames that could be read.
    pub order: Order<Given>,
    /// How sharp they are where, in that order.
    pub sharpness: Vec<Sharpness>,
    /// Those that could not, and why.
    pub left_out: Vec<(FrameIndex<Given>, String)>,
}

/// The order of frames that were measured, or of which it is known why not. Where they tell none, those
/// that look least like the others are left out until the rest do.
///
/// # Errors
/// [`CoreError::Frames`] when too few could be read, or nothing in them tells an order.
pub fn ordered(all: PerFrame<Given, Result<Sharpness, String>>) -> Result<SweepFound, CoreError> {
    let (mut read, mut numbers, mut left_out) = (vec![], vec![], vec![]);
    for (i, one) in all.indices().zip(all) {
        match one {
            Ok(sharpness) => {
                read.push(sharpness);
                numbers.push(i);
            }
            Err(why) => left_out.push((i, why)),
        }
    }
    if read.len() < 3 {
        return Err(CoreError::Frames(format!(
            "A focus sweep takes three frames or more, and {} can be read.",
            read.len()
        )));
    }
    let mut found = order(&read);
    let strange: Vec<FrameIndex<Given>> =
        strangers(&read).into_iter().map(|i| numbers[i]).collect();
    for stranger in strange {
        if found.is_some() {
            break;
        }
        if let Some(at) = numbers.iter().position(|number| *number == stranger) {
            read.remove(at);
            numbers.remove(at);
            left_out.push((stranger, SOMETHING_ELSE.to_owned()));
            found = order(&read);
        }
    }
    let order = found.ok_or_else(|| {
        CoreError::Frames(
            "What is sharp does not move through these frames, or they differ in size; give the frames of one focus sweep.".to_owned(),
        )
    })?;
    let mut read: PerFrame<Readable, Option<Sharpness>> = read.into_iter().map(Some).collect();
    let sharpness = order.frames.iter().filter_map(|i| read[*i].take()).collect();
    Ok(SweepFound { order: order.by(&numbers.into()), sharpness, left_out })
}
