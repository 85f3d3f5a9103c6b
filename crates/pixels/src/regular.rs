//! Opens files that somebody else put there, if they are regular files.
//!
//! A pipe under a frame's name would block whoever opens it, and a device has no end.

use crate::PictureError;
use rustix::fs::OFlags;
use std::fs::File;
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;

/// Opens a regular file, or the target of a link to one, for reading. Never blocks.
///
/// # Errors
/// [`PictureError::Io`]; [`PictureError::NoFile`] for a folder, a pipe, a socket or a device.
pub fn open(path: &Path) -> Result<File, PictureError> {
    let io = PictureError::io(path);
    // Without this flag, opening a pipe would wait for its other end; regular files ignore it.
    let wait = OFlags::NONBLOCK.bits() as i32;
    let file = File::options().read(true).custom_flags(wait).open(path).map_err(&io)?;
    match file.metadata().map_err(&io)?.is_file() {
        true => Ok(file),
        false => Err(PictureError::NoFile { path: path.to_owned() }),
    }
}

/// Checks that `path` is a regular file, for libraries that open files themselves.
///
/// # Errors
/// As for [`open`].
pub fn check(path: &Path) -> Result<(), PictureError> {
    open(path).map(|_| ())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_regular_files_are_opened_and_nothing_waits() {
        let folder = tempfile::tempdir().unwrap();
        let (file, pipe) = (folder.path().join("f01.tif"), folder.path().join("pipe.tif"));
        std::fs::write(&file, "light").unwrap();
        std::os::unix::fs::symlink(&file, folder.path().join("link.tif")).unwrap();
        let made = std::process::Command::new("mkfifo").arg(&pipe).status().unwrap();
        assert!(made.success());
        assert!(open(&file).is_ok() && open(&folder.path().join("link.tif")).is_ok());
        for path in [pipe.as_path(), folder.path(), Path::new("/dev/zero")] {
            let said = open(path).unwrap_err().to_string();
            assert!(said.contains("no regular file"), "{said}");
        }
        let missing = open(&folder.path().join("gone.tif")).unwrap_err();
        assert!(matches!(missing, PictureError::Io { .. }), "{missing}");
    }
}
