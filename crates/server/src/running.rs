//! The jobs under way and their progress.

use crate::types::{Job, JobState, Task};
use jade_plan::progress::{Stage, Watch};
use jade_plan::report::StageTime;
use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// The jobs under way.
#[derive(Default)]
pub struct Runner {
    running: Mutex<HashMap<i64, Arc<JobWatch>>>,
    /// Ends of jobs that could not be written to the store yet.
    pub ended: Mutex<HashMap<i64, Ended>>,
    /// Wakes the runner when something was queued.
    pub wake: tokio::sync::Notify,
}

impl Runner {
    /// Notes that a job begins.
    pub fn begin(&self, job: i64, watch: Arc<JobWatch>) {
        self.running.lock().expect("the runner's lock").insert(job, watch);
    }

    /// Notes that a job has ended.
    pub fn end(&self, job: i64) {
        self.running.lock().expect("the runner's lock").remove(&job);
    }

    /// Whether a run is under way.
    pub fn is_busy(&self) -> bool {
        let running = self.running.lock().expect("the runner's lock");
        running.values().any(|watch| watch.task == Task::Run)
    }

    /// Asks a job to stop if it is under way.
    pub fn cancel(&self, job: i64) -> bool {
        let running = self.running.lock().expect("the runner's lock");
        match running.get(&job) {
            Some(watch) => {
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
        match self.running.lock().expect("the runner's lock").get(&job.id) {
            Some(watch) => watch.apply(job),
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

/// Interval between progress events; also the elapsed time below which no remaining time is estimated.
pub const OFTEN: Duration = Duration::from_millis(200);

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
    task: Task,
    /// Set once the server is about to end.
    ending: Arc<AtomicBool>,
    pub cancelled: AtomicBool,
    done: AtomicU64,
    now: Mutex<(Option<Clocked>, Vec<StageTime>)>,
}

impl JobWatch {
    /// Of a job that stops once it is cancelled or the server ends.
    pub fn new(task: Task, ending: Arc<AtomicBool>) -> Self {
        Self {
            task,
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
        let remaining_s = remaining(self.task, current, done);
        Job {
            stage: Some(current.stage),
            done: done as i64,
            total: current.total as i64,
            remaining_s,
            ..job
        }
    }
}

/// Remaining time: the rest of the present stage at its pace, and for a run the later stages in their
/// usual proportion.
fn remaining(task: Task, current: &Clocked, done: u64) -> Option<f64> {
    let passed = current.since.elapsed().as_secs_f64();
    if done == 0 || passed < OFTEN.as_secs_f64() {
        return None;
    }
    let whole = passed * current.total as f64 / done as f64;
    let place = USUAL.iter().position(|(stage, _)| *stage == current.stage);
    let later = match place.filter(|_| task == Task::Run) {
        Some(place) => {
            USUAL[place + 1..].iter().map(|(_, share)| share).sum::<f64>() / USUAL[place].1
        }
        None => 0.0,
    };
    Some(whole - passed + whole * later)
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

#[cfg(test)]
mod tests {
    use super::*;

    /// Seconds that are left of 40 steps of the frames' stage, which has gone on for three seconds.
    fn left(task: Task, done: u64) -> Option<f64> {
        let since = Instant::now().checked_sub(Duration::from_secs(3)).unwrap();
        let left = remaining(task, &Clocked { stage: Stage::Frames, since, total: 40 }, done);
        left.map(|seconds| (seconds * 10.0).round() / 10.0)
    }

    #[test]
    fn what_is_left_takes_as_long_as_what_is_done() {
        assert_eq!(left(Task::Save, 30), Some(1.0));
        assert_eq!(left(Task::Save, 40), Some(0.0));
        assert_eq!(left(Task::Save, 0), None);
    }

    #[test]
    fn of_a_run_the_later_stages_take_their_usual_time() {
        // Of a whole of 4 seconds for the frames, 85 of 15 parts follow.
        assert_eq!(left(Task::Run, 30), Some(1.0 + (4.0f64 * 0.85 / 0.15 * 10.0).round() / 10.0));
    }
}
