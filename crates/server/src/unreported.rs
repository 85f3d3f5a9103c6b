//! A watcher for short work that sends no progress events.

use crate::app::App;
use jade_plan::progress::{Stage, Watch};

/// Progress that is not reported; the work stops when the server ends.
pub struct Unreported<'a>(pub &'a App);

impl Watch for Unreported<'_> {
    fn begin(&self, _: Stage, _: u64) {}
    fn advance(&self, _: u64) {}
    fn cancelled(&self) -> bool {
        self.0.is_ending()
    }
}
