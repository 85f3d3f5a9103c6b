//! The running job and its progress.

use crate::types::{Job, JobState};
use jade_plan::progress::{Stage, Watch};
use jade_plan::report::StageTime;
use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Instant;

/// The running job, if there is one.
#[derive(Default)]
pub struct Runner {
    pub current: Mutex<Option<(i64, Arc<JobWatch>)>>,
    /// Ends of jobs that could not be written to the store yet.
    pub ended: Mutex<HashMap<i64, Ended>>,
    /// Wakes the runner when something was queued.
    pub wake: tokio::sync::Notify,
}

impl Runner {
    /// Whether a job is running.
    pub fn is_busy(&self) -> bool {
        self.current.lock().expect("the runner's lock").is_some()
    }

    /// Asks the job to stop if it is the running one.
    pub fn cancel(&self, job: i64) -> bool {
        let current = self.current.lock().expect("the runner's lock");
        match current.as_ref().filter(|(id, _)| *id == job) {
            Some((_, watch)) => {
                watch.cancelled.store(true, Ordering::Relaxed);
                true
            }
            None => false,
        }
    }

    /// Whether a job has ended but its end could not be written to the store yet.
    pub fn waits_for_store(&self, job: i64) -> bool {
        self.ended.lock().expect("the runner's lock").contains_key(&job)
    }

    /// A job with its present progress if it is running, or with its end if that is not in the
    /// store yet.
    pub fn with_progress(&self, job: Job) -> Job {
        if let Some(Ended { state, problem }) =
            self.ended.lock().expect("the runner's lock").get(&job.id)
        {
            return Job { state: *state, problem: problem.clone(), ..job };
        }
        let current = self.current.lock().expect("the runner's lock");
        match current.as_ref().filter(|(id, _)| *id == job.id) {
            Some((_, watch)) => watch.apply(job),
            None => job,
        }
    }
}

/// The end of a job.
#[derive(Clone)]
pub struct Ended {
    pub state: JobState,
    pub problem: Option<String>,
}

/// Usual share of each stage in the time of a run, used until its stages have times.
const USUAL: [(Stage, f64); 6] = [
    (Stage::Prepare, 0.1),
    (Stage::Frames, 0.15),
    (Stage::Align, 0.4),
    (Stage::Skyline, 0.05),
    (Stage::Combine, 0.35),
    (Stage::Finish, 0.05),
];

pub struct Clocked {
    stage: Stage,
    since: Instant,
    total: u64,
}

/// Progress of a job, with the times of its stages.
pub struct JobWatch {
    /// Set once the server is about to end.
    ending: Arc<AtomicBool>,
    pub cancelled: AtomicBool,
    done: AtomicU64,
    now: Mutex<(Option<Clocked>, Vec<StageTime>)>,
}

impl JobWatch {
    pub fn new(ending: Arc<AtomicBool>) -> Self {
        Self {
            ending,
            cancelled: AtomicBool::new(false),
            done: AtomicU64::new(0),
            now: Mutex::new((None, vec![])),
        }
    }

    pub fn finish(&self) -> Vec<StageTime> {
        let (current, times) = &mut *self.now.lock().expect("the job's lock");
        if let Some(c) = current.take() {
            times.push(StageTime {
                name: c.stage.name().to_owned(),
                seconds: c.since.elapsed().as_secs_f64(),
            });
        }
        times.clone()
    }

    pub fn apply(&self, job: Job) -> Job {
        let guard = self.now.lock().expect("the job's lock");
        let Some(current) = &guard.0 else { return job };
        let done = self.done.load(Ordering::Relaxed).min(current.total);
        let remaining_s = remaining(current, done);
        Job {
            stage: Some(current.stage),
            done: done as i64,
            total: current.total as i64,
            remaining_s,
            ..job
        }
    }
}

/// Remaining time: the rest of the present stage at its pace, and the later stages in their usual
/// proportion.
fn remaining(current: &Clocked, done: u64) -> Option<f64> {
    let passed = current.since.elapsed().as_secs_f64();
    if done == 0 || passed < 0.3 {
        return None;
    }
    let whole = passed * current.total as f64 / done as f64;
    let place = USUAL.iter().position(|(stage, _)| *stage == current.stage)?;
    let later: f64 = USUAL[place + 1..].iter().map(|(_, share)| share).sum();
    Some(whole - passed + whole * later / USUAL[place].1)
}

impl Watch for JobWatch {
    fn begin(&self, stage: Stage, total: u64) {
        self.finish();
        self.done.store(0, Ordering::Relaxed);
        self.now.lock().expect("the job's lock").0 =
            Some(Clocked { stage, since: Instant::now(), total });
    }
    fn advance(&self, steps: u64) {
        self.done.fetch_add(steps, Ordering::Relaxed);
    }
    fn cancelled(&self) -> bool {
        self.cancelled.load(Ordering::Relaxed) || self.ending.load(Ordering::Relaxed)
    }
}
