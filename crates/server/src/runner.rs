//! One runner that carries out the queued jobs, one after the other.

use crate::error::ApiError;
use crate::store::{JobRow, NewResult};
use crate::types::{Event, Job, JobState};
use crate::{App, calibrated, pictures, skyline};
use jade_engine as engine;
use jade_engine::{Beside, Outcome, Request};
use jade_frames::FrameInput;
use jade_frames::cache::{LayerKind, MapKind};
use jade_plan::progress::{Stage, Watch};
use jade_plan::report::StageTime;
use jade_plan::{CoreError, GroundFrom, Plan, PreparePlan};
use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// The job under way, if there is one.
#[derive(Default)]
pub struct Runner {
    current: Mutex<Option<(i64, Arc<JobWatch>)>>,
    /// Ends of jobs that the store could not be told of yet.
    ended: Mutex<HashMap<i64, Ended>>,
    /// Wakes the runner when something was queued.
    pub wake: tokio::sync::Notify,
}

impl Runner {
    /// Whether a job is under way.
    pub fn is_busy(&self) -> bool {
        self.current.lock().expect("the runner's lock").is_some()
    }

    /// Asks the job to stop if it is the one under way.
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

    /// Whether a job has ended, and the store could not be told of it yet.
    pub fn waits_for_store(&self, job: i64) -> bool {
        self.ended.lock().expect("the runner's lock").contains_key(&job)
    }

    /// A job as it is now: with its progress where it is the one under way, and with its end where
    /// the store does not know of it yet.
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

/// How a job ended.
#[derive(Clone)]
struct Ended {
    state: JobState,
    problem: Option<String>,
}

/// Pause before the store is tried again.
const AGAIN: Duration = Duration::from_secs(2);

/// Usual share of each stage in a whole run, until a run's own times tell better.
const USUAL: [(Stage, f64); 6] = [
    (Stage::Prepare, 0.1),
    (Stage::Frames, 0.15),
    (Stage::Align, 0.4),
    (Stage::Skyline, 0.05),
    (Stage::Combine, 0.35),
    (Stage::Finish, 0.05),
];

struct Clocked {
    stage: Stage,
    since: Instant,
    total: u64,
}

/// Progress of a job and the clock of its stages.
struct JobWatch {
    app: Arc<App>,
    cancelled: AtomicBool,
    done: AtomicU64,
    now: Mutex<(Option<Clocked>, Vec<StageTime>)>,
}

impl JobWatch {
    fn new(app: &Arc<App>) -> Self {
        Self {
            app: app.clone(),
            cancelled: AtomicBool::new(false),
            done: AtomicU64::new(0),
            now: Mutex::new((None, vec![])),
        }
    }

    fn finish(&self) -> Vec<StageTime> {
        let (current, times) = &mut *self.now.lock().expect("the job's lock");
        if let Some(c) = current.take() {
            times.push(StageTime {
                name: c.stage.name().to_owned(),
                seconds: c.since.elapsed().as_secs_f64(),
            });
        }
        times.clone()
    }

