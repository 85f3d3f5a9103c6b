//! A flat is smoothed as much as its own noise asks, so that it adds none to the frames.

use super::master::{Master, Note};
use super::shape::Shape;
use crate::cache::{Cache, Key};
use jade_pixels::tiled::{Region, SIDE, TileWriter, TiledFile};
use jade_plan::CoreError;
use rayon::prelude::*;

/// Noise of a flat, as a share, that is not worth smoothing.
const SMALL: f32 = 0.003;
/// Samples of one colour to each side at most.
const FURTHEST: u32 = 12;

/// Averages the samples of one colour around each, in a square that is as large as the noise of the
/// master of `frames` flats needs.
///
/// # Errors
/// [`CoreError::Picture`].
pub fn as_needed(
    flat: Master,
    frames: usize,
    key: &Key,
    cache: &Cache,
) -> Result<Master, CoreError> {
    let noise = flat.note.noise / (frames as f32).sqrt();
    let side = (noise / SMALL).ceil() as u32;
    let reach = (side / 2).min(FURTHEST);
    if reach == 0 {
        return Ok(flat);
    }
    let Shape { width, height, channels } = Shape::of(&flat.picture);
    let path = cache.frame(&Key::of("smooth flat", &reach, &[key]));
    let note = Note { noise: SMALL, ..flat.note };
    if let Ok(picture) = TiledFile::open(&path) {
        return Ok(Master { picture, note });
    }
    let writer = TileWriter::<f32>::create(&path, width, height, channels)?;
    // The next sample of a colour is two photosites away in a mosaic.
    let step = if channels == 1 { 2 } else { 1 };
    Region::covering(width, height, [SIDE; 2]).into_par_iter().try_for_each(|tile| {
        let around = reach * step;
        let (x, y) = (tile.x.saturating_sub(around), tile.y.saturating_sub(around));
        let region = Region {
            x,
            y,
            width: (tile.x + tile.width + around).min(width) - x,
            height: (tile.y + tile.height + around).min(height) - y,
        };
        let values = flat.picture.read_region(region)?;
        let size = [region.width as usize, region.height as usize];
        let (channels, step, reach) = (channels as usize, step as usize, reach as usize);
        let across = along(&values, channels, size[0], step * channels, reach);
        let all = down(&across, size[0] * channels, step, reach);
        let mut out = Vec::with_capacity(tile.area() * channels);
        for row in (tile.y - y) as usize..(tile.y - y + tile.height) as usize {
            let from = (row * size[0] + (tile.x - x) as usize) * channels;
            out.extend_from_slice(&all[from..from + tile.width as usize * channels]);
        }
        writer.write_region(tile, &out)
    })?;
    Ok(Master { picture: writer.finish(false)?, note })
}

/// Means along rows.
fn along(values: &[f32], channels: usize, width: usize, step: usize, reach: usize) -> Vec<f32> {
    let row = width * channels;
    values
        .chunks_exact(row)
        .flat_map(|values| (0..row).map(|i| mean(values, i, step, reach)))
        .collect()
}

/// Means down columns.
fn down(values: &[f32], row: usize, step: usize, reach: usize) -> Vec<f32> {
    (0..values.len()).map(|i| mean(values, i, step * row, reach)).collect()
}

/// The mean of samples `step` apart to both sides, those that there are.
fn mean(values: &[f32], at: usize, step: usize, reach: usize) -> f32 {
    let before = (at / step).min(reach);
    let after = ((values.len() - 1 - at) / step).min(reach);
    let sum: f32 = (0..=before + after).map(|i| values[at - before * step + i * step]).sum();
    sum / (before + after + 1) as f32
}
