//! Writes picture files with their colour profile; each appears complete or not at all.

mod dng;
mod exif;
mod jpeg;
mod picture;
mod png;
mod tiff;
mod whole;

use crate::PictureError;
use crate::facts::Facts;
use crate::mosaic::Mosaic;
use std::path::Path;

pub use self::exif::{Exposures, SOFTWARE, Stack, Taken};
pub use self::png::{NextFrame, write_moving};
pub use jpeg::encode as encode_jpeg;
pub use picture::{Fill, FillLight, FillRows, Picture};
pub use whole::write_whole;

/// The file to write.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Target {
    /// TIFF, 8 or 16 bit.
    Tiff {
        /// 16 bit rather than 8.
        sixteen_bit: bool,
        /// Compressed by deflate with the horizontal predictor rather than plain.
        deflate: bool,
    },
    /// PNG, 8 or 16 bit.
    Png {
        /// 16 bit rather than 8.
        sixteen_bit: bool,
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
            Self::Tiff { sixteen_bit: true, .. } | Self::Png { sixteen_bit: true } => 16,
            Self::Tiff { .. } | Self::Png { .. } | Self::Jpeg { .. } => 8,
        }
    }
}

/// Writes a picture file at `path`. A file that was there is replaced only when the new one is
/// complete and on the disk.
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
        Target::Tiff { sixteen_bit, deflate } => {
            tiff::write(path, file, sixteen_bit, deflate, picture, fill)
        }
        Target::Png { sixteen_bit } => png::write(path, file, sixteen_bit, picture, fill),
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
