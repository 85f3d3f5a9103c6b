//! Carries out jobs: runs one after the other, other work at once beside them.

use crate::app::App;
use crate::error::ApiError;
use crate::running::{Ended, JobWatch, OFTEN};
use crate::store::JobRow;
use crate::types::{Event, Job, JobState, NewExport, Task};
use crate::{saving, skyline, stacking, sweep};
use jade_plan::progress::Watch;
use std::sync::Arc;
use std::time::Duration;

/// Pause before another attempt to write to the store.
const AGAIN: Duration = Duration::from_secs(2);

/// Carries out queued runs until the server ends.
pub async fn run_forever(app: Arc<App>) {
    loop {
        match app.store.take_job().await {
            Ok(Some(row)) => match watched(&app, &row) {
                Ok(watch) => carry_out(&app, row, watch).await,
                Err(error) => tracing::error!("a job cannot be read: {error}"),
            },
            Ok(None) => app.runner.wake.notified().await,
            Err(error) => {
                tracing::error!("the queue could not be read: {error}");
                tokio::time::sleep(AGAIN).await;
            }
        }
    }
}

/// Begins work other than a run.
///
/// # Errors
/// [`ApiError::Refused`] where a result is being saved already.
pub async fn begin(
    app: &Arc<App>,
    shoot: i64,
    task: Task,
    saved: Option<(i64, &NewExport)>,
) -> Result<Job, ApiError> {
    let plan = app.store.plan(shoot).await?;
    let row = app.store.begin_job(shoot, task, &plan, saved).await?;
    start(app, row)
}

/// Carries out a job whose state is running, while the answer goes out.
pub fn start(app: &Arc<App>, row: JobRow) -> Result<Job, ApiError> {
    let (job, watch) = (row.view()?, watched(app, &row)?);
    let app = app.clone();
    tokio::spawn(async move { carry_out(&app, row, watch).await });
    Ok(job)
}

/// The watch of a job that begins. From now on it can be cancelled.
fn watched(app: &App, row: &JobRow) -> Result<Arc<JobWatch>, ApiError> {
    let watch = Arc::new(JobWatch::new(row.task()?, app.ending.clone()));
    app.runner.begin(row.id, watch.clone());
    Ok(watch)
}

async fn carry_out(app: &Arc<App>, row: JobRow, watch: Arc<JobWatch>) {
    if let Err(error) = try_out(app, row, &watch).await {
        tracing::error!("a job could not be ended properly: {error}");
    }
}

async fn try_out(app: &Arc<App>, row: JobRow, watch: &Arc<JobWatch>) -> Result<(), ApiError> {
    app.tell(Event::Job { job: row.view()? });
    let teller = tokio::spawn(tell_progress(app.clone(), row.clone()));
    let made = match row.task()? {
        Task::Run => stacking::stack(app, &row, watch).await,
        Task::Skyline => skyline::found(app, row.shoot_id, watch).await.map(|_| ()),
        Task::Sweep => sweep::looked_over(app, row.shoot_id, watch).await,
        Task::Save => saving::save(app, &row, watch).await,
    };
    teller.abort();
    app.runner.end(row.id);
    // The measurer waits while a run goes on, and is woken even if noting the job's end fails.
    app.imported.notify_one();
    if made.is_err() && app.is_ending() {
        // It stays noted as running, so that the next start marks it as interrupted.
        return Ok(());
    }
    let (state, problem) = match made {
        Ok(()) => (JobState::Done, None),
        Err(_) if watch.cancelled() => (JobState::Cancelled, None),
        Err(error) => (JobState::Failed, Some(error.to_string())),
    };
    end(app, &row, Ended { state, problem }).await
}

/// Notes the end of a job. If the store cannot be written, as on a full disk, the pages are
/// informed all the same, and writing is tried again until it succeeds.
async fn end(app: &Arc<App>, row: &JobRow, ended: Ended) -> Result<(), ApiError> {
    let all = || app.runner.ended.lock().expect("the runner's lock");
    loop {
        match app.store.set_state(row.id, ended.state, ended.problem.as_deref()).await {
            Ok(noted) => {
                all().remove(&row.id);
                app.tell(Event::Job { job: noted.view()? });
                if matches!(row.task()?, Task::Run | Task::Save) {
                    app.tell(Event::Shoot { id: row.shoot_id });
                }
                return Ok(());
            }
            Err(error) => {
                if all().insert(row.id, ended.clone()).is_none() {
                    tracing::error!("the end of a job cannot be noted yet: {error}");
                    // The event says how far the job had come.
                    let row = app.store.job(row.id).await.unwrap_or_else(|_| row.clone());
                    app.tell(Event::Job { job: app.runner.with_progress(row.view()?) });
                }
                tokio::time::sleep(AGAIN).await;
            }
        }
    }
}

async fn tell_progress(app: Arc<App>, row: JobRow) {
    let mut ticks = tokio::time::interval(OFTEN);
    for tick in 0u32.. {
        ticks.tick().await;
        let Ok(job) = row.view() else { return };
        let job = app.runner.with_progress(job);
        if let (Some(stage), 0) = (job.stage, tick % 5) {
            // Progress that was not stored is stored with the next tick.
            let _ = app.store.set_progress(row.id, stage, job.done, job.total).await;
        }
        app.tell(Event::Job { job });
    }
}
