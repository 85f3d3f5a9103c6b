//! Copies of everything that the application keeps, apart from what can be made again.

use crate::data_folder::DataFolder;
use crate::error::ApiError;
use jade_plan::CoreError;
use sqlx::sqlite::{SqliteConnectOptions, SqlitePoolOptions};
use std::path::{Path, PathBuf};

/// The store's file.
pub const STORE: &str = "jade-stack.sqlite";
/// Folders that are copied beside the store: uploads, results, and exports.
const KEPT: [&str; 3] = ["originals", "results", "exports"];

/// The content of a backup.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Copied {
    /// Files beside the store.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Frames that lie in folders of their own, and are not in it.
    pub linked: i64,
}

/// Copies the store in `data` to the new folder `to`, also while a server works on it. Files in the
/// data folder are only ever added, and appear whole: what the store names at one moment is still
/// there when it is copied later. Stops between two files once `stop` returns true.
///
/// # Errors
/// [`ApiError`] with one sentence; nothing is left at `to` then.
pub async fn backup(
    data: &Path,
    to: &Path,
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Copied, ApiError> {
    let store = data.join(STORE);
    if !store.is_file() {
        return Err(ApiError::Refused(format!(
            "{}: there is no store in this folder; give the server's own with --data.",
            data.display()
        )));
    }
    let aside = Aside::beside(to)?;
    let copy = aside.path.join(STORE);
    let options = SqliteConnectOptions::new().filename(&store).create_if_missing(false);
    let pool = SqlitePoolOptions::new().max_connections(1).connect_with(options).await?;
    let copied = async {
        // One statement sees one state of the store, also while others write.
        sqlx::query("VACUUM INTO ?").bind(copy.to_string_lossy().as_ref()).execute(&pool).await?;
        sqlx::query_scalar("SELECT count(*) FROM frames WHERE linked").fetch_one(&pool).await
    };
    let linked = copied.await;
    pool.close().await;
    let mut copied = Copied { files: 0, bytes: 0, linked: linked? };
    for folder in KEPT {
        copy_folder(&data.join(folder), &aside.path.join(folder), &mut copied, stop)?;
    }
    aside.becomes(to)?;
    Ok(copied)
}

/// Copies a backup to a data folder that has no store. Stops between two files once `stop` returns
/// true.
///
/// # Errors
/// [`ApiError`] with one sentence; the data folder has no store then.
pub fn restore(
    from: &Path,
    data: &Path,
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Copied, ApiError> {
    let store = from.join(STORE);
    if !store.is_file() {
        return Err(ApiError::Refused(format!(
            "{}: this folder is no backup; give one that `jade-stack backup` made.",
            from.display()
        )));
    }
    // A server that works on the folder is reported, and a store in it is kept.
    let folder = DataFolder::take(data)?;
    if data.join(STORE).exists() {
        return Err(ApiError::Refused(format!(
            "{}: there is a store in this folder already; restore to an empty one.",
            data.display()
        )));
    }
    let mut copied = Copied { files: 0, bytes: 0, linked: 0 };
    for name in KEPT {
        copy_folder(&from.join(name), &data.join(name), &mut copied, stop)?;
    }
    // The store is copied last, so that no shoot is ever without its files.
    let aside = data.join(format!("{}.aside", STORE));
    std::fs::copy(&store, &aside)?;
    sync(&aside)?;
    std::fs::rename(&aside, data.join(STORE))?;
    drop(folder);
    Ok(copied)
}

/// A folder that is filled under another name, and gets its own name when it is complete.
struct Aside {
    path: PathBuf,
}

impl Aside {
    fn beside(to: &Path) -> Result<Self, ApiError> {
        let shown = to.display();
        let is_empty = || std::fs::read_dir(to).is_ok_and(|mut inside| inside.next().is_none());
        if to.symlink_metadata().is_ok() && !is_empty() {
            return Err(ApiError::Refused(format!(
                "{shown}: there is something of this name; give the backup a folder of its own."
            )));
        }
        let name = to.file_name().unwrap_or_default().to_string_lossy();
        let parent = to.parent().filter(|parent| *parent != Path::new(""));
        let parent = parent.unwrap_or(Path::new("."));
        let path = parent.join(format!(".aside-{}-{name}", std::process::id()));
        std::fs::create_dir_all(&path).map_err(|e| {
            ApiError::Refused(format!(
                "{}: the backup cannot be written there: {e}; choose another folder.",
                parent.display()
            ))
        })?;
        Ok(Self { path })
    }

    fn becomes(self, to: &Path) -> Result<(), ApiError> {
        Ok(std::fs::rename(&self.path, to)?)
    }
}

impl Drop for Aside {
    fn drop(&mut self) {
        // Once the folder has its name there is nothing left to remove.
        let _ = std::fs::remove_dir_all(&self.path);
    }
}

/// Copies all complete files of a folder and of the folders in it.
fn copy_folder(
    from: &Path,
    to: &Path,
    copied: &mut Copied,
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<(), ApiError> {
    let entries = match std::fs::read_dir(from) {
        Ok(entries) => entries,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(()),
        Err(error) => return Err(error.into()),
    };
    std::fs::create_dir_all(to)?;
    for entry in entries {
        let entry = entry?;
        if stop() {
            return Err(CoreError::Cancelled.into());
        }
        let (name, kind) = (entry.file_name(), entry.file_type()?);
        if name.to_string_lossy().starts_with(jade_pixels::aside::PREFIX) {
            continue;
        }
        let target = to.join(&name);
        if kind.is_dir() {
            copy_folder(&entry.path(), &target, copied, stop)?;
        } else if kind.is_file() {
            copied.bytes += std::fs::copy(entry.path(), &target)?;
            copied.files += 1;
            sync(&target)?;
        }
    }
    Ok(())
}

fn sync(path: &Path) -> Result<(), ApiError> {
    Ok(std::fs::File::open(path)?.sync_all()?)
}
