//! A band of a mosaic that is demosaiced at once.

use jade_pixels::mosaic::Pattern;

/// Rows and columns around a band that its colours depend on; even, so that the pattern keeps its
/// phase.
pub const MARGIN: usize = 12;

/// A band of a mosaic: balanced light, with [`MARGIN`] photosites around it.
pub struct Band<'a> {
    /// Columns and rows without the margin.
    pub size: [usize; 2],
    /// `(columns + 2 * MARGIN) * (rows + 2 * MARGIN)` values, row by row.
    pub light: &'a [f32],
    /// The pattern of colours, from the first photosite of the margin on.
    pub pattern: Pattern,
}

impl Band<'_> {
    /// Number of values in a row with its margins.
    pub fn stride(&self) -> usize {
        self.size[0] + 2 * MARGIN
    }

    /// Colour of a photosite, counted from the first of the margin: 0 red, 1 green, 2 blue.
    pub fn colour(&self, x: usize, y: usize) -> usize {
        self.pattern.colour(x as u32, y as u32)
    }
}
