//! Turns pictures that are stored lying on a side, as cameras held upright write them.

use super::rows::RowsOf;
use crate::PictureError;

/// How stored rows and columns have to be turned to be upright (EXIF 2.32, Orientation).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Orientation {
    /// Stored rows are columns.
    swapped: bool,
    /// The first stored column lies on the right, or at the bottom.
    columns_back: bool,
    /// The first stored row lies at the bottom, or on the right.
    rows_back: bool,
}

impl Orientation {
    /// As stored.
    pub const UPRIGHT: Self = Self { swapped: false, columns_back: false, rows_back: false };

    /// From the tag's value; unknown ones count as upright.
    pub fn from_tag(value: u32) -> Self {
        let (swapped, columns_back, rows_back) = match value {
            2 => (false, true, false),
            3 => (false, true, true),
            4 => (false, false, true),
            5 => (true, false, false),
            6 => (true, false, true),
            7 => (true, true, true),
            8 => (true, true, false),
            _ => (false, false, false),
        };
        Self { swapped, columns_back, rows_back }
    }

    /// The upright size of a picture of a stored size.
    pub fn size(self, (width, height): (u32, u32)) -> (u32, u32) {
        if self.swapped { (height, width) } else { (width, height) }
    }

    /// The stored pixel that is upright at `x`, `y`, in a picture of this stored size.
    fn stored(self, (x, y): (usize, usize), (width, height): (usize, usize)) -> (usize, usize) {
        let (column, row) = if self.swapped { (y, x) } else { (x, y) };
        (
            if self.columns_back { width - 1 - column } else { column },
            if self.rows_back { height - 1 - row } else { row },
        )
    }

    /// The stored position that is upright at `x`, `y`, in a picture of this stored size, in
    /// pixels.
    pub fn stored_place(self, [x, y]: [f64; 2], (width, height): (u32, u32)) -> [f64; 2] {
        let (column, row) = if self.swapped { (y, x) } else { (x, y) };
        let back =
            |at: f64, size: u32, back: bool| if back { f64::from(size) - 1.0 - at } else { at };
        [back(column, width, self.columns_back), back(row, height, self.rows_back)]
    }

    /// Passes on the rows of a stored picture upright, `height` at a time.
    ///
    /// # Errors
    /// What `rows` returned.
    pub fn upright<T: Copy + Default>(
        self,
        samples: &[T],
        (width, height): (u32, u32),
        row_count: u32,
        rows: RowsOf<T>,
    ) -> Result<(), PictureError> {
        let (columns, high) = self.size((width, height));
        let stored = (width as usize, height as usize);
        let pixels = samples.as_chunks::<3>().0;
        for top in (0..high).step_by(row_count as usize) {
            let some = row_count.min(high - top) as usize;
            let mut band = vec![T::default(); columns as usize * some * 3];
            let out = band.as_chunks_mut::<3>().0;
            // Column by column, so that reading is contiguous where rows are stored as columns.
            for x in 0..columns as usize {
                for y in 0..some {
                    let (column, row) = self.stored((x, top as usize + y), stored);
                    out[y * columns as usize + x] = pixels[row * stored.0 + column];
                }
            }
            rows(top, &band)?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_between_pixels_is_stored_where_its_pixel_is() {
        let stored = (7, 5);
        for tag in 1..=8 {
            let orientation = Orientation::from_tag(tag);
            let (width, high) = orientation.size(stored);
            for (x, y) in (0..width).flat_map(|x| (0..high).map(move |y| (x, y))) {
                let (column, row) = orientation.stored((x as usize, y as usize), (7, 5));
                let place = orientation.stored_place([f64::from(x), f64::from(y)], stored);
                assert_eq!(place, [column as f64, row as f64], "{x} {y} of tag {tag}");
            }
        }
    }
}