    fn apply(&self, job: Job) -> Job {
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

/// What is left of the stage at its own pace, and the stages after it in their usual proportion.
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
        self.cancelled.load(Ordering::Relaxed) || self.app.is_ending()
    }
}

/// Carries out jobs until the server ends.
pub async fn run_forever(app: Arc<App>) {
    loop {
        match app.store.take_job().await {
            Ok(Some(row)) => {
                if let Err(error) = run_one(&app, row).await {
                    tracing::error!("a job could not be ended properly: {error}");
                }
            }
            Ok(None) => app.runner.wake.notified().await,
            Err(error) => {
                tracing::error!("the queue could not be read: {error}");
                tokio::time::sleep(AGAIN).await;
            }
        }
    }
}

async fn run_one(app: &Arc<App>, row: JobRow) -> Result<(), ApiError> {
    let watch = Arc::new(JobWatch::new(app));
    let begun = row.view()?;
    *app.runner.current.lock().expect("the runner's lock") = Some((row.id, watch.clone()));
    app.tell(Event::Job { job: begun });
    let teller = tokio::spawn(tell_progress(app.clone(), row.clone()));
    let made = make(app, &row, &watch).await;
    teller.abort();
    *app.runner.current.lock().expect("the runner's lock") = None;
    // Measuring has waited for the end, whatever noting it brings.
    app.imported.notify_one();
    let (state, problem) = match made {
        Ok(()) => (JobState::Done, None),
        Err(_) if watch.cancelled() => (JobState::Cancelled, None),
        Err(error) => (JobState::Failed, Some(error.to_string())),
    };
    end(app, &row, Ended { state, problem }).await
}

/// Notes the end of a job. Where the store cannot be written, as when the disk is full, the pages are
/// told all the same, and the store is tried until it can be.
async fn end(app: &Arc<App>, row: &JobRow, ended: Ended) -> Result<(), ApiError> {
    let all = || app.runner.ended.lock().expect("the runner's lock");
    loop {
        match app.store.set_state(row.id, ended.state, ended.problem.as_deref()).await {
            Ok(noted) => {
                all().remove(&row.id);
                app.tell(Event::Job { job: noted.view()? });
                app.tell(Event::Shoot { id: row.shoot_id });
                return Ok(());
            }
            Err(error) => {
                if all().insert(row.id, ended.clone()).is_none() {
                    tracing::error!("the end of a run cannot be noted yet: {error}");
                    // With how far it had come.
                    let row = app.store.job(row.id).await.unwrap_or_else(|_| row.clone());
                    app.tell(Event::Job { job: app.runner.with_progress(row.view()?) });
                }
                tokio::time::sleep(AGAIN).await;
            }
        }
    }
}

async fn tell_progress(app: Arc<App>, row: JobRow) {
    let mut ticks = tokio::time::interval(Duration::from_millis(200));
    for tick in 0u32.. {
        ticks.tick().await;
        let Ok(job) = row.view() else { return };
        let job = app.runner.with_progress(job);
        if let (Some(stage), 0) = (job.stage, tick % 5) {
            // Lost progress is no loss; the next tick notes it again.
            let _ = app.store.set_progress(row.id, stage, job.done, job.total).await;
        }
        app.tell(Event::Job { job });
    }
}

async fn make(app: &Arc<App>, row: &JobRow, watch: &Arc<JobWatch>) -> Result<(), ApiError> {
    let plan = row.plan()?;
    let ids = row.frame_ids()?;
    let mut inputs = Vec::new();
    for id in &ids {
        inputs.push(app.store.frame(*id).await?.input_under(&plan));
    }
    let mut ground = ground_of(app, row.shoot_id, &plan).await?;
    let mask = skyline::loaded(app, &plan);
    let calibration = calibrated::frames_of(app, row.shoot_id).await?;
    let calibrated_with = calibration.clone();
    let reference = row.reference_id.and_then(|r| ids.iter().position(|id| *id == r));
    let followed = watch.clone();
    let work = move |worker: &Arc<App>| -> Result<Made, ApiError> {
        engine::calibrate(
            &calibration,
            &mut inputs,
            plan.prepare.repair,
            &worker.cache,
            worker.budget,
            &*followed,
        )?;
        let App { cache, budget, .. } = &**worker;
        engine::calibrate_ground(&calibration, &mut ground, &plan, cache, *budget, &*followed)?;
        let request = Request {
            frames: &inputs,
            reference,
            plan: &plan,
            cache: &worker.cache,
            budget: worker.budget,
            // Frames are decoded when they are added, to be looked at.
            stream: false,
            beside: Beside { mask: mask.as_deref(), ground: &ground },
            watch: &*followed,
        };
        let outcome = engine::stack(&request)?;
        let folder = worker.result_folder(outcome.key.as_str());
        keep(&outcome.picture, &folder)?;
        for map in MapKind::ALL {
            let made = worker.cache.map(&outcome.combined, map);
            if made.exists() {
                keep(&made, &folder.join(map.name()))?;
            }
        }
        // The picture is looked at next, so its smaller sizes are made now.
        pictures::open_result(
            &folder,
            &outcome.profile,
            outcome.key.as_str(),
            outcome.report.origin,
        )?;
        for layer in LayerKind::ALL {
            let made = outcome.layer(&worker.cache, layer);
            if made.exists() {
                keep(&made, &folder.join(layer.name()))?;
            }
        }
        Ok((outcome, inputs, ground, plan))
    };
    let (outcome, inputs, ground, plan) = app.work(work).await?;
    if watch.cancelled() {
        return Err(CoreError::Cancelled.into());
    }
    // Short runs end between two notes of their progress.
    let last = watch.apply(row.view()?);
    if let Some(stage) = last.stage {
        app.store.set_progress(row.id, stage, last.done, last.total).await?;
    }
    let mut report = outcome.report;
    report.stages = watch.finish();
    report.peak_memory_mib = crate::peak_memory_mib();
    let record = engine::record(&inputs, &ground, &calibrated_with, &plan, &report);
    let new = NewResult {
        shoot_id: row.shoot_id,
        job_id: row.id,
        key: outcome.key.as_str(),
        reference_id: ids[outcome.reference],
        record: &record,
        report: &report,
        profile: &outcome.profile,
    };
    app.store.add_result(&new).await?;
    app.work(|app| {
        app.keep_cache_small();
        Ok::<_, ApiError>(())
    })
    .await
}

/// What a run made, and from what: frames, those of the ground alone, and the plan.
type Made = (Outcome, Vec<FrameInput>, Vec<FrameInput>, Plan);

/// Frames that the ground comes from, where those are others than the sky's.
async fn ground_of(app: &Arc<App>, shoot: i64, plan: &Plan) -> Result<Vec<FrameInput>, ApiError> {
    if !plan.skyline.is_on() {
        return Ok(vec![]);
    }
    match &plan.skyline.ground.from {
        GroundFrom::Same | GroundFrom::Frame { .. } => Ok(vec![]),
        GroundFrom::Set { set } => {
            let rows = app.store.frames(shoot).await?;
            let own = rows.iter().filter(|row| row.is_light() && row.set_id == Some(*set));
            Ok(own.map(|row| row.input_under(plan)).collect())
        }
        GroundFrom::Picture(file) => Ok(vec![FrameInput {
            path: app.original(&file.blake3),
            name: file.file.clone(),
            content: file.blake3.clone(),
            state: None,
            prepare: PreparePlan::default(),
            calibration: None,
        }]),
    }
}

/// A result is no cache: its picture and maps get a second name outside of it.
fn keep(picture: &std::path::Path, folder: &std::path::Path) -> Result<(), ApiError> {
    std::fs::create_dir_all(folder)?;
    let kept = folder.join("0.tiles");
    if kept.exists() {
        return Ok(());
    }
    match std::fs::hard_link(picture, &kept) {
        Ok(()) => Ok(()),
        Err(_) => {
            let aside = folder.join(".aside-0.tiles");
            std::fs::copy(picture, &aside)?;
            Ok(std::fs::rename(aside, kept)?)
        }
    }
}
