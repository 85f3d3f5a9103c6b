//! The frames of a focus sweep in order.

use jade_align::sharpness::Sharpness;
use jade_focus::{Order, order, strangers};
use jade_plan::CoreError;

const SOMETHING_ELSE: &str =
    "It shows something else than the others, and what is sharp moves through those without it.";

/// A sweep in its order.
pub struct SweepFound {
    /// The order of those frames that could be read; numbers are those of all frames.
    pub order: Order,
    /// How sharp they are where, in that order.
    pub sharpness: Vec<Sharpness>,
    /// Those that could not, and why.
    pub left_out: Vec<(usize, String)>,
}

/// The order of frames that were measured, or of which it is known why not. Where they tell none, those
/// that look least like the others are left out until the rest do.
///
/// # Errors
/// [`CoreError::Frames`] when too few could be read, or nothing in them tells an order.
pub fn ordered(all: Vec<Result<Sharpness, String>>) -> Result<SweepFound, CoreError> {
    let (mut read, mut places, mut left_out) = (vec![], vec![], vec![]);
    for (i, one) in all.into_iter().enumerate() {
        match one {
            Ok(own) => {
                read.push(own);
                places.push(i);
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
    let strange: Vec<usize> = strangers(&read).into_iter().map(|i| places[i]).collect();
    for place in strange {
        if found.is_some() {
            break;
        }
        if let Some(at) = places.iter().position(|own| *own == place) {
            read.remove(at);
            places.remove(at);
            left_out.push((place, SOMETHING_ELSE.to_owned()));
            found = order(&read);
        }
    }
    let mut order = found.ok_or_else(|| {
        CoreError::Frames(
            "What is sharp does not move through these frames, or they differ in size; give the frames of one focus sweep.".to_owned(),
        )
    })?;
    let mut read: Vec<Option<Sharpness>> = read.into_iter().map(Some).collect();
    let sharpness = order.frames.iter().filter_map(|i| read[*i].take()).collect();
    order.frames.iter_mut().for_each(|i| *i = places[*i]);
    Ok(SweepFound { order, sharpness, left_out })
}
