//! The sizes that a raw file's directories announce, checked before the raw library takes memory for them:
//! it fills all of a picture that is announced before it finds out that nothing is there.

use crate::read::tiff::directory::{Directories, Directory, tag};
use crate::{PictureError, limits};
use std::path::Path;

/// Samples of a pixel at most: a sensor's four colours, twice.
const MOST_SAMPLES: u64 = 8;

/// Makes sure that no picture in a file, and none of its tiles, is larger than [`limits`] allow. Files of
/// other forms, and those whose directories cannot be read, are left to the library.
///
/// # Errors
/// [`PictureError::Damaged`], [`PictureError::TooLarge`], [`PictureError::Unsupported`],
/// [`PictureError::Io`].
pub fn check(path: &Path) -> Result<(), PictureError> {
    let Some(file) = Directories::of_camera(path)? else { return Ok(()) };
    file.all().unwrap_or_default().iter().try_for_each(|own| check_one(path, &file, own))
}

fn check_one(path: &Path, file: &Directories, own: &Directory) -> Result<(), PictureError> {
    let number = |tag: u16| match file.first_number(own, tag).ok().flatten() {
        None if own.has(tag) => {
            Err(PictureError::damaged(path, "its header does not tell its size"))
        }
        number => Ok(number),
    };
    let samples = number(tag::SAMPLES)?.unwrap_or(1);
    if samples > MOST_SAMPLES {
        let what = format!("a raw file with {samples} samples for each pixel");
        return Err(PictureError::unsupported(path, what));
    }
    for [wide, tall] in [[tag::WIDTH, tag::HEIGHT], [tag::TILE_WIDTH, tag::TILE_HEIGHT]] {
        if let (Some(wide), Some(tall)) = (number(wide)?, number(tall)?) {
            // Directories beside that of the picture may tell of none.
            limits::check(path, wide.max(1), tall.max(1))?;
        }
    }
    Ok(())
}
