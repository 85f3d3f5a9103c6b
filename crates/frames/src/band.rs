//! Developing a mosaic, a band of rows at a time.

use super::calibration::Calibration;
use super::demosaic::{self, Band, MARGIN, mirrored};
use super::photosites::uncalibrated_rows;
use super::{colour, light_codes};
use jade_pixels::PictureError;
use jade_pixels::facts::Facts;
use jade_pixels::mosaic::Mosaic;
use jade_pixels::read::{Orientation, Rows};
use jade_pixels::tiled::SIDE;
use jade_plan::Demosaic;
use rayon::prelude::*;

/// Most bytes that developing takes, beside the mosaic and its output.
pub fn developing_bytes(width: u32) -> u64 {
    let rows = u64::from(SIDE) + 2 * MARGIN as u64;
    // Light, the planes of fine demosaicing, colours and codes.
    let pixel = 4 + demosaic::BYTES_FOR_PIXEL + 12 + 6;
    rayon::current_num_threads() as u64 * rows * u64::from(width) * pixel
}

/// Develops a mosaic into stored light, balanced as shot. `rows` gets whole rows of interleaved
/// codes, upright, from top to bottom.
///
/// # Errors
/// [`PictureError::Io`] of a master frame, or the error of `rows`.
pub fn develop(
    mosaic: &Mosaic,
    orientation: Orientation,
    way: Demosaic,
    calibration: Option<(&Calibration, &Facts)>,
    rows: Rows,
) -> Result<(), PictureError> {
    let developing = Developing { mosaic, way, calibration };
    if orientation == Orientation::UPRIGHT {
        return developing.bands(rows);
    }
    let mut all = Vec::with_capacity(mosaic.codes.len() * 3);
    developing.bands(&mut |_, codes| {
        all.extend_from_slice(codes);
        Ok(())
    })?;
    orientation.upright(&all, (mosaic.width, mosaic.height), SIDE, rows)
}

/// Scratch memory for one band.
#[derive(Default)]
struct Scratch {
    recorded: Vec<f32>,
    light: Vec<f32>,
    demosaicing: demosaic::Scratch,
    colours: Vec<f32>,
    codes: Vec<u16>,
}

struct Developing<'a> {
    mosaic: &'a Mosaic,
    way: Demosaic,
    calibration: Option<(&'a Calibration, &'a Facts)>,
}

impl Developing<'_> {
    fn bands(&self, rows: Rows) -> Result<(), PictureError> {
        let tops: Vec<u32> = (0..self.mosaic.height).step_by(SIDE as usize).collect();
        let together = rayon::current_num_threads().clamp(1, tops.len().max(1));
        let mut scratches: Vec<Scratch> = (0..together).map(|_| Scratch::default()).collect();
        for few in tops.chunks(together) {
            let work = few.par_iter().with_max_len(1).zip(&mut scratches);
            work.try_for_each(|(&top, scratch)| self.band(top, scratch))?;
            for (&top, scratch) in few.iter().zip(&scratches) {
                rows(top, &scratch.codes)?;
            }
        }
        Ok(())
    }

    /// Leaves the band's codes in `scratch`.
    fn band(&self, top: u32, scratch: &mut Scratch) -> Result<(), PictureError> {
        let mosaic = self.mosaic;
        let (width, height) = (mosaic.width as usize, mosaic.height as usize);
        let size = [width, (height - top as usize).min(SIDE as usize)];
        let from = top.saturating_sub(MARGIN as u32);
        let to = (top + size[1] as u32 + MARGIN as u32).min(mosaic.height);
        let Scratch { recorded, light, demosaicing, colours, codes } = scratch;
        recorded.resize(width * (to - from) as usize, 0.0);
        match self.calibration {
            Some((calibration, facts)) => {
                calibration.mosaic_rows(mosaic, facts, from..to, recorded)?;
            }
            None => uncalibrated_rows(mosaic, from..to, recorded),
        }
        let stride = width + 2 * MARGIN;
        light.resize(stride * (size[1] + 2 * MARGIN), 0.0);
        for (y, row) in light.chunks_exact_mut(stride).enumerate() {
            let y = mirrored(y as isize + top as isize - MARGIN as isize, height);
            let recorded = &recorded[(y - from as usize) * width..][..width];
            self.balance(y as u32, recorded, &mut row[MARGIN..MARGIN + width]);
            for x in 0..MARGIN {
                row[x] = row[MARGIN + mirrored(x as isize - MARGIN as isize, width)];
                row[MARGIN + width + x] = row[MARGIN + mirrored((width + x) as isize, width)];
            }
        }
        // Bands and margins are even, so that every band begins with the same colour as the mosaic.
        let band = Band { size, light, pattern: mosaic.sensor.pattern };
        colours.resize(size[0] * size[1] * 3, 0.0);
        demosaic::demosaic(&band, self.way, demosaicing, colours);
        codes.resize(colours.len(), 0);
        light_codes::codes(colours, codes);
        Ok(())
    }

    /// Balances the light of a row, so that what was neutral as shot is equal in all colours.
    fn balance(&self, y: u32, recorded: &[f32], out: &mut [f32]) {
        let sensor = &self.mosaic.sensor;
        let shot = colour::as_shot(sensor);
        let factors = [0, 1].map(|x| 1.0 / shot[sensor.pattern.colour(x, y)]);
        for (x, (out, light)) in out.iter_mut().zip(recorded).enumerate() {
            *out = light * factors[x % 2];
        }
    }
}
