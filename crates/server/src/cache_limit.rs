//! Keeps the cache within its limit and leaves room on the disk: the oldest products are removed
//! first.

use crate::app::App;
use crate::error::ApiError;
use jade_pixels::aside;
use std::fs::Metadata;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

/// Bytes that stay free on the disk for the store, for saved files, and for other programs.
const RESERVE: u64 = 512 << 20;
/// How long a new picture is protected, until the server has linked it elsewhere.
const FRESH: Duration = Duration::from_secs(60);
/// Interval between checks of the limit.
const LOOK: Duration = Duration::from_secs(20);

/// A product in the cache, removed as a whole.
struct Product {
    made: SystemTime,
    bytes: u64,
    path: PathBuf,
}

impl App {
    /// Removes what was made longest ago until the cache keeps its limit.
    pub(crate) fn keep_cache_small(&self) {
        keep_within(self.cache.folder(), self.cache_limit);
    }

    /// Frees bytes on the disk by removing products from the cache.
    ///
    /// # Errors
    /// [`ApiError::Inner`] where there is too little even without that.
    pub(crate) fn make_room(&self, bytes: u64) -> Result<(), ApiError> {
        let cache = self.cache.folder();
        std::fs::create_dir_all(cache)?;
        let free = || fs4::available_space(cache);
        let need = bytes + RESERVE;
        if free()? < need {
            let missing = need - free()?;
            keep_within(cache, used(cache).saturating_sub(missing));
        }
        match free()? < bytes + RESERVE / 8 {
            false => Ok(()),
            true => Err(ApiError::Inner(format!(
                "There is no room for {} MiB on the disk of the data folder; make room there and try again.",
                bytes.div_ceil(1 << 20)
            ))),
        }
    }
}

/// Looks after the limit for as long as the server runs.
pub async fn run_forever(app: std::sync::Arc<App>) {
    let mut ticks = tokio::time::interval(LOOK);
    ticks.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    loop {
        ticks.tick().await;
        let kept = app.work(|app| {
            app.keep_cache_small();
            Ok::<_, ApiError>(())
        });
        if let Err(error) = kept.await {
            tracing::error!("the cache cannot be kept small: {error}");
        }
    }
}

/// Removes the oldest products until the cache takes at most `limit` bytes, and less where the disk is
/// nearly full. A product that is removed while someone reads it stays readable to the end.
fn keep_within(cache: &Path, limit: u64) {
    let mut products = products(cache);
    let mut total: u64 = products.iter().map(|one| one.bytes).sum();
    let free = fs4::available_space(cache).unwrap_or(u64::MAX);
    let limit = limit.min((total + free).saturating_sub(RESERVE));
    products.sort_by_key(|one| one.made);
    for Product { bytes, path, .. } in products {
        if total <= limit {
            break;
        }
        let gone = match path.is_dir() {
            true => std::fs::remove_dir_all(&path),
            false => std::fs::remove_file(&path),
        };
        if gone.is_ok() {
            total -= bytes;
        }
    }
}

fn used(cache: &Path) -> u64 {
    products(cache).iter().map(|one| one.bytes).sum()
}

/// All products in the folders of the stages, except those being written and pictures combined
/// within [`FRESH`].
fn products(cache: &Path) -> Vec<Product> {
    let inside = |folder: &Path| std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut products = vec![];
    for stage in inside(cache) {
        let combined = stage.file_name() == "combine";
        for entry in inside(&stage.path()) {
            let mut product =
                Product { made: SystemTime::UNIX_EPOCH, bytes: 0, path: entry.path() };
            let whole = add(&entry.path(), &mut product);
            let fresh = combined && product.made.elapsed().is_ok_and(|age| age < FRESH);
            if whole && !fresh {
                products.push(product);
            }
        }
    }
    products
}

/// Adds a file, or all files below a folder, to a product; false where one is being written.
fn add(path: &Path, to: &mut Product) -> bool {
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    if name.starts_with(aside::PREFIX) {
        return false;
    }
    let Ok(known) = path.symlink_metadata() else { return true };
    if known.is_dir() {
        let inside = std::fs::read_dir(path).into_iter().flatten().flatten();
        let mut whole = true;
        for entry in inside {
            // `add` is called for each entry, also after one that is being written, so that all
            // bytes are counted.
            whole &= add(&entry.path(), to);
        }
        return whole;
    }
    to.bytes += on_disk(&known);
    to.made = to.made.max(known.modified().unwrap_or(SystemTime::UNIX_EPOCH));
    true
}

/// Bytes that a file takes on the disk.
fn on_disk(known: &Metadata) -> u64 {
    std::os::unix::fs::MetadataExt::blocks(known) * 512
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Writes a file of some KiB with a time of change in seconds since the beginning of 1970.
    fn put(path: PathBuf, kib: usize, seconds: u64) {
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(&path, vec![7; kib << 10]).unwrap();
        let file = std::fs::File::options().write(true).open(&path).unwrap();
        file.set_modified(SystemTime::UNIX_EPOCH + Duration::from_secs(seconds)).unwrap();
    }

    #[test]
    fn the_oldest_products_go_first_whatever_stage_made_them() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        put(at("frames/a/0.tiles"), 64, 5);
        put(at("placed/b/0.tiles"), 64, 1);
        put(at("skyline/c/0.tiles"), 64, 2);
        put(at("combine/d/0.tiles"), 64, 6);
        // Maps and layers count for the picture that they belong to.
        put(at("combine/d/rejected/0.tiles"), 64, 3);
        put(at("align/e.json"), 64, 4);
        keep_within(folder.path(), 64 * 4 * 1024);
        assert!(!at("placed/b").exists() && !at("skyline/c").exists());
        assert!(at("align/e.json").exists() && at("combine/d/rejected/0.tiles").exists());
        keep_within(folder.path(), 64 * 2 * 1024);
        assert!(
            !at("align/e.json").exists() && !at("frames/a").exists() && at("combine/d").exists()
        );
        keep_within(folder.path(), 0);
        assert!(!at("combine/d").exists());
    }

    #[test]
    fn what_is_being_written_and_what_was_just_combined_stays() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        put(at("frames/a/.aside-1-x"), 4, 1);
        std::fs::create_dir_all(at("combine/b")).unwrap();
        std::fs::write(at("combine/b/0.tiles"), [0; 4096]).unwrap();
        keep_within(folder.path(), 0);
        assert!(at("frames/a/.aside-1-x").exists() && at("combine/b/0.tiles").exists());
    }
}
