//! Calls libraries that may panic over a damaged file.

use crate::PictureError;
use std::cell::Cell;
use std::panic::{self, AssertUnwindSafe};
use std::path::Path;
use std::sync::Once;
#[cfg(feature = "raw")]
use {
    rayon::{ThreadPool, ThreadPoolBuilder},
    std::sync::OnceLock,
};

thread_local! {
    static QUIET: Cell<bool> = const { Cell::new(false) };
}

/// Runs `work`, in which a library may panic over a damaged file. The panic becomes an error of the
/// file, and is not printed.
///
/// # Errors
/// Those of `work`; [`PictureError::Damaged`] for a panic.
pub fn guarded<T>(
    path: &Path,
    work: impl FnOnce() -> Result<T, PictureError>,
) -> Result<T, PictureError> {
    static HOOK: Once = Once::new();
    HOOK.call_once(|| {
        let usual = panic::take_hook();
        panic::set_hook(Box::new(move |info| {
            if !QUIET.get() {
                usual(info);
            }
        }));
    });
    let before = QUIET.replace(true);
    let done = panic::catch_unwind(AssertUnwindSafe(work));
    QUIET.set(before);
    done.unwrap_or_else(|_| Err(PictureError::damaged(path, "its decoder failed over it")))
}

/// [`guarded`] for a library that works on several threads. It runs in a thread pool of its own, so
/// that panics on those threads are not printed either.
///
/// # Errors
/// As for [`guarded`].
#[cfg(feature = "raw")]
pub fn guarded_threads<T: Send>(
    path: &Path,
    work: impl FnOnce() -> Result<T, PictureError> + Send,
) -> Result<T, PictureError> {
    static POOL: OnceLock<Option<ThreadPool>> = OnceLock::new();
    let pool = POOL.get_or_init(|| {
        let pool = ThreadPoolBuilder::new().num_threads(rayon::current_num_threads());
        pool.start_handler(|_| QUIET.set(true)).build().ok()
    });
    match pool {
        Some(pool) => guarded(path, || pool.install(work)),
        None => guarded(path, work),
    }
}
