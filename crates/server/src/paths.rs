//! Paths as text, for the store and the pages. Names on old disks and cards may not be UTF-8; they
//! are written so that the file is found again.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

/// Prefix of a path that is not UTF-8: no path contains this character.
const BYTES: char = '\0';

/// A path as text: unchanged if it is UTF-8, otherwise a zero character and its bytes as
/// hexadecimal digits.
pub fn to_text(path: &Path) -> String {
    match path.to_str() {
        Some(text) => text.to_owned(),
        None => {
            let digits = path.as_os_str().as_bytes().iter().map(|byte| format!("{byte:02x}"));
            std::iter::once(BYTES.to_string()).chain(digits).collect()
        }
    }
}

/// The path that a text of [`to_text`] names.
pub fn from_text(text: &str) -> PathBuf {
    let digits = text.strip_prefix(BYTES).unwrap_or_default();
    let byte = |two: &[u8]| {
        let text = std::str::from_utf8(two).ok()?;
        u8::from_str_radix(text, 16).ok()
    };
    let bytes: Option<Vec<u8>> = digits.as_bytes().chunks(2).map(byte).collect();
    match bytes.filter(|bytes| !bytes.is_empty()) {
        Some(bytes) => PathBuf::from(OsStr::from_bytes(&bytes)),
        None => PathBuf::from(text),
    }
}

/// The last part of a path, to be shown.
pub fn shown_name(path: &Path) -> String {
    path.file_name().unwrap_or(path.as_os_str()).to_string_lossy().into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_path_comes_back_as_it_was() {
        for bytes in [b"/card/f\xe4\xff.tif".as_slice(), "/karte/Düne 小.tif".as_bytes(), b"f.tif"]
        {
            let path = Path::new(OsStr::from_bytes(bytes));
            assert_eq!(from_text(&to_text(path)), path);
        }
        assert_eq!(to_text(Path::new("/card/f01.tif")), "/card/f01.tif");
        assert_eq!(from_text("\0zz"), Path::new("\0zz"));
    }
}
