//! A picture in square cells, and values of cells at the picture's pixels.

use jade_pixels::tiled::Region;
use rayon::prelude::*;
use std::ops::Range;

/// Square cells of a picture, row by row.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Grid {
    /// Side of a cell in pixels.
    pub step: u32,
    /// Cells in a row.
    pub across: usize,
    /// Rows of cells.
    pub down: usize,
}

impl Grid {
    /// The grid of a picture of this size in pixels, with at most `cells` cells along the longer
    /// side.
    pub fn of((width, height): (u32, u32), cells: u32) -> Self {
        let step = width.max(height).div_ceil(cells).max(1);
        Self { step, across: width.div_ceil(step) as usize, down: height.div_ceil(step) as usize }
    }

    /// The grid whose cells are larger by `factor`.
    pub fn coarser(&self, factor: usize) -> Self {
        let (across, down) = (self.across.div_ceil(factor), self.down.div_ceil(factor));
        Self { step: self.step * factor as u32, across, down }
    }

    /// Number of cells.
    pub fn cells(&self) -> usize {
        self.across * self.down
    }

    /// The columns and rows that contain these cells; `None` without cells.
    pub fn holding(&self, cells: &[usize]) -> Option<[Range<usize>; 2]> {
        let range = |of: &dyn Fn(usize) -> usize| {
            let places = || cells.iter().map(|&i| of(i));
            Some(places().min()?..places().max()? + 1)
        };
        Some([range(&|i| i % self.across)?, range(&|i| i / self.across)?])
    }

    /// The cell at a pixel position; `None` outside the picture.
    pub fn cell(&self, at: [f64; 2]) -> Option<usize> {
        let [x, y] = at.map(|v| ((v + 0.5) / f64::from(self.step)).floor());
        let inside = x >= 0.0 && y >= 0.0 && x < self.across as f64 && y < self.down as f64;
        inside.then(|| y as usize * self.across + x as usize)
    }

    /// The pixel position in the middle of a cell.
    pub fn middle(&self, cell: usize) -> [f64; 2] {
        let half = (f64::from(self.step) - 1.0) / 2.0;
        let at = |i: usize| i as f64 * f64::from(self.step) + half;
        [at(cell % self.across), at(cell / self.across)]
    }

    /// Values of cells at a pixel position, interpolated linearly between the middles of cells;
    /// beyond the outermost middles, the nearest value.
    pub fn at(&self, values: &[f32], [x, y]: [f64; 2]) -> f32 {
        let half = (f64::from(self.step) - 1.0) / 2.0;
        let place = |v: f64, cells: usize| {
            let v = ((v - half) / f64::from(self.step)).clamp(0.0, (cells - 1) as f64);
            let low = (v as usize).min(cells.saturating_sub(2));
            (low, (low + 1).min(cells - 1), (v - low as f64) as f32)
        };
        let (x0, x1, fx) = place(x, self.across);
        let (y0, y1, fy) = place(y, self.down);
        let row = |y: usize| {
            let (left, right) = (values[y * self.across + x0], values[y * self.across + x1]);
            left + (right - left) * fx
        };
        let (top, low) = (row(y0), row(y1));
        top + (low - top) * fy
    }

    /// Appends [`Grid::at`] of every pixel of a region, row by row.
    pub fn lay(&self, region: Region, values: &[f32], out: &mut Vec<f32>) {
        let half = (f64::from(self.step) - 1.0) / 2.0;
        let place = |v: u32, cells: usize| {
            let v = (f64::from(v) - half) / f64::from(self.step);
            let v = v.clamp(0.0, (cells - 1) as f64);
            let low = (v as usize).min(cells.saturating_sub(2));
            (low, (low + 1).min(cells - 1), (v - low as f64) as f32)
        };
        let columns: Vec<(usize, usize, f32)> =
            (region.x..region.x + region.width).map(|x| place(x, self.across)).collect();
        let Some(((first, ..), (_, last, _))) = columns.first().zip(columns.last()) else { return };
        let along = |y: usize, out: &mut Vec<f32>| {
            let row = &values[y * self.across..][*first..last + 1];
            out.clear();
            out.extend(columns.iter().map(|(x0, x1, part)| {
                let (left, right) = (row[x0 - first], row[x1 - first]);
                left + (right - left) * part
            }));
        };
        // Between two rows of cells lie as many rows of pixels as a cell has.
        let (mut top, mut low, mut at) = (Vec::new(), Vec::new(), usize::MAX);
        for y in region.y..region.y + region.height {
            let (y0, y1, part) = place(y, self.down);
            if y0 != at {
                along(y0, &mut top);
                along(y1, &mut low);
                at = y0;
            }
            out.extend(top.iter().zip(&low).map(|(top, low)| top + (low - top) * part));
        }
    }

    /// Means over squares of `2 radius + 1` cells; at the edges, over the part of the square inside
    /// the picture.
    pub fn blurred(&self, values: &[f32], radius: usize) -> Vec<f32> {
        self.blurred_all(values.as_chunks::<1>().0, radius).into_flattened()
    }

