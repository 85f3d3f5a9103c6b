//! The open pictures.

use super::open_picture::OpenPicture;
use super::source::Source;
use lru::LruCache;
use std::collections::HashMap;
use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex};

/// Pictures kept open.
const OPEN: NonZeroUsize = NonZeroUsize::new(48).expect("more than none");

/// The open pictures, at most [`OPEN`]. The least recently used one is closed first.
pub struct Gallery {
    open: Mutex<LruCache<Source, Arc<OpenPicture>>>,
    pub(super) opening: Mutex<HashMap<Source, Arc<tokio::sync::Mutex<()>>>>,
}

impl Default for Gallery {
    fn default() -> Self {
        Self { open: Mutex::new(LruCache::new(OPEN)), opening: Mutex::default() }
    }
}

impl Gallery {
    /// An open picture.
    pub(super) fn known(&self, source: Source) -> Option<Arc<OpenPicture>> {
        self.open.lock().expect("the gallery's lock").get(&source).cloned()
    }

    /// Keeps a picture open.
    pub(super) fn keep(&self, source: Source, picture: &Arc<OpenPicture>) {
        self.open.lock().expect("the gallery's lock").put(source, picture.clone());
    }
}
