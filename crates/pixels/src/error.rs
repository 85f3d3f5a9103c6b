//! What can go wrong with a picture file, in sentences.

use std::path::{Path, PathBuf};

/// What can go wrong with a picture file. Every message is one sentence that names the file, says
/// what is wrong and what to do.
#[derive(Debug, thiserror::Error)]
pub enum PictureError {
    /// The operating system refused.
    #[error("{}: {}; {}.", name(.path), refusal(.reason), remedy(.reason))]
    Io {
        /// The file.
        path: PathBuf,
        /// The system's reason. It is part of the message, and not repeated as a source.
        reason: std::io::Error,
    },
    /// A folder, a pipe, a socket or a device instead of a picture file.
    #[error("{}: this is no regular file, but a folder, a pipe or a device; give the picture's own file.", name(.path))]
    NoFile {
        /// Its path.
        path: PathBuf,
    },
    /// Not one of the formats that can be read, whatever its name says.
    #[error("{}: this is not a camera raw, TIFF, PNG or JPEG picture, or another that is read here (it begins with {begins}); save it again in one of these formats.", name(.path))]
    UnknownFormat {
        /// The file.
        path: PathBuf,
        /// The first bytes, printable.
        begins: String,
    },
    /// The file ends too early.
    #[error("{}: the file is cut short ({have} of at least {need} bytes are there); copy it again from the card.", name(.path))]
    Truncated {
        /// The file.
        path: PathBuf,
        /// Bytes present.
        have: u64,
        /// Bytes that its header announces.
        need: u64,
    },
    /// The header announces more pixels than are accepted.
    #[error("{}: the header announces {width} x {height} pixels, more than the {limit_mp} megapixels that are accepted; the file is damaged or not a photograph.", name(.path))]
    TooLarge {
        /// The file.
        path: PathBuf,
        /// Announced width in pixels.
        width: u64,
        /// Announced height in pixels.
        height: u64,
        /// The limit in megapixels.
        limit_mp: u64,
    },
    /// A variant of the format that is not supported.
    #[error("{}: {what} is not supported; {remedy}.", name(.path))]
    Unsupported {
        /// The file.
        path: PathBuf,
        /// The property.
        what: String,
        /// What to do.
        remedy: &'static str,
    },
    /// The decoder failed.
    #[error("{}: the picture data are damaged ({reason}); copy the file again from the card.", name(.path))]
    Damaged {
        /// The file.
        path: PathBuf,
        /// The decoder's reason.
        reason: String,
    },
    /// The content changed since the file was added.
    #[error("{}: the file was changed since it was added; add it again, and leave this one out.", name(.path))]
    Changed {
        /// The file.
        path: PathBuf,
    },
    /// Stopped by the person.
    #[error("stopped")]
    Cancelled,
}

impl PictureError {
    /// For `map_err` on system calls that concern `path`.
    pub fn io(path: &Path) -> impl Fn(std::io::Error) -> Self + '_ {
        move |reason| Self::Io { path: path.to_owned(), reason }
    }

    /// An error for damaged data, with a reason that is shortened to fit a sentence.
    pub(crate) fn damaged(path: &Path, reason: impl std::fmt::Display) -> Self {
        Self::Damaged { path: path.to_owned(), reason: in_brief(&reason.to_string()) }
    }

    pub(crate) fn unsupported(path: &Path, what: impl Into<String>) -> Self {
        let remedy = "save it as an 8 or 16 bit RGB or grey picture";
        Self::unsupported_so(path, what, remedy)
    }

    /// An error for an unsupported file, with its remedy.
    pub(crate) fn unsupported_so(
        path: &Path,
        what: impl Into<String>,
        remedy: &'static str,
    ) -> Self {
        Self::Unsupported { path: path.to_owned(), what: what.into(), remedy }
    }
}

/// A decoder's reason as part of a sentence: its first line, without quotes, a full stop or values
/// that only its makers understand.
fn in_brief(reason: &str) -> String {
    const LONGEST: usize = 120;
    let line = reason.lines().map(str::trim).find(|line| !line.is_empty()).unwrap_or_default();
    let line = line.split(" (os error ").next().unwrap_or(line);
    let line = line.split(" {").next().unwrap_or(line).trim_matches('"');
    let line = line.strip_prefix("[strict-mode]: ").unwrap_or(line).trim_end_matches(['.', ',']);
    let short: String = line.chars().filter(|c| !c.is_control()).take(LONGEST).collect();
    if short.is_empty() { "its decoder does not say where".to_owned() } else { short }
}

/// The system's refusal in words.
fn refusal(reason: &std::io::Error) -> String {
    use std::io::ErrorKind::{NotFound, PermissionDenied, QuotaExceeded, StorageFull};
    match reason.kind() {
        NotFound => "there is no such file or folder".to_owned(),
        PermissionDenied => "the system does not allow it".to_owned(),
        StorageFull => "the disk is full".to_owned(),
        QuotaExceeded => "the disk has no more room for this user".to_owned(),
        // The system's number would help nobody.
        _ => {
            let whole = reason.to_string();
            whole.split(" (os error ").next().unwrap_or(&whole).to_owned()
        }
    }
}

/// What to do about the system's refusal.
fn remedy(reason: &std::io::Error) -> &'static str {
    use std::io::ErrorKind::{NotFound, PermissionDenied, QuotaExceeded, StorageFull};
    match reason.kind() {
        StorageFull | QuotaExceeded => "make room on that disk, and try again",
        NotFound => "check that it is there, and its card or disk too",
        PermissionDenied => "check who may read or write it",
        _ => "check that the file is there and may be read or written",
    }
}

/// A file's name with its control characters escaped, because it may be printed on a terminal.
fn name(path: &Path) -> String {
    let name = path.file_name().unwrap_or(path.as_os_str()).to_string_lossy();
    let plain = |c: char| match c.is_control() {
        true => c.escape_default().to_string(),
        false => c.to_string(),
    };
    name.chars().map(plain).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::error::Error;

    #[test]
    fn the_reason_of_a_decoder_becomes_a_part_of_a_sentence() {
        let said = |reason: &str| PictureError::damaged(Path::new("f01.jpg"), reason).to_string();
        assert_eq!(
            said("\n\"[strict-mode]: Extra bytes between headers.\"\nat 7"),
            "f01.jpg: the picture data are damaged (Extra bytes between headers); copy the file again from the card."
        );
        assert!(said("Bad length: Chunk { kind: 7 }").contains("(Bad length: Chunk)"));
        assert!(said(&"x".repeat(5000)).len() < 250);
        assert!(said("").contains("(its decoder does not say where)"));
    }

    #[test]
    fn a_refusal_of_the_system_is_told_once_with_what_to_do() {
        let said = |kind: std::io::ErrorKind| {
            let error = PictureError::io(Path::new("/card/f01.tif"))(kind.into());
            assert!(error.source().is_none());
            error.to_string()
        };
        let full = said(std::io::ErrorKind::StorageFull);
        assert!(full.starts_with("f01.tif: ") && full.contains("make room"), "{full}");
        assert!(
            said(std::io::ErrorKind::NotFound)
                .ends_with("; check that it is there, and its card or disk too.")
        );
    }
}
