//! The pictures that are open.

use super::open_picture::OpenPicture;
use super::source::Source;
use std::collections::HashMap;
use std::sync::{Arc, Mutex};

/// Pictures kept open.
const OPEN: usize = 48;

/// The pictures that are open.
#[derive(Default)]
pub struct Gallery {
    open: Mutex<HashMap<Source, (u64, Arc<OpenPicture>)>>,
    pub(super) opening: Mutex<HashMap<Source, Arc<tokio::sync::Mutex<()>>>>,
    clock: std::sync::atomic::AtomicU64,
}

impl Gallery {
    /// An open picture.
    pub(super) fn known(&self, source: Source) -> Option<Arc<OpenPicture>> {
        let mut open = self.open.lock().expect("the gallery's lock");
        let now = self.clock.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
        let (used, shown) = open.get_mut(&source)?;
        *used = now;
        Some(shown.clone())
    }

    /// Keeps a picture open, and closes the one that was asked for longest ago where there are too many.
    pub(super) fn keep(&self, source: Source, shown: &Arc<OpenPicture>) {
        let mut open = self.open.lock().expect("the gallery's lock");
        let now = self.clock.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
        open.insert(source, (now, shown.clone()));
        if open.len() > OPEN
            && let Some(oldest) = open.iter().min_by_key(|(_, (used, _))| *used).map(|(s, _)| *s)
        {
            open.remove(&oldest);
        }
    }
}
