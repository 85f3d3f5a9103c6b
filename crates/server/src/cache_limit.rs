//! The cache has a limit: what was made longest ago goes first.

use std::path::{Path, PathBuf};
use std::time::SystemTime;

/// Removes the oldest products until the cache takes at most `limit` bytes. A product that is
/// removed while someone reads it stays readable to the end.
pub fn keep_within(cache: &Path, limit: u64) {
    let mut products: Vec<(SystemTime, u64, PathBuf)> = Vec::new();
    for stage in ["frames", "combine"] {
        for entry in std::fs::read_dir(cache.join(stage)).into_iter().flatten().flatten() {
            let path = entry.path();
            if !path.is_dir() {
                continue;
            }
            let files = || std::fs::read_dir(&path).into_iter().flatten().flatten();
            let bytes = files().filter_map(|f| Some(f.metadata().ok()?.len())).sum();
            let made = files().filter_map(|f| f.metadata().ok()?.modified().ok()).max();
            products.push((made.unwrap_or(SystemTime::UNIX_EPOCH), bytes, path));
        }
    }
    let mut total: u64 = products.iter().map(|p| p.1).sum();
    products.sort();
    for (_, bytes, path) in products {
        if total <= limit {
            break;
        }
        if std::fs::remove_dir_all(&path).is_ok() {
            total -= bytes;
        }
    }
}

/// Removes files that were being written aside when a process was killed.
pub fn sweep_aside(folder: &Path) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if entry.file_type().is_ok_and(|t| t.is_dir()) {
            sweep_aside(&path);
        } else if entry.file_name().to_string_lossy().starts_with(".aside-") {
            let _ = std::fs::remove_file(path);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_oldest_products_go_first() {
        let folder = tempfile::tempdir().unwrap();
        for (i, name) in ["a", "b", "c"].iter().enumerate() {
            let product = folder.path().join("frames").join(name);
            std::fs::create_dir_all(&product).unwrap();
            std::fs::write(product.join("0.tiles"), [0; 100]).unwrap();
            let file = std::fs::File::options().write(true).open(product.join("0.tiles")).unwrap();
            file.set_modified(SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(i as u64))
                .unwrap();
        }
        keep_within(folder.path(), 200);
        let left = |name: &str| folder.path().join("frames").join(name).exists();
        assert!(!left("a") && left("b") && left("c"));
    }

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
