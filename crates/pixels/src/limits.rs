//! Limits on the size that a header announces, checked before memory is allocated for it.

use crate::PictureError;
use std::path::Path;

/// The largest accepted picture, in pixels.
pub const MAX_PIXELS: u64 = 160_000_000;
/// The longest accepted side, in pixels.
pub const MAX_SIDE: u64 = 40_000;

/// Accepts `width` x `height` pixels, or returns why not.
///
/// # Errors
/// [`PictureError::TooLarge`] beyond [`MAX_PIXELS`] or [`MAX_SIDE`], [`PictureError::Damaged`] for
/// an empty picture.
pub fn check(path: &Path, width: u64, height: u64) -> Result<(u32, u32), PictureError> {
    if width == 0 || height == 0 {
        return Err(PictureError::damaged(path, "the header announces a picture without pixels"));
    }
    if width > MAX_SIDE || height > MAX_SIDE || width * height > MAX_PIXELS {
        let limit_mp = MAX_PIXELS / 1_000_000;
        return Err(PictureError::TooLarge { path: path.to_owned(), width, height, limit_mp });
    }
    Ok((width as u32, height as u32))
}
