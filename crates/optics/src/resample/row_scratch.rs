//! Memory in which the rows of a region are resampled.

use super::layout::STRIP;

/// Source rows that are kept; a power of two above `STRIP * LEAN + TAPS`.
pub const RING: usize = 32;
/// Columns of a source row that a strip reads at most: stretched, with the kernel of its last run.
pub const WIDE: usize = 192;

/// Memory in which one row at a time is resampled.
pub struct RowScratch {
    /// The whole source, for resampling along both axes at once.
    pub planes: [Vec<f32>; 3],
    pub xs: [f32; STRIP],
    pub ys: [f32; STRIP],
    pub upright: CrossedRows,
}

impl Default for RowScratch {
    fn default() -> Self {
        let (xs, ys) = ([0.0; STRIP], [0.0; STRIP]);
        Self { planes: Default::default(), xs, ys, upright: Default::default() }
    }
}

/// Source rows that are already resampled along rows.
pub struct CrossedRows {
    /// `RING` rows of `STRIP` values for each colour.
    pub rings: [Vec<f32>; 3],
    pub xs: [f32; STRIP],
    /// The source row that is being resampled.
    pub source: [[f32; WIDE]; 3],
    /// The next source row to be resampled.
    pub next: usize,
}

impl Default for CrossedRows {
    fn default() -> Self {
        let rings = [(); 3].map(|()| vec![0.0; RING * STRIP]);
        Self { rings, xs: [0.0; STRIP], source: [[0.0; WIDE]; 3], next: 0 }
    }
}
