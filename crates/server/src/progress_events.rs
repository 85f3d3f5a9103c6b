//! Sends progress of work other than runs to the pages, and ends that work when it is stopped.

use crate::app::App;
use crate::types::Event;
use jade_plan::progress::{Stage, Watch};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// Minimum interval between progress events; also the elapsed time below which no remaining time is
/// estimated.
const OFTEN: Duration = Duration::from_millis(200);

/// The work that events are about.
#[derive(Clone, Copy)]
pub enum Work {
    /// A search in the frames of this shoot.
    Finding(i64),
    /// Saving this result.
    Saving(i64),
}

/// Reports the progress of a piece of work.
pub struct ProgressEvents<'a> {
    app: &'a Arc<App>,
    work: Work,
    stop: &'a (dyn Fn() -> bool + Sync),
    now: Mutex<Now>,
    done: AtomicU64,
}

struct Now {
    stage: Option<Stage>,
    total: u64,
    begun: Instant,
    last_event: Instant,
}

impl<'a> ProgressEvents<'a> {
    /// Reports work that stops once `stop` returns true or the server ends.
    pub fn of(app: &'a Arc<App>, work: Work, stop: &'a (dyn Fn() -> bool + Sync)) -> Self {
        let now = Instant::now();
        let now = Mutex::new(Now { stage: None, total: 0, begun: now, last_event: now });
        Self { app, work, stop, now, done: AtomicU64::new(0) }
    }

    fn tell(&self, now: &Now) {
        let done = self.done.load(Ordering::Relaxed).min(now.total);
        let (stage, total) = (now.stage, now.total as i64);
        self.app.tell(match self.work {
            Work::Finding(shoot_id) => Event::Finding { shoot_id, stage, done: done as i64, total },
            Work::Saving(result_id) => {
                let remaining_s = remaining(now.begun.elapsed(), done, now.total);
                Event::Saving { result_id, stage, done: done as i64, total, remaining_s }
            }
        });
    }
}

/// Seconds that the rest will take at the present pace.
fn remaining(passed: Duration, done: u64, total: u64) -> Option<f64> {
    (done > 0 && passed >= OFTEN)
        .then(|| passed.as_secs_f64() * (total - done) as f64 / done as f64)
}

impl Watch for ProgressEvents<'_> {
    fn begin(&self, stage: Stage, total: u64) {
        self.done.store(0, Ordering::Relaxed);
        let at = Instant::now();
        let mut now = self.now.lock().expect("no thread panics while it holds the progress");
        *now = Now { stage: Some(stage), total, begun: at, last_event: at };
        self.tell(&now);
    }
    fn advance(&self, steps: u64) {
        self.done.fetch_add(steps, Ordering::Relaxed);
        let mut now = self.now.lock().expect("no thread panics while it holds the progress");
        if now.last_event.elapsed() > OFTEN {
            now.last_event = Instant::now();
            self.tell(&now);
        }
    }
    fn cancelled(&self) -> bool {
        (self.stop)() || self.app.is_ending()
    }
}

/// Progress that is not reported; the work stops when the server ends.
pub struct Unreported<'a>(pub &'a App);

impl Watch for Unreported<'_> {
    fn begin(&self, _: Stage, _: u64) {}
    fn advance(&self, _: u64) {}
    fn cancelled(&self) -> bool {
        self.0.is_ending()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_left_takes_as_long_as_what_is_done() {
        let passed = Duration::from_secs(3);
        assert_eq!(remaining(passed, 30, 40), Some(1.0));
        assert_eq!(remaining(passed, 40, 40), Some(0.0));
        assert_eq!(remaining(passed, 0, 40), None);
        assert_eq!(remaining(Duration::from_millis(20), 30, 40), None);
    }
}
