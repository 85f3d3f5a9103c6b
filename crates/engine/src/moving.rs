//! A moving view of a merged sweep: its frames as they were placed, from the nearest plane to the
//! farthest and back.

use crate::memory::Budget;
use crate::threads::pool;
use jade_frames::cache::Cache;
use jade_frames::{Frame, FrameInput};
use jade_optics::light::Light;
use jade_optics::resample::{self, Scratch};
use jade_optics::space::{InResult, Origin};
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::tiled::Region;
use jade_pixels::write::write_moving;
use jade_plan::CoreError;
use jade_plan::progress::{Stage, Watch};
use jade_plan::report::Report;
use rayon::prelude::*;
use std::path::Path;

/// Longest side of the view, in pixels.
const LONGEST: u32 = 720;
/// Time for which each frame is shown, in milliseconds.
const SHOWN: u16 = 120;
/// Rows of the view that are made at a time.
const ROWS: u32 = 16;

/// Writes the frames of a sweep, as placed in `report`, as an animated PNG: in the order of focus
/// and back, cropped to the merged picture, reduced by a whole factor. `frames` are those of the
/// run, in its order.
///
/// # Errors
/// [`CoreError::Frames`] where the report is not that of a sweep; [`CoreError::Picture`];
/// [`CoreError::Cancelled`]. Nothing is left behind then.
pub fn moving(
    frames: &[FrameInput],
    report: &Report,
    path: &Path,
    cache: &Cache,
    budget: Budget,
    watch: &dyn Watch,
) -> Result<(), CoreError> {
    let focus = report.focus().ok_or_else(|| {
        CoreError::Frames("A moving view is made of a focus sweep; choose one.".to_owned())
    })?;
    let placed = focus.order.iter().enumerate().filter_map(|(place, name)| {
        // Reports from before frames were named by their content have file names only.
        let id = focus.contents.get(place).cloned().unwrap_or_default();
        let reported = report.frame(&id, name).filter(|reported| reported.used)?;
        let at = report.frames.iter().position(|other| std::ptr::eq(other, reported))?;
        let is_it = |frame: &&FrameInput| match id.is_known() {
            true => frame.id == id,
            false => frame.name == *name,
        };
        frames.iter().find(is_it).map(|frame| (frame, at))
    });
    let placed: Vec<(&FrameInput, usize)> = placed.collect();
    if placed.len() < 2 {
        return Err(CoreError::Frames(
            "Fewer than two frames of this sweep are there; add the others again.".to_owned(),
        ));
    }
    let factor = report.size[0].max(report.size[1]).div_ceil(LONGEST);
    let size = report.size.map(|side| (side / factor).max(1));
    watch.begin(Stage::Frames, placed.len() as u64);
    let pictures: Result<Vec<Vec<u8>>, CoreError> = placed
        .into_iter()
        .map(|(input, at)| {
            let stop = &mut || match watch.cancelled() {
                true => Err(PictureError::Cancelled),
                false => Ok(()),
            };
            let frame = Frame::decode(input, cache, stop)?;
            let picture_of = || picture_of(&frame, report, at, (factor, size), watch);
            let picture = pool(budget)?.install(picture_of)?;
            watch.advance(1);
            Ok(picture)
        })
        .collect();
    let pictures = pictures?;
    let count = pictures.len();
    // There and back; neither end is shown twice.
    let mut shown = (0..count).chain((1..count - 1).rev()).map(|i| &pictures[i]);
    let total = 2 * count as u32 - 2;
    watch.begin(Stage::Export, total.into());
    let next = &mut || match watch.cancelled() {
        true => Err(PictureError::Cancelled),
        false => {
            watch.advance(1);
            Ok(shown.next().cloned().unwrap_or_default())
        }
    };
    write_moving(path, size.into(), (total, SHOWN), next)?;
    Ok(())
}

/// One frame as it lies in the merged picture, reduced by a factor: 8-bit sRGB, interleaved.
fn picture_of(
    frame: &Frame,
    report: &Report,
    at: usize,
    (scale, [columns, row_count]): (u32, [u32; 2]),
    watch: &dyn Watch,
) -> Result<Vec<u8>, PictureError> {
    let reported = &report.frames[at];
    let Some(motion) = &reported.motion else {
        return Ok(vec![0; (3 * columns * row_count) as usize]);
    };
    let (backward, gain) = (motion.backward(), reported.level.map_or(1.0, |[factor, _]| factor));
    let (matrix, srgb) = (frame.encoding.to_srgb(), Encoding::srgb());
    let part = gain / (scale * scale) as f32;
    let band = |top: u32| {
        if watch.cancelled() {
            return Err(PictureError::Cancelled);
        }
        let rows = ROWS.min(row_count - top);
        let [width, height] = [columns * scale, rows * scale];
        let region = Region { x: 0, y: top * scale, width, height };
        let there = Origin(report.origin).to_reference(InResult(region));
        let mut planes = [(); 3].map(|()| vec![0.0f32; region.area()]);
        let slices = planes.each_mut().map(Vec::as_mut_slice);
        resample::read(frame as &dyn Light, &backward, there, slices, &mut Scratch::default())?;
        let mut out = Vec::with_capacity((3 * columns * rows) as usize);
        for y in 0..rows {
            for x in 0..columns {
                let mean = planes.each_ref().map(|plane| {
                    let row = |dy: u32| ((y * scale + dy) * width + x * scale) as usize;
                    let rows = (0..scale).map(|dy| &plane[row(dy)..][..scale as usize]);
                    part * rows.flatten().sum::<f32>()
                });
                out.extend((0..3).map(|c| {
                    let light: f32 = matrix[c].iter().zip(mean).map(|(m, v)| m * v).sum();
                    (srgb.encode(c, light.clamp(0.0, 1.0)) >> 8) as u8
                }));
            }
        }
        Ok(out)
    };
    let bands: Result<Vec<Vec<u8>>, PictureError> = (0..row_count)
        .step_by(ROWS as usize)
        .collect::<Vec<_>>()
        .into_par_iter()
        .map(band)
        .collect();
    Ok(bands?.concat())
}
