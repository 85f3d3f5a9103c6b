//! The small grid on which sky and ground are told apart.

/// Cells along the longer side at most.
const CELLS: u32 = 640;

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
    /// The grid of a picture of this size in pixels.
    pub fn of((width, height): (u32, u32)) -> Self {
        let step = width.max(height).div_ceil(CELLS).max(1);
        Self { step, across: width.div_ceil(step) as usize, down: height.div_ceil(step) as usize }
    }

    /// Number of cells.
    pub fn cells(&self) -> usize {
        self.across * self.down
    }

    /// The cell in which a pixel position lies, if any.
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

    /// Values of cells at a pixel position, by straight lines between the middles of cells; beyond
    /// the outermost middles the nearest ones.
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

    /// Means over squares of `2 radius + 1` cells; at the edges, over what there is of them.
    pub fn blurred(&self, values: &[f32], radius: usize) -> Vec<f32> {
        self.blurred_along(&self.blurred_along(values, radius, true), radius, false)
    }

    /// The same along rows or columns alone.
    pub fn blurred_along(&self, values: &[f32], radius: usize, rows: bool) -> Vec<f32> {
        match rows {
            true => running(values, self.across, self.down, 1, self.across, radius),
            false => running(values, self.down, self.across, self.across, 1, radius),
        }
    }
}

/// Means over `2 radius + 1` values of `count` lines of `long` values.
fn running(
    values: &[f32],
    long: usize,
    count: usize,
    step: usize,
    line: usize,
    radius: usize,
) -> Vec<f32> {
    let mut out = vec![0.0; values.len()];
    for start in (0..count).map(|i| i * line) {
        let at = |i: usize| f64::from(values[start + i * step]);
        let mut sum: f64 = (0..radius.min(long)).map(at).sum();
        for i in 0..long {
            if i + radius < long {
                sum += at(i + radius);
            }
            if i > radius {
                sum -= at(i - radius - 1);
            }
            let first = i.saturating_sub(radius);
            let wide = (i + radius).min(long - 1) + 1 - first;
            out[start + i * step] = (sum / wide as f64) as f32;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_grid_covers_its_picture_and_gives_back_what_is_straight() {
        let grid = Grid::of((6000, 4001));
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
    }

    #[test]
    fn blurring_is_the_mean_of_what_lies_around() {
        let grid = Grid { step: 1, across: 7, down: 5 };
        let values: Vec<f32> = (0..grid.cells()).map(|i| ((i * 37) % 11) as f32).collect();
        let blurred = grid.blurred(&values, 2);
        for (cell, own) in blurred.iter().enumerate() {
            let (x, y) = ((cell % 7) as i64, (cell / 7) as i64);
            let near = (0..grid.cells())
                .filter(|i| ((i % 7) as i64 - x).abs() <= 2 && ((i / 7) as i64 - y).abs() <= 2);
            let near: Vec<f32> = near.map(|i| values[i]).collect();
            let wanted = near.iter().sum::<f32>() / near.len() as f32;
            assert!((own - wanted).abs() < 1e-4, "{cell}: {own} for {wanted}");
        }
    }
}
