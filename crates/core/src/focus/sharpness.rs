//! How sharp each part of a frame is.

use crate::frames::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use rayon::prelude::*;

/// Cells along the longer side of the picture at most.
const ACROSS: u32 = 576;
/// The same of larger cells.
const FEW: usize = 48;
/// Pixels to either side by which detail is measured: noise is finer than what a lens draws.
const APART: u32 = 2;
/// Rows of cells that are measured at a time.
const ROWS: u32 = 8;

/// The energy of fine detail in cells of a frame: squares of the modified Laplacian (Nayar and
/// Nakagawa 1994), of light made even by its root.
#[derive(Debug, Clone, PartialEq)]
pub struct Sharpness {
    /// Cells across and down; what is left of the picture at its right and low edges is in none.
    pub size: [usize; 2],
    /// Side of a cell in pixels.
    pub side: u32,
    /// Mean energy of each cell, row by row, noise and all.
    pub cells: Vec<f32>,
    /// Mean light of each cell.
    pub light: Vec<f32>,
}

impl Sharpness {
    /// Measures a frame.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] when `stop` says so.
    pub fn of(light: &dyn Light, stop: &(dyn Fn() -> bool + Sync)) -> Result<Self, PictureError> {
        let (width, height) = light.size();
        let side = width.max(height).div_ceil(ACROSS).max(2);
        let size = [width, height].map(|long| (long / side).max(1) as usize);
        // Energies and light.
        type Cells = (Vec<f32>, Vec<f32>);
        let rows: Result<Vec<Cells>, PictureError> = (0..(size[1] as u32).div_ceil(ROWS))
            .into_par_iter()
            .map(|part| match stop() {
                true => Err(PictureError::Cancelled),
                false => {
                    let (from, to) = (part * ROWS, ((part + 1) * ROWS).min(size[1] as u32));
                    let top = (from * side).saturating_sub(APART);
                    let low = (to * side + APART).min(height);
                    let band = Region { x: 0, y: top, width, height: low - top };
                    let mut even = light.mean(band)?;
                    let (wide, cell) = (width as usize, side as usize);
                    let rows = (from..to).map(|row| {
                        let low = ((row + 1) * side).min(height);
                        (row * side - top) as usize..(low - top) as usize
                    });
                    let rows: Vec<std::ops::Range<usize>> = rows.collect();
                    let mean = |rows| means(&even, wide, rows, cell, size[0]);
                    let light = rows.iter().cloned().flat_map(mean).collect();
                    even.iter_mut().for_each(|v| *v = v.max(0.0).sqrt());
                    let energy = |rows| energies(&even, wide, rows, cell, size[0]);
                    Ok((rows.into_iter().flat_map(energy).collect(), light))
                }
            })
            .collect();
        let (cells, light): (Vec<_>, Vec<_>) = rows?.into_iter().unzip();
        Ok(Self { size, side, cells: cells.concat(), light: light.concat() })
    }

    /// The same in larger cells, by which frames are compared as a whole.
    pub fn coarse(&self) -> Self {
        let together = self.size[0].max(self.size[1]).div_ceil(FEW);
        let size = self.size.map(|count| count.div_ceil(together));
        let pooled = |values: &[f32]| -> Vec<f32> {
            let mut sums = vec![(0.0f32, 0.0f32); size[0] * size[1]];
            for (y, row) in values.chunks_exact(self.size[0]).enumerate() {
                for (x, value) in row.iter().enumerate() {
                    let (sum, count) = &mut sums[y / together * size[0] + x / together];
                    *sum += value;
                    *count += 1.0;
                }
            }
            sums.into_iter().map(|(sum, count)| sum / count).collect()
        };
        let side = self.side * together as u32;
        Self { size, side, cells: pooled(&self.cells), light: pooled(&self.light) }
    }

    /// The same of a frame with so many times the light.
    pub fn brighter(&self, gain: f32) -> Self {
        // Of light made even by its root.
        let times = |values: &[f32]| values.iter().map(|v| v * gain).collect();
        Self { cells: times(&self.cells), light: times(&self.light), ..*self }
    }
}

