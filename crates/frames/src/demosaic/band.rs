//! A band of a mosaic whose colours are found at once.

use jade_pixels::mosaic::Pattern;

/// Rows and columns about a band that are needed to find its colours, and photosites beyond them
/// that hold nothing; even, so that the pattern begins alike.
pub const MARGIN: usize = 12;

/// A band of a mosaic: balanced light, with [`MARGIN`] photosites around it.
pub struct Band<'a> {
    /// Columns and rows without the margin.
    pub size: [usize; 2],
    /// `(columns + 2 * MARGIN) * (rows + 2 * MARGIN)` values, row by row.
    pub light: &'a [f32],
    /// Colours, counted from the first photosite of the margin.
    pub pattern: Pattern,
}

impl Band<'_> {
    /// Values of a row with its margins.
    pub fn stride(&self) -> usize {
        self.size[0] + 2 * MARGIN
    }

    /// The colour of a photosite, both counted from the first of the margin: 0 red, 1 green, 2 blue.
    pub fn colour(&self, x: usize, y: usize) -> usize {
        self.pattern.colour(x as u32, y as u32)
    }
}
