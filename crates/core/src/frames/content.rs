//! What a file holds, and whether it still does.

use super::FrameInput;
use jade_pixels::PictureError;
use jade_pixels::regular;
use std::io::Read;
use std::path::Path;
use std::time::UNIX_EPOCH;

/// BLAKE3 of a file's content as hexadecimal digits, read piece by piece.
///
/// # Errors
/// [`PictureError::Io`].
pub fn content_hash(path: &Path) -> Result<String, PictureError> {
    // Pieces large enough for the hash to work on many blocks at a time.
    let mut piece = vec![0; 256 << 10];
    let mut hasher = blake3::Hasher::new();
    let mut file = regular::open(path)?;
    loop {
        let long = file.read(&mut piece).map_err(PictureError::io(path))?;
        if long == 0 {
            break;
        }
        hasher.update(&piece[..long]);
    }
    Ok(hasher.finalize().to_hex().to_string())
}

/// What tells that a file is as it was, without reading it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FileState {
    /// Its size in bytes.
    pub bytes: u64,
    /// When it was written last, in nanoseconds after the beginning of 1970.
    pub modified_ns: i64,
}

impl FileState {
    /// The state of a file now.
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

impl FrameInput {
    /// Makes sure that the file still holds what it is named by: another picture under the same
    /// name must not be taken for it.
    ///
    /// # Errors
    /// [`PictureError::Changed`] when it was written since and has another content.
    pub fn unchanged(&self) -> Result<(), PictureError> {
        match self.state {
            Some(state)
                if FileState::of(&self.path)? != state
                    && content_hash(&self.path)? != self.content =>
            {
                Err(PictureError::Changed { path: self.path.clone() })
            }
            _ => Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::prepare::PreparePlan;

    #[test]
    fn a_file_that_was_written_again_is_known_by_its_content() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("f1.tif");
        let write = |text: &str, seconds: u64| {
            std::fs::write(&path, text).unwrap();
            let file = std::fs::File::options().write(true).open(&path).unwrap();
            file.set_modified(UNIX_EPOCH + std::time::Duration::from_secs(seconds)).unwrap();
        };
        write("salt", 10);
        let input = FrameInput {
            path: path.clone(),
            name: "f1.tif".to_owned(),
            content: content_hash(&path).unwrap(),
            state: Some(FileState::of(&path).unwrap()),
            prepare: PreparePlan::default(),
            calibration: None,
        };
        assert!(input.unchanged().is_ok());
        write("salt", 20);
        assert!(input.unchanged().is_ok());
        write("moss", 20);
        let said = input.unchanged().unwrap_err().to_string();
        assert_eq!(
            said,
            "f1.tif: the file was changed since it was added; add it again, and leave this one out."
        );
        let unknown = FrameInput { state: None, ..input };
        assert!(unknown.unchanged().is_ok());
    }
}
