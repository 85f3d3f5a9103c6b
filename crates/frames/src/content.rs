//! The content of files, and whether it is unchanged.

use jade_pixels::{PictureError, regular};
use std::io::Read;
use std::path::Path;
use std::time::UNIX_EPOCH;

/// BLAKE3 of a file's content as hexadecimal digits, read in pieces.
///
/// # Errors
/// [`PictureError::Io`].
pub fn content_hash(path: &Path) -> Result<String, PictureError> {
    // Pieces are large enough for the hash to work on many blocks at a time.
    let mut piece = vec![0; 256 << 10];
    let mut hasher = blake3::Hasher::new();
    let mut file = regular::open(path)?;
    loop {
        let length = file.read(&mut piece).map_err(PictureError::io(path))?;
        if length == 0 {
            break;
        }
        hasher.update(&piece[..length]);
    }
    Ok(hasher.finalize().to_hex().to_string())
}

/// Size and time of a file, by which a change is noticed without reading it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FileState {
    /// Its size in bytes.
    pub bytes: u64,
    /// Time of the last write, in nanoseconds since the beginning of 1970.
    pub modified_ns: i64,
}

impl FileState {
    /// The current state of a file.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn of(path: &Path) -> Result<Self, PictureError> {
        let io = PictureError::io(path);
        let known = std::fs::metadata(path).map_err(&io)?;
        let since = known.modified().map_err(&io)?.duration_since(UNIX_EPOCH);
        let modified_ns = since.map_or(0, |since| since.as_nanos() as i64);
        Ok(Self { bytes: known.len(), modified_ns })
    }
}
