//! Camera raw files: told from others by their content, read by a library.

#[cfg(feature = "raw")]
mod camera;
#[cfg(feature = "raw")]
mod dng;

use super::Opened;
use crate::PictureError;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

/// Whether a file that begins so is a camera raw file.
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

/// Most raw files are TIFF files in form. They are those that say so (DNG), those whose first
/// picture is a mosaic, and those whose first picture is a small one beside the sensor's.
fn is_raw_in_tiff(path: &Path, begin: &[u8]) -> Result<bool, PictureError> {
    if begin.get(8..10) == Some(b"CR") {
        return Ok(true);
    }
    let io = PictureError::io(path);
    let little = begin[0] == b'I';
    let short = |b: &[u8]| match little {
        true => u16::from_le_bytes([b[0], b[1]]),
        false => u16::from_be_bytes([b[0], b[1]]),
    };
    let long = |b: &[u8]| match little {
        true => u32::from_le_bytes([b[0], b[1], b[2], b[3]]),
        false => u32::from_be_bytes([b[0], b[1], b[2], b[3]]),
    };
    let Some(at) = begin.get(4..8) else { return Ok(false) };
    let mut file = File::open(path).map_err(&io)?;
    file.seek(SeekFrom::Start(long(at).into())).map_err(&io)?;
    // Entries are twelve bytes each; what is cut short is told when the file is read.
    let mut directory = Vec::new();
    file.take(2 + 12 * 200).read_to_end(&mut directory).map_err(&io)?;
    let Some(count) = directory.get(..2).map(&short) else { return Ok(false) };
    let entries = directory[2..].chunks_exact(12).take(count.into());
    let (mut small, mut others) = (false, false);
    for entry in entries {
        let value = match short(&entry[2..]) {
            3 => short(&entry[8..]).into(),
            _ => long(&entry[8..]),
        };
        match short(entry) {
            // The version of DNG; a mosaic of colours.
            50_706 => return Ok(true),
            262 if value == 32_803 => return Ok(true),
            254 => small = value & 1 == 1,
            330 => others = true,
            _ => {}
        }
    }
    Ok(small && others)
}

#[cfg(feature = "raw")]
pub fn open(path: &Path) -> Result<Opened, PictureError> {
    camera::open(path)
}

#[cfg(not(feature = "raw"))]
pub fn open(path: &Path) -> Result<Opened, PictureError> {
    Err(PictureError::unsupported(path, "camera raw, which this program was built without,"))
}
