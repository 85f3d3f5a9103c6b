//! From positions in the picture that is made to positions in a frame's samples.

use crate::lens::Geometry;
use crate::motion::Backward;
use crate::space::{InFrame, InReference};

/// The size at which a picture and a frame are read, relative to full size.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scale {
    /// The factor by which both are smaller: a power of two, 1 for full size.
    pub factor: f64,
    /// The picture's top-left pixel in the reference frame, in pixels at full size.
    pub origin: [u32; 2],
}

impl Scale {
    /// Full size, the picture as large as the reference frame.
    pub const FULL: Self = Self { factor: 1.0, origin: [0, 0] };

    /// The position in the reference frame at full size of a position in the smaller picture.
    /// Centres of pixels lie at whole numbers.
    fn whole(self, at: [f64; 2]) -> InReference<[f64; 2]> {
        let half = 0.5 * (self.factor - 1.0);
        InReference([0, 1].map(|axis| at[axis] * self.factor + half + f64::from(self.origin[axis])))
    }

    /// The position in the smaller frame of a position in the frame at full size.
    fn small(self, InFrame(at): InFrame<[f64; 2]>) -> [f64; 2] {
        let half = 0.5 * (self.factor - 1.0);
        at.map(|v| (v - half) / self.factor)
    }
}

/// The way from positions in the picture that is made to positions in a frame's samples.
pub struct ToSamples<'a> {
    /// Takes positions of the reference frame to the frame, both without the lens's displacement.
    pub backward: &'a Backward,
    /// The size at which both are read.
    pub scale: Scale,
    /// The displacement by the lens, and the colour it is applied for.
    pub lens: Option<(&'a Geometry, usize)>,
}

/// The colour that the displacement of the others is relative to.
pub const GREEN: usize = 1;

impl ToSamples<'_> {
    /// The position in the frame's samples of a position in the picture, both in pixels.
    pub fn to_samples(&self, at: [f64; 2]) -> [f64; 2] {
        let at = match self.scale {
            Scale::FULL => self.backward.to_frame(InReference(at)).0,
            scale => scale.small(self.backward.to_frame(scale.whole(at))),
        };
        match self.lens {
            None => at,
            Some((lens, GREEN)) => lens.to_frame(at),
            Some((lens, colour)) => lens.colour(colour, lens.to_frame(at)),
        }
    }
}
