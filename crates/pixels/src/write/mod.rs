//! Writing picture files: whole or not at all, with their colour profile.

mod dng;
mod exif;
mod jpeg;
mod png;
mod tiff;

use crate::PictureError;
use crate::aside::{self, Readers};
use crate::colour::Encoding;
use crate::facts::Facts;
use crate::mosaic::Mosaic;
use std::io::Write;
use std::path::Path;

pub use self::exif::{Exposures, SOFTWARE, Stack, Taken};
pub use self::png::{NextFrame, write_moving};
pub use jpeg::encode as encode_jpeg;

/// The file to write.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Target {
    /// TIFF, 8 or 16 bit.
    Tiff {
        /// 16 bit rather than 8.
        wide: bool,
        /// Compressed by deflate with the horizontal predictor rather than plain.
        deflate: bool,
    },
    /// PNG, 8 or 16 bit.
    Png {
        /// 16 bit rather than 8.
        wide: bool,
    },
    /// JPEG of a quality in 1..=100, without colour subsampling.
    Jpeg {
        /// Quality in 1..=100.
        quality: u8,
    },
}

impl Target {
    /// Bits of one sample.
    pub fn bits(self) -> u8 {
        match self {
            Self::Tiff { wide: true, .. } | Self::Png { wide: true } => 16,
            Self::Tiff { .. } | Self::Png { .. } | Self::Jpeg { .. } => 8,
        }
    }
}

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

/// Rows handed to a [`Fill`] at a time.
const BAND: u32 = 128;

/// Writes a picture file at `path`, replacing what was there only when the new file is complete
/// and on the disk.
///
/// # Errors
/// [`PictureError`] of the file, or what `fill` returned; nothing is left behind then.
pub fn write_picture(
    path: &Path,
    target: Target,
    picture: &Picture,
    fill: Fill,
) -> Result<(), PictureError> {
    write_whole(path, |file| match target {
        Target::Tiff { wide, deflate } => tiff::write(path, file, wide, deflate, picture, fill),
        Target::Png { wide } => png::write(path, file, wide, picture, fill),
        Target::Jpeg { quality } => jpeg::write(path, file, quality, picture, fill),
    })
}

/// Writes linear light as a TIFF of 32-bit floats, with the linear form of the picture's profile;
/// light beyond white is kept. The picture must have three channels.
///
/// # Errors
/// [`PictureError`] of the file, or what `fill` returned; nothing is left behind then.
pub fn write_light(path: &Path, picture: &Picture, fill: FillLight) -> Result<(), PictureError> {
    write_whole(path, |file| tiff::write_light(path, file, picture, fill))
}

/// Writes a sensor's mosaic as a DNG.
///
/// # Errors
/// [`PictureError`] of the file; nothing is left behind then.
pub fn write_mosaic(path: &Path, mosaic: &Mosaic, facts: &Facts) -> Result<(), PictureError> {
    write_whole(path, |file| dng::write(path, file, mosaic, facts))
}

/// Writes a file aside with `write`, syncs it and gives it the name `path`.
///
/// # Errors
/// [`PictureError::Io`], or what `write` returned; nothing is left behind then.
pub fn write_whole(
    path: &Path,
    write: impl FnOnce(&mut std::fs::File) -> Result<(), PictureError>,
) -> Result<(), PictureError> {
    let io = PictureError::io(path);
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut temp = aside::create(folder, Readers::All).map_err(&io)?;
    write(temp.as_file_mut())?;
    temp.as_file_mut().flush().map_err(&io)?;
    temp.as_file().sync_all().map_err(&io)?;
    temp.persist(path).map_err(|e| io(e.error))?;
    Ok(())
}

impl Picture<'_> {
    /// Calls `put` with bands of filled rows.
    fn bands<T: Copy + Default>(
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
fn narrow(samples: &[u16]) -> Vec<u8> {
    samples.iter().map(|&v| ((v as u32 * 255 + 32767) / 65535) as u8).collect()
}
