//! Files that appear whole or not at all.

use crate::PictureError;
use crate::aside::{self, Readers};
use std::io::Write;
use std::path::Path;

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
