//! The skyline stage: where the sky ends.

use super::gallery::Gallery;
use super::{Request, decode, stages};
use crate::CoreError;
use crate::align::Motion;
use crate::plan::AlignMode;
use crate::skyline::{Skyline, View};
use rayon::prelude::*;

/// Frames that are looked at at most, spread over all of them.
const LOOKED_AT: usize = 8;

/// Finds where the sky of the reference frame ends, once the frames are aligned on the stars.
///
/// # Errors
/// As for [`super::stack`] and [`Skyline::find`].
pub fn skyline(request: &Request) -> Result<Skyline, CoreError> {
    if request.plan.align.mode != AlignMode::Stars {
        return Err(CoreError::Setting(
            "The skyline is found in frames that are aligned on the stars; choose that alignment."
                .to_owned(),
        ));
    }
    // Regions of all frames are read more than once.
    let request = &Request { stream: false, ..*request };
    super::pool(request.budget)?.install(|| {
        let mut gallery = Gallery::open(request)?;
        let reference = decode::settle(&mut gallery.frames, request.reference)?;
        let note = stages::aligned(request, &mut gallery, reference)?;
        let motions = note.alignment.frames.iter().enumerate();
        let used: Vec<(usize, &Motion)> =
            motions.filter_map(|(i, one)| Some((i, one.motion.as_ref()?))).collect();
        let count = used.len().min(LOOKED_AT);
        if count < 2 {
            return Err(CoreError::Frames(
                "The skyline is found from two frames or more; only the reference frame could be placed."
                    .to_owned(),
            ));
        }
        let some: Vec<(usize, &Motion)> =
            (0..count).map(|k| used[k * (used.len() - 1) / (count - 1)]).collect();
        let lights: Result<Vec<Vec<[f64; 2]>>, CoreError> = some
            .par_iter()
            .map(|&(i, _)| {
                let list = stages::stars_of(request, i, gallery.header(i))?;
                Ok(list.stars.iter().map(|star| [star.x, star.y]).collect())
            })
            .collect();
        let lights = lights?;
        let views: Vec<View> = some
            .iter()
            .zip(&lights)
            .map(|(&(i, motion), lights)| View { light: gallery.header(i), motion, lights })
            .collect();
        Skyline::find(&views, &|| request.watch.cancelled())
    })
}
