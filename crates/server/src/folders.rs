//! The folders that the person who started the server opened to it; nothing outside them can be
//! read.

use crate::error::ApiError;
use crate::paths;
use crate::types::{Folder, FolderEntry};
use std::path::{Path, PathBuf};

/// File endings that are offered as pictures.
const ENDINGS: [&str; 23] = [
    "tif", "tiff", "png", "jpg", "jpeg", "dng", "cr2", "cr3", "nef", "nrw", "arw", "orf", "rw2",
    "raf", "pef", "srw", "3fr", "iiq", "exr", "webp", "fits", "fit", "fts",
];

/// The opened folders.
#[derive(Debug, Clone)]
pub struct Roots(Vec<PathBuf>);

impl Roots {
    /// Opens these folders.
    ///
    /// # Errors
    /// [`ApiError::Refused`] for a folder that is not there.
    pub fn new(folders: &[PathBuf]) -> Result<Self, ApiError> {
        let real = folders.iter().map(|folder| {
            folder.canonicalize().ok().filter(|f| f.is_dir()).ok_or_else(|| {
                ApiError::Refused(format!(
                    "{}: there is no such folder to read frames from.",
                    folder.display()
                ))
            })
        });
        Ok(Self(real.collect::<Result<_, _>>()?))
    }

    /// The real path of a folder inside the roots.
    ///
    /// # Errors
    /// [`ApiError::Refused`] for anything outside, links included.
    pub fn inside(&self, path: &str) -> Result<PathBuf, ApiError> {
        let refused = || {
            ApiError::field(
                "path",
                format!(
                    "{path}: this folder is not among those that the server was started with; start it with --frames-root for this folder."
                ),
            )
        };
        let real = paths::from_text(path).canonicalize().map_err(|_| refused())?;
        let within = self.0.iter().any(|root| real.starts_with(root));
        if within && real.is_dir() { Ok(real) } else { Err(refused()) }
    }

    /// The content of a folder; the roots themselves for an empty path.
    ///
    /// # Errors
    /// [`ApiError::Refused`] outside the roots.
    pub fn list(&self, path: &str) -> Result<Folder, ApiError> {
        let entry = |path: &PathBuf| FolderEntry {
            path: paths::to_text(path),
            name: paths::shown_name(path),
        };
        if path.is_empty() {
            let folders = self.0.iter().map(entry).collect();
            return Ok(Folder {
                path: String::new(),
                name: "Folders".to_owned(),
                above: None,
                folders,
                pictures: vec![],
            });
        }
        let real = self.inside(path)?;
        let mut folders = Vec::new();
        for child in std::fs::read_dir(&real)?.flatten() {
            let hidden = child.file_name().to_string_lossy().starts_with('.');
            let path = child.path();
            if path.is_dir() && !hidden && self.inside(&paths::to_text(&path)).is_ok() {
                folders.push(entry(&path));
            }
        }
        folders.sort_by_key(|f| natural(&f.name));
        let above = match self.0.contains(&real) {
            true => Some(String::new()),
            false => real.parent().map(paths::to_text),
        };
        let name = entry(&real).name;
        let pictures = pictures_in(&real)?.iter().map(|p| entry(p).name).collect();
        Ok(Folder { path: paths::to_text(&real), name, above, folders, pictures })
    }
}

/// The picture files of a folder by their endings, in natural order; links that lead elsewhere are
/// left out.
///
/// # Errors
/// [`ApiError::Inner`] when the folder cannot be read.
pub fn pictures_in(folder: &Path) -> Result<Vec<PathBuf>, ApiError> {
    let mut pictures = Vec::new();
    for child in std::fs::read_dir(folder)?.flatten() {
        let path = child.path();
        let ending = path.extension().and_then(|e| e.to_str()).unwrap_or_default().to_lowercase();
        let hidden = child.file_name().to_string_lossy().starts_with('.');
        let plain = child.file_type().is_ok_and(|t| t.is_file());
        if plain && !hidden && ENDINGS.contains(&ending.as_str()) {
            pictures.push(path);
        }
    }
    pictures.sort_by_key(|p| natural(&p.file_name().unwrap_or_default().to_string_lossy()));
    Ok(pictures)
}

/// Sorts names with numbers as people do: `f2` before `f10`.
pub fn natural(name: &str) -> Vec<(String, u64)> {
    let mut parts = Vec::new();
    let mut rest = name.to_lowercase();
    while !rest.is_empty() {
        let digit = rest.find(|c: char| c.is_ascii_digit()).unwrap_or(rest.len());
        let (text, tail) = rest.split_at(digit);
        let end = tail.find(|c: char| !c.is_ascii_digit()).unwrap_or(tail.len());
        let number = tail[..end].parse().unwrap_or(0);
        parts.push((text.to_owned(), number));
        rest = tail[end..].to_owned();
    }
    parts
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_sort_by_value() {
        let mut names = ["f10.tif", "f2.tif", "F1.tif", "d3.tif"];
        names.sort_by_key(|n| natural(n));
        assert_eq!(names, ["d3.tif", "F1.tif", "f2.tif", "f10.tif"]);
    }

    #[test]
    fn nothing_outside_the_roots_is_shown() {
        let folder = tempfile::tempdir().unwrap();
        let open = folder.path().join("open");
        let closed = folder.path().join("closed");
        std::fs::create_dir_all(open.join("night")).unwrap();
        std::fs::create_dir_all(&closed).unwrap();
        std::os::unix::fs::symlink(&closed, open.join("way-out")).unwrap();
        std::fs::write(open.join("f1.tif"), "").unwrap();
        let roots = Roots::new(std::slice::from_ref(&open)).unwrap();
        let text = |p: &Path| p.to_str().unwrap().to_owned();
        let listed = roots.list(&text(&open)).unwrap();
        assert_eq!(listed.folders.len(), 1, "the link out is not listed");
        assert_eq!(listed.pictures, ["f1.tif"]);
        for path in [
            text(&closed),
            text(&open.join("../closed")),
            text(&open.join("way-out")),
            "/etc".to_owned(),
        ] {
            assert!(roots.list(&path).is_err(), "{path}");
        }
    }
}
