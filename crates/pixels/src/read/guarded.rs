//! Libraries that may panic over a damaged file.

use crate::PictureError;
use std::cell::Cell;
use std::panic::{self, AssertUnwindSafe};
use std::path::Path;
use std::sync::Once;

thread_local! {
    static QUIET: Cell<bool> = const { Cell::new(false) };
}

/// Does `work` of a library that may panic over a damaged file; that is this file's error, and is not
/// reported anywhere else.
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
