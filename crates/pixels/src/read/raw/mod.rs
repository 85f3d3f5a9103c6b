//! Camera raw files, recognised by their content and read by a library.

#[cfg(feature = "raw")]
mod announced;
#[cfg(feature = "raw")]
mod camera;
#[cfg(feature = "raw")]
mod colours;
#[cfg(feature = "raw")]
mod crop;
#[cfg(feature = "raw")]
mod developed;
#[cfg(feature = "raw")]
mod dng;

use super::decode::Opened;
use super::tiff::directory::{Directories, Directory, tag};
use crate::PictureError;
use std::path::Path;

/// Compressions that only cameras use: of Sony, Nikon, Pentax, Kodak, Samsung, Panasonic, and
/// others.
const OF_CAMERAS: [u64; 9] =
    [32_767, 32_769, 32_770, 32_772, 32_867, 34_713, 34_826, 34_828, 65_535];
/// A sensor's mosaic, and a camera's own colours.
const OF_SENSORS: [u64; 2] = [32_803, 34_892];

/// Whether a file that begins with these bytes is a camera raw file.
///
/// # Errors
/// [`PictureError::Io`].
pub fn is_raw(path: &Path, begin: &[u8]) -> Result<bool, PictureError> {
    let starts = |magic: &[u8]| begin.starts_with(magic);
    if starts(b"II*\0") || starts(b"MM\0*") {
        return is_raw_in_tiff(path, begin);
    }
    let boxed = begin.get(4..12) == Some(b"ftypcrx ");
    let others: [&[u8]; 8] =
        [b"FUJIFILM", b"IIRO", b"IIRS", b"MMOR", b"IIU\0", b"\0MRM", b"FOVb", b"ARRI"];
    Ok(boxed || others.iter().any(|magic| starts(magic)))
}

/// Most raw files are TIFF files in form. They are those marked as DNG, and those in which any
/// picture is a mosaic, is in camera colours, or has a compression that only cameras use.
fn is_raw_in_tiff(path: &Path, begin: &[u8]) -> Result<bool, PictureError> {
    if begin.get(8..10) == Some(b"CR") {
        return Ok(true);
    }
    // A truncated file is reported when it is read.
    let Some(all) = Directories::open(path)? else { return Ok(false) };
    let Ok(directories) = all.all() else { return Ok(false) };
    let has = |directory: &Directory, tag: u16, values: &[u64]| {
        all.first_number(directory, tag).ok().flatten().is_some_and(|value| values.contains(&value))
    };
    Ok(directories.iter().any(|directory| {
        directory.has(tag::DNG_VERSION)
            || has(directory, tag::PHOTOMETRIC, &OF_SENSORS)
            || has(directory, tag::COMPRESSION, &OF_CAMERAS)
    }))
}

#[cfg(feature = "raw")]
pub fn open(path: &Path) -> Result<Opened, PictureError> {
    camera::open(path)
}

#[cfg(not(feature = "raw"))]
pub fn open(path: &Path) -> Result<Opened, PictureError> {
    Err(PictureError::unsupported(path, "camera raw, which this program was built without,"))
}
