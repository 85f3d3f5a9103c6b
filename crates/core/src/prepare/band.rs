//! Developing a mosaic, a band of rows at a time.

use super::demosaic::{self, Band, Demosaic, MARGIN};
use super::{colour, stored};
use jade_pixels::PictureError;
use jade_pixels::mosaic::{Mosaic, Sensor};
use jade_pixels::read::{Orientation, Rows};
use jade_pixels::tiled::SIDE;
use rayon::prelude::*;

/// Bytes beside the mosaic and what comes out that developing takes at most.
pub fn developing_bytes(width: u32) -> u64 {
    let rows = u64::from(SIDE) + 2 * MARGIN as u64;
    // Light, the planes of the fine way, colours and codes.
    let pixel = 4 + demosaic::BYTES_FOR_PIXEL + 12 + 6;
    rayon::current_num_threads() as u64 * rows * u64::from(width) * pixel
}

/// Develops a mosaic into stored light, balanced as shot: whole rows of interleaved codes, brought
/// upright, top to bottom.
///
/// # Errors
/// What `rows` returned.
pub fn develop(
    mosaic: &Mosaic,
    orientation: Orientation,
    way: Demosaic,
    rows: Rows,
) -> Result<(), PictureError> {
    if orientation == Orientation::UPRIGHT {
        return bands(mosaic, way, rows);
    }
    let mut all = Vec::with_capacity(mosaic.codes.len() * 3);
    bands(mosaic, way, &mut |_, codes| {
        all.extend_from_slice(codes);
        Ok(())
    })?;
    orientation.upright(&all, (mosaic.width, mosaic.height), SIDE, rows)
}

fn bands(mosaic: &Mosaic, way: Demosaic, rows: Rows) -> Result<(), PictureError> {
    let tops: Vec<u32> = (0..mosaic.height).step_by(SIDE as usize).collect();
    for few in tops.chunks(rayon::current_num_threads().max(1)) {
        let made: Vec<Vec<u16>> = few.par_iter().map(|&top| band(mosaic, way, top)).collect();
        for (&top, codes) in few.iter().zip(made) {
            rows(top, &codes)?;
        }
    }
    Ok(())
}

fn band(mosaic: &Mosaic, way: Demosaic, top: u32) -> Vec<u16> {
    let (width, height) = (mosaic.width as usize, mosaic.height as usize);
    let size = [width, (height - top as usize).min(SIDE as usize)];
    let stride = width + 2 * MARGIN;
    let mut light = vec![0.0; stride * (size[1] + 2 * MARGIN)];
    for (y, row) in light.chunks_exact_mut(stride).enumerate() {
        let y = mirrored(y as isize + top as isize - MARGIN as isize, height);
        balanced(mosaic, y, &mut row[MARGIN..MARGIN + width]);
        for x in 0..MARGIN {
            row[x] = row[MARGIN + mirrored(x as isize - MARGIN as isize, width)];
            row[MARGIN + width + x] = row[MARGIN + mirrored((width + x) as isize, width)];
        }
    }
    // Bands and margins are even, so that every band begins as the mosaic does.
    let band = Band { size, light: &light, pattern: mosaic.sensor.pattern };
    let mut colours = vec![0.0; size[0] * size[1] * 3];
    demosaic::demosaic(&band, way, &mut demosaic::Room::default(), &mut colours);
    colours.iter().map(|light| stored::code(*light)).collect()
}

/// A row's light, 1 where green is full, neutral as shot equal in all colours.
fn balanced(mosaic: &Mosaic, y: usize, out: &mut [f32]) {
    let Sensor { pattern, black, white, .. } = &mosaic.sensor;
    let shot = colour::as_shot(&mosaic.sensor);
    let scale = [0, 1].map(|x| {
        let black = black[Sensor::place(x, y as u32)];
        (black, 1.0 / ((white - black).max(1.0) * shot[pattern.colour(x, y as u32)]))
    });
    let width = mosaic.width as usize;
    let codes = &mosaic.codes[y * width..(y + 1) * width];
    for (x, (out, code)) in out.iter_mut().zip(codes).enumerate() {
        let (black, factor) = scale[x % 2];
        *out = (f32::from(*code) - black) * factor;
    }
}

/// A place beyond an edge comes from as far within, where the colours are the same.
fn mirrored(place: isize, count: usize) -> usize {
    let last = count as isize - 1;
    let round = place.rem_euclid((2 * last).max(1));
    round.min(2 * last - round).max(0) as usize
}
