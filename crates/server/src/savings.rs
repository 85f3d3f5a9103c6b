//! Results that are being saved.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};

/// Results that are being saved, each with the flag that stops it.
#[derive(Default)]
pub struct Savings(pub Mutex<HashMap<i64, Arc<AtomicBool>>>);

impl Savings {
    /// Stops saving a result, if it is being saved.
    pub fn stop(&self, result: i64) {
        if let Some(stop) = self.0.lock().expect("the savings' lock").get(&result) {
            stop.store(true, Ordering::Relaxed);
        }
    }
}
