//! How sharp each part of a frame is.

use jade_optics::grid::Grid;
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_optics::space::{InFrame, InReference};
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use rayon::prelude::*;

/// Most cells along the longer side of the picture.
const ACROSS: u32 = 576;
/// Most of the larger cells along the longer side.
const FEW: usize = 48;
/// Least side of a cell in pixels.
const LEAST: u32 = 2;
/// Distance in pixels over which detail is measured: noise is finer than detail that a lens images.
const APART: u32 = 2;
/// Side of the square around a position in which energy is measured, in pixels.
const AROUND: u32 = 21;
/// Rows of cells that are measured at a time.
const ROWS: u32 = 8;

/// The energy of fine detail in cells of a frame: squares of the modified Laplacian (Nayar and
/// Nakagawa 1994) of the square root of light.
#[derive(Debug, Clone, PartialEq)]
pub struct Sharpness {
    /// The cells.
    pub grid: Grid,
    /// Mean energy of each cell, including noise.
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
        let most = ACROSS.min((width.max(height) / LEAST).max(1));
        let grid = Grid::of((width, height), most);
        let side = grid.step;
        // Energies and light.
        type Cells = (Vec<f32>, Vec<f32>);
        let rows: Result<Vec<Cells>, PictureError> = (0..(grid.down as u32).div_ceil(ROWS))
            .into_par_iter()
            .map(|part| match stop() {
                true => Err(PictureError::Cancelled),
                false => {
                    let (from, to) = (part * ROWS, ((part + 1) * ROWS).min(grid.down as u32));
                    let top = (from * side).saturating_sub(APART);
                    let low = (to * side + APART).min(height);
                    let band = Region { x: 0, y: top, width, height: low - top };
                    let mut even = light.mean(band)?;
                    let (columns, cell) = (width as usize, side as usize);
                    let rows = (from..to).map(|row| {
                        let low = ((row + 1) * side).min(height);
                        (row * side - top) as usize..(low - top) as usize
                    });
                    let rows: Vec<std::ops::Range<usize>> = rows.collect();
                    let mean = |rows| means(&even, columns, rows, cell);
                    let light = rows.iter().cloned().flat_map(mean).collect();
                    even.iter_mut().for_each(|v| *v = v.max(0.0).sqrt());
                    let energy = |rows| energies(&even, columns, rows, cell);
                    Ok((rows.into_iter().flat_map(energy).collect(), light))
                }
            })
            .collect();
        let (cells, light): (Vec<_>, Vec<_>) = rows?.into_iter().unzip();
        Ok(Self { grid, cells: cells.concat(), light: light.concat() })
    }

    /// The energy around a position of a frame, in pixels; `None` near its edges and beyond them.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn around(light: &dyn Light, at: [f64; 2]) -> Result<Option<f32>, PictureError> {
        let (width, height) = light.size();
        let [x, y] = at.map(|v| v.round() as i64 - i64::from(AROUND / 2));
        let fits = |at: i64, length: u32| at >= 0 && at + i64::from(AROUND) <= i64::from(length);
        if !fits(x, width) || !fits(y, height) {
            return Ok(None);
        }
        let square = Region { x: x as u32, y: y as u32, width: AROUND, height: AROUND };
        Ok(Some(Self::of_patch(light.mean(square)?, AROUND as usize)))
    }

    /// The energy of a patch of light, in rows of `width`.
    pub fn of_patch(mut light: Vec<f32>, width: usize) -> f32 {
        light.iter_mut().for_each(|v| *v = v.max(0.0).sqrt());
        energies(&light, width, 0..light.len() / width, width)[0]
    }

    /// The sharpness in larger cells, by which frames are compared as a whole.
    pub fn coarse(&self) -> Self {
        self.pooled(FEW)
    }

    /// The sharpness as if all frames were equally bright: their content as a whole hardly changes.
    pub fn compared(&self) -> Self {
        let mean = self.light.iter().sum::<f32>() / self.light.len() as f32;
        self.coarse().brighter(1.0 / mean.max(1e-6))
    }

    /// The sharpness in larger cells, at most `most` along the longer side.
    pub fn pooled(&self, most: usize) -> Self {
        let Grid { across, down, .. } = self.grid;
        let factor = across.max(down).div_ceil(most);
        let grid = self.grid.coarser(factor);
        let pooled = |values: &[f32]| -> Vec<f32> {
            let mut sums = vec![(0.0f32, 0.0f32); grid.cells()];
            for (y, row) in values.chunks_exact(across).enumerate() {
                for (x, value) in row.iter().enumerate() {
                    let (sum, count) = &mut sums[y / factor * grid.across + x / factor];
                    *sum += value;
                    *count += 1.0;
                }
            }
            sums.into_iter().map(|(sum, count)| sum / count).collect()
        };
        Self { grid, cells: pooled(&self.cells), light: pooled(&self.light) }
    }

    /// The sharpness of a frame whose light is multiplied by `gain`.
    pub fn brighter(mut self, gain: f32) -> Self {
        // Energy is measured in the square root of light.
        self.cells.iter_mut().chain(&mut self.light).for_each(|v| *v *= gain);
        self
    }
}

/// Values of a frame's cells in the grid of the reference frame, under the frame's motion; 0 where
/// the frame does not reach.
pub fn on_reference(grid: Grid, values: &[f32], motion: &Motion) -> Vec<f32> {
    let backward = motion.backward();
    let one = |cell| {
        let InFrame(at) = backward.to_frame(InReference(grid.middle(cell)));
        grid.cell(at).map_or(0.0, |_| grid.at(values, at))
    };
    (0..grid.cells()).map(one).collect()
}

