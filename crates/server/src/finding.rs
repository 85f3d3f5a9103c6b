//! Tells the pages how far something is found in a shoot's frames, and stops it.

use crate::App;
use crate::types::Event;
use jade_core::progress::{Stage, Watch};
use std::sync::Arc;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};

/// How far finding something in a shoot's frames has come.
pub struct Finding<'a> {
    app: &'a Arc<App>,
    shoot: i64,
    stop: &'a AtomicBool,
    now: Mutex<(Option<Stage>, u64, Instant)>,
    done: AtomicU64,
}

impl<'a> Finding<'a> {
    /// Begins; it goes on until `stop` is set.
    pub fn begin(app: &'a Arc<App>, shoot: i64, stop: &'a AtomicBool) -> Self {
        stop.store(false, Ordering::Relaxed);
        let now = Mutex::new((None, 0, Instant::now()));
        Self { app, shoot, stop, now, done: AtomicU64::new(0) }
    }

    fn tell(&self, stage: Option<Stage>, total: u64) {
        let done = self.done.load(Ordering::Relaxed) as i64;
        let total = total as i64;
        self.app.tell(Event::Finding { shoot_id: self.shoot, stage, done, total });
    }
}

impl Watch for Finding<'_> {
    fn begin(&self, stage: Stage, total: u64) {
        self.done.store(0, Ordering::Relaxed);
        *self.now.lock().expect("the finding's lock") = (Some(stage), total, Instant::now());
        self.tell(Some(stage), total);
    }
    fn advance(&self, steps: u64) {
        self.done.fetch_add(steps, Ordering::Relaxed);
        let mut now = self.now.lock().expect("the finding's lock");
        if now.2.elapsed() > Duration::from_millis(200) {
            now.2 = Instant::now();
            self.tell(now.0, now.1);
        }
    }
    fn cancelled(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }
}
