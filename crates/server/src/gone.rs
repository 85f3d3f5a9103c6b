//! Watched folders that are not there.

use std::collections::HashSet;
use std::sync::{Mutex, PoisonError};

/// The watched folders that are not there, by shoot, as they were at the last look.
#[derive(Default)]
pub struct Gone(Mutex<HashSet<i64>>);

impl Gone {
    /// Whether the folder of a shoot is not there.
    pub fn has(&self, shoot: i64) -> bool {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).contains(&shoot)
    }

    /// Notes whether it is; says whether that is new.
    pub fn note(&self, shoot: i64, gone: bool) -> bool {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if gone { all.insert(shoot) } else { all.remove(&shoot) }
    }
}
