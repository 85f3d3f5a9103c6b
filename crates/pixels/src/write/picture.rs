//! A picture that is written band by band.

use super::exif::Taken;
use crate::PictureError;
use crate::colour::Encoding;

/// What to write besides the samples.
pub struct Picture<'a> {
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Samples of a pixel: 3 (red, green, blue) or 1 (grey, without a profile).
    pub channels: usize,
    /// The profile to embed into a colour picture; the samples must be encoded with it.
    pub encoding: &'a Encoding,
    /// How a colour picture was taken, written as EXIF.
    pub taken: Option<Taken<'a>>,
}

/// Fills a band of rows of samples: called with the first row's number and a buffer of one or more
/// whole rows, top to bottom.
pub type FillRows<'a, T> = &'a mut dyn FnMut(u32, &mut [T]) -> Result<(), PictureError>;

/// Fills rows of encoded 16-bit samples.
pub type Fill<'a> = FillRows<'a, u16>;

/// Fills rows of linear light.
pub type FillLight<'a> = FillRows<'a, f32>;

/// Rows in a band.
pub const BAND: u32 = 128;

impl Picture<'_> {
    /// Calls `put` with bands of filled rows.
    pub(super) fn bands<T: Copy + Default>(
        &self,
        fill: FillRows<T>,
        mut put: impl FnMut(&[T]) -> Result<(), PictureError>,
    ) -> Result<(), PictureError> {
        let row = self.width as usize * self.channels;
        let mut band = vec![T::default(); row * BAND.min(self.height) as usize];
        for y in (0..self.height).step_by(BAND as usize) {
            let part = &mut band[..row * BAND.min(self.height - y) as usize];
            fill(y, part)?;
            put(part)?;
        }
        Ok(())
    }
}

/// Rounds 16-bit samples to 8 bit.
pub fn narrow(samples: &[u16]) -> Vec<u8> {
    samples.iter().map(|&v| ((v as u32 * 255 + 32767) / 65535) as u8).collect()
}
