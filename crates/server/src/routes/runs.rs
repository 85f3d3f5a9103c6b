//! Starts, stops and resumes runs.

use crate::app::App;
use crate::error::ApiError;
use crate::extract::{Json, Path};
use crate::runner;
use crate::store::in_run;
use crate::types::{Event, HandFound, HandTry, Job, JobState, Task};
use axum::extract::State;
use axum::http::StatusCode;
use jade_align::hand;
use std::sync::Arc;

type AppState = State<Arc<App>>;

/// Queues a run of the shoot's plan on its frames that are not left out.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/runs",
    operation_id = "run",
    tag = "runs",
    responses((status = 201, description = "The queued run", body = Job)),
)]
pub async fn add(
    State(app): AppState,
    Path(shoot): Path<i64>,
) -> Result<(StatusCode, Json<Job>), ApiError> {
    let current = app.store.shoot(shoot).await?;
    let frames = app.store.frames(shoot).await?;
    let ids: Vec<i64> = in_run(&frames, current.stacked_set).iter().map(|f| f.id).collect();
    if ids.len() < 2 {
        return Err(ApiError::Refused(format!(
            "{} of the frames can be combined, and two are the least; add frames or take some in again.",
            ids.len()
        )));
    }
    // If the chosen reference frame was left out since, the proposed one is used.
    let proposed = current.proposed_reference.map(|proposed| proposed.frame_id);
    let reference = current.reference_id.filter(|r| ids.contains(r)).or(proposed);
    let job = app.store.add_job(shoot, &current.plan, &ids, reference).await?.view()?;
    app.runner.wake.notify_one();
    app.tell(Event::Job { job: job.clone() });
    Ok((StatusCode::CREATED, Json(job)))
}

/// The motion that pairs set by hand define; nothing is stored.
#[utoipa::path(
    post,
    path = "/hand-fit",
    operation_id = "tryByHand",
    tag = "align",
    responses((status = 200, description = "The motion, and how far the pairs lie off", body = HandFound)),
)]
pub async fn try_by_hand(Json(wish): Json<HandTry>) -> Result<Json<HandFound>, ApiError> {
    /// More pairs than anybody sets by hand.
    const MOST: usize = 1000;
    if wish.pairs.len() > MOST {
        return Err(ApiError::TooLarge(format!(
            "The request holds {} pairs; set {MOST} at most.",
            wish.pairs.len()
        )));
    }
    Ok(Json(match hand::fit(&wish.pairs) {
        Some(fit) => {
            HandFound { model: Some(fit.model().to_owned()), off_px: fit.off, rms_px: fit.rms_px }
        }
        None => HandFound { model: None, off_px: vec![], rms_px: 0.0 },
    }))
}

/// A job as it is now.
#[utoipa::path(
    get,
    path = "/jobs/{job}",
    operation_id = "job",
    tag = "jobs",
    responses((status = 200, description = "The job as it is now", body = Job)),
)]
pub async fn show(State(app): AppState, Path(id): Path<i64>) -> Result<Json<Job>, ApiError> {
    Ok(Json(app.runner.with_progress(app.store.job(id).await?.view()?)))
}

/// Stops a running job, or takes a queued one out of the queue.
#[utoipa::path(
    post,
    path = "/jobs/{job}/cancel",
    operation_id = "cancel",
    tag = "jobs",
    responses((status = 200, description = "The job as it is now", body = Job)),
)]
pub async fn cancel(State(app): AppState, Path(id): Path<i64>) -> Result<Json<Job>, ApiError> {
    let row = app.store.job(id).await?;
    let job = row.view()?;
    if app.runner.cancel(id) || job.state != JobState::Queued {
        return Ok(Json(job));
    }
    let job = app.store.set_state(id, JobState::Cancelled, None).await?.view()?;
    app.tell(Event::Job { job: job.clone() });
    Ok(Json(job))
}

/// Goes on with a job that failed, was stopped or interrupted: a run is put back into the queue, other
/// work begins at once. The cache still has what its stages finished.
#[utoipa::path(
    post,
    path = "/jobs/{job}/resume",
    operation_id = "resume",
    tag = "jobs",
    responses((status = 200, description = "The job as it is now", body = Job)),
)]
pub async fn resume(State(app): AppState, Path(id): Path<i64>) -> Result<Json<Job>, ApiError> {
    if app.runner.waits_for_store(id) {
        return Err(ApiError::Inner(
            "How this job ended cannot be noted yet; make room on the disk of the data folder and try again."
                .to_owned(),
        ));
    }
    let row = app.store.job(id).await?;
    let job = row.view()?;
    if !matches!(job.state, JobState::Interrupted | JobState::Failed | JobState::Cancelled) {
        return Err(ApiError::Refused("This job is not one that can go on.".to_owned()));
    }
    if job.task != Task::Run {
        return Ok(Json(runner::start(&app, app.store.begin_again(id).await?)?));
    }
    let job = app.store.set_state(id, JobState::Queued, None).await?.view()?;
    app.runner.wake.notify_one();
    app.tell(Event::Job { job: job.clone() });
    Ok(Json(job))
}
