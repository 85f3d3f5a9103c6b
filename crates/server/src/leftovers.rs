//! Removes half-written files of a killed process.

use jade_pixels::aside;
use std::path::Path;

/// Removes files that a killed process was still writing. This process holds the data folder, so
/// nobody else is writing them.
pub fn sweep_aside(folder: &Path) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if entry.file_type().is_ok_and(|t| t.is_dir()) {
            sweep_aside(&path);
        } else if entry.file_name().to_string_lossy().starts_with(aside::PREFIX) {
            let _ = std::fs::remove_file(path);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_files_written_aside_are_swept() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::create_dir(folder.path().join("in")).unwrap();
        std::fs::write(folder.path().join("in/.aside-x1"), "").unwrap();
        std::fs::write(folder.path().join("in/0.tiles"), "").unwrap();
        sweep_aside(folder.path());
        assert!(!folder.path().join("in/.aside-x1").exists());
        assert!(folder.path().join("in/0.tiles").exists());
    }
}
