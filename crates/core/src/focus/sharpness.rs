//! How sharp each part of a frame is.

use crate::frames::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use rayon::prelude::*;

/// Cells along the longer side of the picture.
const ACROSS: u32 = 48;

/// The energy of fine detail in cells of a frame: squares of the modified Laplacian (Nayar and
/// Nakagawa 1994), of light made even by its root.
#[derive(Debug, Clone, PartialEq)]
pub struct Sharpness {
    /// Cells across and down.
    pub size: [usize; 2],
    /// Mean energy of each cell, row by row, noise and all.
    pub cells: Vec<f32>,
}

impl Sharpness {
    /// Measures a frame.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] when `stop` says so.
    pub fn of(light: &dyn Light, stop: &(dyn Fn() -> bool + Sync)) -> Result<Self, PictureError> {
        let (width, height) = light.size();
        let side = width.max(height).div_ceil(ACROSS).max(8);
        let size = [width, height].map(|long| (long / side).max(1) as usize);
        let rows: Result<Vec<Vec<f32>>, PictureError> = (0..size[1] as u32)
            .into_par_iter()
            .map(|row| match stop() {
                true => Err(PictureError::Cancelled),
                false => {
                    let tall = side.min(height);
                    let region = Region { x: 0, y: row * side, width, height: tall };
                    let mut even = light.mean(region)?;
                    even.iter_mut().for_each(|v| *v = v.max(0.0).sqrt());
                    Ok(energies(&even, width as usize, side as usize, size[0]))
                }
            })
            .collect();
        Ok(Self { size, cells: rows?.concat() })
    }
}

/// The mean energy of each of `count` cells of `side` columns in a band of rows.
fn energies(band: &[f32], wide: usize, side: usize, count: usize) -> Vec<f32> {
    let tall = band.len() / wide;
    let mut sums = vec![0.0f32; count];
    let mut pixels = vec![0u32; count];
    for y in 2..tall.saturating_sub(2) {
        for x in 2..wide - 2 {
            let cell = x / side;
            if cell >= count {
                break;
            }
            let at = y * wide + x;
            // Over two pixels, as noise is finer than what a lens draws.
            let across = 2.0 * band[at] - band[at - 2] - band[at + 2];
            let down = 2.0 * band[at] - band[at - 2 * wide] - band[at + 2 * wide];
            sums[cell] += (across.abs() + down.abs()).powi(2);
            pixels[cell] += 1;
        }
    }
    sums.iter().zip(pixels).map(|(sum, pixels)| sum / pixels.max(1) as f32).collect()
}
