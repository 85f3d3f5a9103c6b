//! From positions of a result to those of a frame.

use crate::lens::Geometry;
use crate::motion::Motion;

/// The way from positions of a result to those of a frame.
pub struct Backward<'a> {
    /// Takes positions of the reference frame to the frame, both as if the lens had no flaws.
    pub backward: &'a Motion,
    /// What the lens does, and to which colour.
    pub lens: Option<(&'a Geometry, usize)>,
}

/// The colour that the others are drawn beside.
pub const GREEN: usize = 1;

impl Backward<'_> {
    /// Where a position of the result stands in the frame, in pixels.
    pub fn to_frame(&self, at: [f64; 2]) -> [f64; 2] {
        let at = self.backward.to_reference(at);
        match self.lens {
            None => at,
            Some((lens, GREEN)) => lens.to_frame(at),
            Some((lens, colour)) => lens.colour(colour, lens.to_frame(at)),
        }
    }
}
