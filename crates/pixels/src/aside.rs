//! Files that are written under a temporary name until they are complete.
//!
//! A killed process leaves such a file behind. Its name contains the number of its process, and the
//! process holds a lock on it. [`sweep`] removes files whose process has ended, and keeps those
//! that another process is still writing.

use std::fs::{File, Permissions};
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use tempfile::NamedTempFile;

/// Prefix of the temporary names.
pub const PREFIX: &str = ".aside-";

/// Who may read a file once it has its final name, as far as the process's umask allows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Readers {
    /// The person who runs the program.
    Owner,
    /// Everyone.
    All,
}

/// Creates a file in `folder` under a temporary name. It is removed when the value is dropped,
/// unless it was given its final name.
///
/// # Errors
/// Those of the system, as when the folder is missing or cannot be written.
pub fn create(folder: &Path, readers: Readers) -> std::io::Result<NamedTempFile> {
    let mode = match readers {
        Readers::Owner => 0o600,
        Readers::All => 0o644,
    };
    let file = tempfile::Builder::new()
        .prefix(&format!("{PREFIX}{}-", std::process::id()))
        .permissions(Permissions::from_mode(mode))
        .tempfile_in(folder)?;
    // On disks without locks, the number of the process alone protects the file.
    let _ = file.as_file().try_lock();
    Ok(file)
}

/// Removes the files of killed processes from `folder`. A file stays while its process lives, and
/// while its lock is held, as by a process of another machine or container.
pub fn sweep(folder: &Path) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = entry.file_name();
        let Some(writer) = name.to_str().and_then(writer) else { continue };
        let lives = Path::new(&format!("/proc/{writer}")).exists();
        let unlocked = || File::open(entry.path()).is_ok_and(|file| file.try_lock().is_ok());
        if !lives && entry.file_type().is_ok_and(|kind| kind.is_file()) && unlocked() {
            let _ = std::fs::remove_file(entry.path());
        }
    }
}

/// The number of the process that writes a file of this name.
fn writer(name: &str) -> Option<u32> {
    name.strip_prefix(PREFIX)?.split_once('-')?.0.parse().ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// No process has this number: Linux's numbers end at 2^22.
    const NOBODY: u32 = 4_000_000_000;

    #[test]
    fn what_killed_processes_left_is_swept_and_nothing_else() {
        let folder = tempfile::tempdir().unwrap();
        let put = |name: &str| {
            let path = folder.path().join(name);
            std::fs::write(&path, "half").unwrap();
            path
        };
        let left = put(&format!(".aside-{NOBODY}-a1"));
        let locked = put(&format!(".aside-{NOBODY}-b2"));
        let lock = File::open(&locked).unwrap();
        lock.try_lock().unwrap();
        let (named, other) = (put(".aside-notes"), put("f01.tif"));
        let fresh = create(folder.path(), Readers::Owner).unwrap();
        sweep(folder.path());
        assert!(!left.exists());
        assert!(
            [&locked, &named, &other].iter().all(|path| path.exists()) && fresh.path().exists()
        );
        drop(lock);
        sweep(folder.path());
        assert!(!locked.exists());
    }
}