    /// [`Grid::blurred`] of `N` values per cell.
    pub fn blurred_all<const N: usize>(&self, values: &[[f32; N]], radius: usize) -> Vec<[f32; N]> {
        self.along_columns(&self.along_rows(values, radius), radius)
    }

    /// [`Grid::blurred`] along rows or along columns only.
    pub fn blurred_along(&self, values: &[f32], radius: usize, rows: bool) -> Vec<f32> {
        let values = values.as_chunks::<1>().0;
        match rows {
            true => self.along_rows(values, radius),
            false => self.along_columns(values, radius),
        }
        .into_flattened()
    }

    fn along_rows<const N: usize>(&self, values: &[[f32; N]], radius: usize) -> Vec<[f32; N]> {
        let length = self.across;
        let mut out = vec![[0.0; N]; values.len()];
        let rows = out.par_chunks_mut(length).zip(values.par_chunks(length)).with_min_len(32);
        rows.for_each(|(out, row)| {
            let mut sums = [0.0f64; N];
            row[..radius.min(length)].iter().for_each(|v| add(&mut sums, v, 1.0));
            let mut mean = (0, 0.0);
            for (i, out) in out.iter_mut().enumerate() {
                if let Some(next) = row.get(i + radius) {
                    add(&mut sums, next, 1.0);
                }
                if i > radius {
                    add(&mut sums, &row[i - radius - 1], -1.0);
                }
                let first = i.saturating_sub(radius);
                let width = (i + radius).min(length - 1) + 1 - first;
                // A division is slow, and most squares lie wholly inside the picture.
                if width != mean.0 {
                    mean = (width, 1.0 / width as f64);
                }
                *out = sums.map(|sum| (sum * mean.1) as f32);
            }
        });
        out
    }

    fn along_columns<const N: usize>(&self, values: &[[f32; N]], radius: usize) -> Vec<[f32; N]> {
        let (width, length) = (self.across, self.down);
        let row = |y: usize| &values[y * width..(y + 1) * width];
        let mut sums = vec![[0.0f64; N]; width];
        let tell = |sums: &mut [[f64; N]], y: usize, sign: f64| {
            sums.iter_mut().zip(row(y)).for_each(|(sums, v)| add(sums, v, sign));
        };
        (0..radius.min(length)).for_each(|y| tell(&mut sums, y, 1.0));
        let mut out = vec![[0.0; N]; values.len()];
        for (y, out) in out.chunks_exact_mut(width).enumerate() {
            if y + radius < length {
                tell(&mut sums, y + radius, 1.0);
            }
            if y > radius {
                tell(&mut sums, y - radius - 1, -1.0);
            }
            let first = y.saturating_sub(radius);
            let part = 1.0 / ((y + radius).min(length - 1) + 1 - first) as f64;
            for (out, sums) in out.iter_mut().zip(&sums) {
                *out = sums.map(|sum| (sum * part) as f32);
            }
        }
        out
    }
}

fn add<const N: usize>(sums: &mut [f64; N], values: &[f32; N], sign: f64) {
    sums.iter_mut().zip(values).for_each(|(sum, v)| *sum += sign * f64::from(*v));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_grid_covers_its_picture_and_gives_back_what_is_straight() {
        let grid = Grid::of((6000, 4001), 640);
        assert_eq!((grid.step, grid.across, grid.down), (10, 600, 401));
        let values: Vec<f32> = (0..grid.cells())
            .map(|cell| {
                let [x, y] = grid.middle(cell);
                (0.25 * x - 0.5 * y) as f32
            })
            .collect();
        for at in [[40.0, 70.0], [3210.7, 1999.2], [5990.0, 3990.0]] {
            let wanted = (0.25 * at[0] - 0.5 * at[1]) as f32;
            assert!((grid.at(&values, at) - wanted).abs() < 0.02, "{at:?}");
        }
        assert_eq!(grid.at(&values, [-50.0, -50.0]), values[0]);
        let region = Region { x: 0, y: 3970, width: 57, height: 31 };
        let mut interpolated = Vec::new();
        grid.lay(region, &values, &mut interpolated);
        for (i, value) in interpolated.iter().enumerate() {
            let at = [(i % 57) as f64, (3970 + i / 57) as f64];
            assert!((value - grid.at(&values, at)).abs() < 1e-2, "{at:?}");
        }
    }

    #[test]
    fn blurring_is_the_mean_of_what_lies_around() {
        let grid = Grid { step: 1, across: 7, down: 5 };
        let values: Vec<f32> = (0..grid.cells()).map(|i| ((i * 37) % 11) as f32).collect();
        let blurred = grid.blurred(&values, 2);
        for (cell, value) in blurred.iter().enumerate() {
            let (x, y) = ((cell % 7) as i64, (cell / 7) as i64);
            let near = (0..grid.cells())
                .filter(|i| ((i % 7) as i64 - x).abs() <= 2 && ((i / 7) as i64 - y).abs() <= 2);
            let near: Vec<f32> = near.map(|i| values[i]).collect();
            let wanted = near.iter().sum::<f32>() / near.len() as f32;
            assert!((value - wanted).abs() < 1e-4, "{cell}: {value} for {wanted}");
        }
    }
}
