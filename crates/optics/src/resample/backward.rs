//! From positions of a result to those of a frame.

use crate::lens::Geometry;
use crate::motion::Motion;

/// How a picture and a frame at a smaller size lie in those at full size.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scale {
    /// How many times smaller both are: a power of two, 1 for full size.
    pub times: f64,
    /// The picture's top-left pixel in the reference frame, in pixels at full size.
    pub origin: [u32; 2],
}

impl Scale {
    /// Full size, the picture as large as the reference frame.
    pub const FULL: Self = Self { times: 1.0, origin: [0, 0] };

    /// Position in the reference frame at full size of one in the smaller picture. Pixels' centres lie at
    /// whole numbers.
    fn whole(self, at: [f64; 2]) -> [f64; 2] {
        let half = 0.5 * (self.times - 1.0);
        [0, 1].map(|axis| at[axis] * self.times + half + f64::from(self.origin[axis]))
    }

    /// Position in the smaller frame of one in the frame at full size.
    fn small(self, at: [f64; 2]) -> [f64; 2] {
        let half = 0.5 * (self.times - 1.0);
        at.map(|v| (v - half) / self.times)
    }
}

/// The way from positions of a result to those of a frame.
pub struct Backward<'a> {
    /// Takes positions of the reference frame to the frame, both as if the lens had no flaws.
    pub backward: &'a Motion,
    /// The size at which both are read.
    pub scale: Scale,
    /// What the lens does, and to which colour.
    pub lens: Option<(&'a Geometry, usize)>,
}

/// The colour that the others are drawn beside.
pub const GREEN: usize = 1;

impl Backward<'_> {
    /// Where a position of the result stands in the frame, in pixels.
    pub fn to_frame(&self, at: [f64; 2]) -> [f64; 2] {
        let at = match self.scale {
            Scale::FULL => self.backward.to_reference(at),
            scale => scale.small(self.backward.to_reference(scale.whole(at))),
        };
        match self.lens {
            None => at,
            Some((lens, GREEN)) => lens.to_frame(at),
            Some((lens, colour)) => lens.colour(colour, lens.to_frame(at)),
        }
    }
}
