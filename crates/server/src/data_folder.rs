//! The folder of everything the application keeps. One server at a time works on it, and only its
//! owner may read it.

use crate::error::ApiError;
use crate::leftovers::sweep_aside;
use std::fs::{File, Permissions, TryLockError};
use std::io::{Read, Seek, Write};
use std::net::SocketAddr;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};

/// The file that is locked while a server works on the folder.
const LOCK: &str = "lock";
/// The folders in it.
const FOLDERS: [&str; 5] = ["originals", "incoming", "cache", "results", "exports"];

/// Where an uploaded file with this BLAKE3 is kept in a data folder.
pub fn original(data: &Path, blake3: &str) -> PathBuf {
    let folder: String = blake3.chars().take(2).collect();
    data.join("originals").join(folder).join(blake3)
}

/// A data folder that this process alone works on, until the value goes.
pub struct DataFolder {
    path: PathBuf,
    lock: File,
}

impl DataFolder {
    /// Takes a folder, making it if it is missing. The lock comes first: nothing in the folder is
    /// touched before.
    ///
    /// # Errors
    /// [`ApiError::Refused`] with who holds it, or why it cannot be made or written.
    pub fn take(path: &Path) -> Result<Self, ApiError> {
        let shown = path.display();
        let refused = |what: &str, error: std::io::Error| {
            ApiError::Refused(format!(
                "{shown}: the data folder cannot be {what}: {error}; choose another with --data."
            ))
        };
        std::fs::create_dir_all(path).map_err(|e| refused("made", e))?;
        let mut options = File::options();
        options.read(true).write(true).create(true).truncate(false);
        let mut lock = options.open(path.join(LOCK)).map_err(|e| refused("written", e))?;
        match lock.try_lock() {
            Ok(()) => {}
            Err(TryLockError::Error(e)) => return Err(refused("locked", e)),
            Err(TryLockError::WouldBlock) => {
                let mut holder = String::new();
                let _ = lock.read_to_string(&mut holder);
                let holder = match holder.trim() {
                    "" => "another process".to_owned(),
                    holder => holder.to_owned(),
                };
                return Err(ApiError::Refused(format!(
                    "{shown}: the data folder is in use by {holder}; end that server, or choose another folder with --data."
                )));
            }
        }
        let owner = Permissions::from_mode(0o700);
        std::fs::set_permissions(path, owner)
            .map_err(|e| refused("kept for its owner alone", e))?;
        let taken = Self { path: path.to_owned(), lock };
        taken.note(None)?;
        Ok(taken)
    }

    /// Notes who holds the folder: the process, and where it listens once that is known.
    ///
    /// # Errors
    /// [`ApiError::Inner`] when the disk is full.
    pub fn note(&self, address: Option<SocketAddr>) -> Result<(), ApiError> {
        let process = std::process::id();
        let text = match address {
            Some(address) => format!("process {process}, which listens on http://{address}"),
            None => format!("process {process}"),
        };
        let mut lock = &self.lock;
        lock.set_len(0)?;
        lock.rewind()?;
        Ok(lock.write_all(text.as_bytes())?)
    }

    /// Makes the folders in it, and removes what a killed process left half-written.
    ///
    /// # Errors
    /// [`ApiError`] when they cannot be made.
    pub fn prepare(&self) -> Result<(), ApiError> {
        let _ = std::fs::remove_dir_all(self.path.join("incoming"));
        for folder in FOLDERS {
            let path = self.path.join(folder);
            std::fs::create_dir_all(&path).map_err(|e| {
                ApiError::Refused(format!(
                    "{}: the folder cannot be made: {e}; choose another with --data.",
                    path.display()
                ))
            })?;
            sweep_aside(&path);
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_is_one_servers_alone_and_who_has_it_is_said() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("data");
        let taken = DataFolder::take(&path).unwrap();
        taken.prepare().unwrap();
        std::fs::write(path.join("incoming/upload-1"), "half").unwrap();
        taken.note(Some("127.0.0.1:7420".parse().unwrap())).unwrap();
        let said = DataFolder::take(&path).err().unwrap().to_string();
        let holder =
            format!("process {}, which listens on http://127.0.0.1:7420", std::process::id());
        assert!(said.contains(&holder), "{said}");
        assert!(path.join("incoming/upload-1").exists(), "nothing was touched");
        let mode = std::fs::metadata(&path).unwrap().permissions().mode();
        assert_eq!(mode & 0o777, 0o700);
        drop(taken);
        DataFolder::take(&path).unwrap().prepare().unwrap();
        assert!(!path.join("incoming/upload-1").exists());
    }
}
