//! A frame as it lies on the reference frame.

use jade_combine::normalise::Normalisation;
use jade_combine::reduce::{Placed, Reducer, Scratch};
use jade_frames::Frame;
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_optics::space::InReference;
use jade_pixels::tiled::{Region, SIDE, TileWriter};
use jade_plan::{CoreError, Kind, Method, Plan};
use rayon::prelude::*;
use std::path::Path;

/// Writes a frame as it lies on the reference frame under a motion, to a tiled file of linear light
/// at `path`, for checking an alignment by eye.
///
/// # Errors
/// [`CoreError::Picture`].
pub fn place(frame: &Frame, motion: &Motion, path: &Path) -> Result<(), CoreError> {
    let (width, height) = frame.size();
    let placed = Placed { light: frame, motion, levels: [Normalisation::NONE; 3], weight: 1.0 };
    let mut plan = Plan::of(Kind::NightSky).combine;
    plan.method = Method::Mean;
    let reducer = Reducer::new(vec![placed], &plan);
    let writer = TileWriter::<f32>::create(path, width, height, 3)?;
    Region::covering(width, height, [SIDE; 2]).into_par_iter().try_for_each_init(
        Scratch::default,
        |scratch, tile| {
            let made = reducer.reduce(InReference(tile), scratch, &|| false)?;
            writer.write_region(tile, &made.light)
        },
    )?;
    writer.finish(false)?;
    Ok(())
}
