//! Watched folders that are missing.

use std::collections::HashSet;
use std::sync::{Mutex, PoisonError};

/// The watched folders that were missing at the last look, by shoot.
#[derive(Default)]
pub struct Gone(Mutex<HashSet<i64>>);

impl Gone {
    /// Whether the watched folder of a shoot is missing.
    pub fn has(&self, shoot: i64) -> bool {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).contains(&shoot)
    }

    /// Notes whether the watched folder of a shoot is missing; true if that changed.
    pub fn note(&self, shoot: i64, gone: bool) -> bool {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if gone { all.insert(shoot) } else { all.remove(&shoot) }
    }
}