/// The mean light of each of `count` cells of `side` columns in some rows of a band.
fn means(
    band: &[f32],
    wide: usize,
    rows: std::ops::Range<usize>,
    side: usize,
    count: usize,
) -> Vec<f32> {
    let mut sums = vec![0.0f32; count];
    for y in rows.clone() {
        let row = &band[y * wide..(y + 1) * wide];
        for (sum, own) in sums.iter_mut().zip(row.chunks(side)) {
            *sum += own.iter().sum::<f32>();
        }
    }
    let pixels = |cell: usize| (rows.len() * side.min(wide - cell * side)).max(1) as f32;
    sums.iter().enumerate().map(|(cell, sum)| sum / pixels(cell)).collect()
}

/// The mean energy of each of `count` cells of `side` columns in some rows of a band; pixels without
/// neighbours on all sides have none.
fn energies(
    band: &[f32],
    wide: usize,
    rows: std::ops::Range<usize>,
    side: usize,
    count: usize,
) -> Vec<f32> {
    let (apart, tall) = (APART as usize, band.len() / wide);
    let mut sums = vec![0.0f32; count];
    let mut lines = 0;
    for y in rows {
        if y < apart || y + apart >= tall {
            continue;
        }
        lines += 1;
        let row = |y: usize| &band[y * wide..(y + 1) * wide];
        let (own, above, below) = (row(y), row(y - apart), row(y + apart));
        for (cell, sum) in sums.iter_mut().enumerate() {
            let from = (cell * side).max(apart);
            let to = ((cell + 1) * side).min(wide - apart);
            for x in from..to {
                let across = 2.0 * own[x] - own[x - apart] - own[x + apart];
                let down = 2.0 * own[x] - above[x] - below[x];
                *sum += (across.abs() + down.abs()).powi(2);
            }
        }
    }
    let pixels = |cell: usize| {
        let from = (cell * side).max(apart);
        let to = ((cell + 1) * side).min(wide - apart);
        (lines * to.saturating_sub(from)).max(1) as f32
    };
    sums.iter().enumerate().map(|(cell, sum)| sum / pixels(cell)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Even light with a fine pattern in one part.
    struct Pattern;

    impl Light for Pattern {
        fn size(&self) -> (u32, u32) {
            (120, 90)
        }

        fn fill(
            &self,
            region: Region,
            planes: [&mut [f32]; 3],
            stride: usize,
        ) -> Result<(), PictureError> {
            for plane in planes {
                for y in 0..region.height {
                    for x in 0..region.width {
                        let (at_x, at_y) = (region.x + x, region.y + y);
                        let inside = (40..80).contains(&at_x) && (30..60).contains(&at_y);
                        let bright = inside && (at_x / 2 + at_y / 2) % 2 == 0;
                        plane[y as usize * stride + x as usize] = if bright { 0.49 } else { 0.25 };
                    }
                }
            }
            Ok(())
        }
    }

    #[test]
    fn detail_is_measured_where_it_is() {
        let found = Sharpness::of(&Pattern, &|| false).unwrap();
        assert_eq!((found.size, found.side), ([60, 45], 2));
        let at = |x: usize, y: usize| found.cells[y / 2 * 60 + x / 2];
        // Four times the step of 0.2 along each axis.
        assert!((at(60, 44) - 0.64).abs() < 1e-3, "{}", at(60, 44));
        assert_eq!([at(20, 44), at(60, 10), at(100, 80), at(0, 0), at(119, 89)], [0.0; 5]);
        let light = |x: usize| found.light[22 * 60 + x];
        assert_eq!([light(30), light(31), found.light[0]], [0.49, 0.25, 0.25]);
        let coarse = found.coarse();
        assert_eq!((coarse.size, coarse.side), ([30, 23], 4));
        let at = |x: usize, y: usize| coarse.cells[y / 4 * 30 + x / 4];
        assert!((at(60, 44) - 0.64).abs() < 1e-3 && at(20, 44) == 0.0);
        assert!((coarse.light[11 * 30 + 15] - 0.37).abs() < 1e-3);
    }
}