/// Mean light of cells that are `side` columns wide, in some rows of a band.
fn means(band: &[f32], width: usize, rows: std::ops::Range<usize>, side: usize) -> Vec<f32> {
    let mut sums = vec![0.0f32; width.div_ceil(side)];
    for y in rows.clone() {
        let row = &band[y * width..(y + 1) * width];
        for (sum, chunk) in sums.iter_mut().zip(row.chunks(side)) {
            *sum += chunk.iter().sum::<f32>();
        }
    }
    let pixels = |cell: usize| (rows.len() * side.min(width - cell * side)).max(1) as f32;
    sums.iter().enumerate().map(|(cell, sum)| sum / pixels(cell)).collect()
}

/// Mean energy of cells that are `side` columns wide, in some rows of a band; pixels without
/// neighbours on all sides count as 0.
fn energies(band: &[f32], width: usize, rows: std::ops::Range<usize>, side: usize) -> Vec<f32> {
    let (apart, height) = (APART as usize, band.len() / width);
    let columns = |cell: usize| {
        let to = ((cell + 1) * side).min(width.saturating_sub(apart));
        (cell * side).max(apart).min(to)..to
    };
    let mut sums = vec![0.0f32; width.div_ceil(side)];
    let mut lines = 0;
    for y in rows {
        if y < apart || y + apart >= height {
            continue;
        }
        lines += 1;
        let row = |y: usize| &band[y * width..(y + 1) * width];
        let (here, above, below) = (row(y), row(y - apart), row(y + apart));
        for (cell, sum) in sums.iter_mut().enumerate() {
            for x in columns(cell) {
                let across = 2.0 * here[x] - here[x - apart] - here[x + apart];
                let down = 2.0 * here[x] - above[x] - below[x];
                *sum += (across.abs() + down.abs()).powi(2);
            }
        }
    }
    let pixels = |cell: usize| (lines * columns(cell).len()).max(1) as f32;
    sums.iter().enumerate().map(|(cell, sum)| sum / pixels(cell)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_optics::drawn::Drawn;
    use nalgebra::Matrix3;

    #[test]
    fn detail_is_measured_where_it_is() {
        // Even light with a fine pattern in one part.
        let of = |[x, y]: [u32; 2], _| {
            let inside = (40..80).contains(&x) && (30..60).contains(&y);
            if inside && (x / 2 + y / 2) % 2 == 0 { 0.49 } else { 0.25 }
        };
        let found = Sharpness::of(&Drawn { size: (120, 90), of }, &|| false).unwrap();
        assert_eq!(found.grid, Grid { step: 2, across: 60, down: 45 });
        let at = |x: usize, y: usize| found.cells[y / 2 * 60 + x / 2];
        // Four times the step of 0.2 along each axis.
        assert!((at(60, 44) - 0.64).abs() < 1e-3, "{}", at(60, 44));
        assert_eq!([at(20, 44), at(60, 10), at(100, 80), at(0, 0), at(119, 89)], [0.0; 5]);
        let light = |x: usize| found.light[22 * 60 + x];
        assert_eq!([light(30), light(31), found.light[0]], [0.49, 0.25, 0.25]);
        let around = |at| Sharpness::around(&Drawn { size: (120, 90), of }, at).unwrap();
        assert!((around([60.0, 44.0]).unwrap() - 0.64).abs() < 1e-3);
        assert_eq!([around([20.0, 20.0]), around([5.0, 44.0])], [Some(0.0), None]);
        let coarse = found.coarse();
        assert_eq!(coarse.grid, Grid { step: 4, across: 30, down: 23 });
        let at = |x: usize, y: usize| coarse.cells[y / 4 * 30 + x / 4];
        assert!((at(60, 44) - 0.64).abs() < 1e-3 && at(20, 44) == 0.0);
        assert!((coarse.light[11 * 30 + 15] - 0.37).abs() < 1e-3);
    }

    #[test]
    fn a_picture_whose_sides_are_no_whole_cells_is_measured_to_its_edges() {
        let of = |[x, y]: [u32; 2], _: usize| if (x / 2 + y / 2) % 2 == 0 { 0.49 } else { 0.25 };
        let found = Sharpness::of(&Drawn { size: (1155, 31), of }, &|| false).unwrap();
        assert_eq!(found.grid, Grid { step: 3, across: 385, down: 11 });
        // The outermost pixels have no neighbours, the cells at the edges still some light.
        assert!(found.light.iter().all(|light| (0.25..=0.49).contains(light)));
        let inside =
            |cell: &usize| (1..384).contains(&(cell % 385)) && (1..9).contains(&(cell / 385));
        assert!((0..found.cells.len()).filter(inside).all(|cell| found.cells[cell] > 0.6));
    }

    #[test]
    fn cells_of_a_frame_are_laid_where_it_lies() {
        let grid = Grid { step: 4, across: 30, down: 20 };
        let values: Vec<f32> = (0..600).map(|cell| 1.0 + (cell % 30) as f32).collect();
        let motion = Motion::Homography(Matrix3::new(1.0, 0.0, 8.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0));
        let on_reference = on_reference(grid, &values, &motion);
        // Two cells further right; nothing of it is seen in the first two columns.
        assert_eq!(
            [on_reference[60], on_reference[61], on_reference[62], on_reference[89]],
            [0.0, 0.0, 1.0, 28.0]
        );
    }
}
