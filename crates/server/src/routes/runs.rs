//! Starts, stops and resumes runs.

use crate::app::App;
use crate::error::ApiError;
use crate::store::in_run;
use crate::types::{Event, HandFound, HandTry, Job, JobState};
use axum::Json;
use axum::extract::{Path, State};
use jade_align::hand;
use std::sync::Arc;

type AppState = State<Arc<App>>;

/// Queues a run of the shoot's plan on its frames that are not left out.
pub async fn add(State(app): AppState, Path(shoot): Path<i64>) -> Result<Json<Job>, ApiError> {
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
    Ok(Json(job))
}

/// The motion that pairs set by hand define; nothing is stored.
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

/// Stops a running job, or takes a queued one out of the queue.
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

/// Puts an ended job back into the queue; the cache still has what its stages finished.
pub async fn resume(State(app): AppState, Path(id): Path<i64>) -> Result<Json<Job>, ApiError> {
    if app.runner.waits_for_store(id) {
        return Err(ApiError::Inner(
            "How this run ended cannot be noted yet; make room on the disk of the data folder and try again."
                .to_owned(),
        ));
    }
    let job = app.store.job(id).await?.view()?;
    if !matches!(job.state, JobState::Interrupted | JobState::Failed | JobState::Cancelled) {
        return Err(ApiError::Refused("This run is not one that can go on.".to_owned()));
    }
    let job = app.store.set_state(id, JobState::Queued, None).await?.view()?;
    app.runner.wake.notify_one();
    app.tell(Event::Job { job: job.clone() });
    Ok(Json(job))
}
