//! Order and sharpness of a sweep before it is merged, and which frames are sharp at a place.

use crate::app::App;
use crate::error::ApiError;
use crate::extract::{Json, Path, Query};
use crate::pictures::{self, Source};
use crate::types::{Job, SharpFrame, Task};
use crate::{runner, sweep};
use axum::extract::State;
use axum::http::StatusCode;
use jade_optics::space::{InFrame, InReference};
use jade_pixels::PictureError;
use jade_plan::report::FocusReport;
use serde::Deserialize;
use std::sync::Arc;
use utoipa::IntoParams;

type AppState = State<Arc<App>>;

/// A place in the reference frame, in pixels.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Place {
    /// Column in pixels.
    x: f64,
    /// Row in pixels.
    y: f64,
}

/// Order and sharpness of a sweep's frames, if they were found; computes nothing.
#[utoipa::path(
    get,
    path = "/shoots/{shoot}/sweep",
    operation_id = "sweep",
    tag = "focus",
    responses((status = 200, description = "Order and sharpness", body = FocusReport)),
)]
pub async fn show(
    State(app): AppState,
    Path(shoot): Path<i64>,
) -> Result<Json<FocusReport>, ApiError> {
    Ok(Json(sweep::current(&app, shoot).await?))
}

/// Finds the order of a sweep's frames. Once the job is done, it can be asked for.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/sweep",
    operation_id = "findSweep",
    tag = "focus",
    responses((status = 201, description = "The job", body = Job)),
)]
pub async fn find(
    State(app): AppState,
    Path(shoot): Path<i64>,
) -> Result<(StatusCode, Json<Job>), ApiError> {
    Ok((StatusCode::CREATED, Json(runner::begin(&app, shoot, Task::Sweep, None).await?)))
}

/// The frames of a merged sweep that show a place, the sharpest first.
#[utoipa::path(
    get,
    path = "/results/{result}/sharpest",
    operation_id = "sharpest",
    tag = "focus",
    params(Place),
    responses((status = 200, description = "The frames", body = Vec<SharpFrame>)),
)]
pub async fn sharpest(
    State(app): AppState,
    Path(result): Path<i64>,
    Query(place): Query<Place>,
) -> Result<Json<Vec<SharpFrame>>, ApiError> {
    /// Farther away than any picture is large, in pixels.
    const FAR: f64 = 1e6;
    if ![place.x, place.y].iter().all(|v| v.abs() < FAR) {
        return Err(ApiError::field("x", "A place is two numbers, in pixels of the picture."));
    }
    let row = app.store.result(result).await?;
    let report = row.report()?;
    let mut placed = vec![];
    for frame in app.store.frames(row.shoot_id).await? {
        let reported = report.frame(&frame.blake3, &frame.name).filter(|reported| reported.used);
        if let Some((reported, motion)) =
            reported.and_then(|reported| Some((reported, reported.motion.as_ref()?)))
        {
            let InFrame(at) = motion.from_reference(InReference([place.x, place.y]));
            let gain = reported.level.map_or(1.0, |[factor, _]| factor);
            placed.push((pictures::open(&app, Source::Frame(frame.id)).await?, frame, at, gain));
        }
    }
    let measured = app.work(move |_| {
        let mut all = vec![];
        for (picture, frame, at, gain) in placed {
            if let Some(energy) = picture.sharp_around(at)? {
                all.push((frame, energy * gain));
            }
        }
        Ok::<_, PictureError>(all)
    });
    let mut measured = measured.await?;
    measured.sort_by(|(_, a), (_, b)| b.total_cmp(a));
    let most = measured.first().map_or(0.0, |(_, energy)| *energy).max(f32::MIN_POSITIVE);
    let frames = measured.into_iter().map(|(frame, energy)| SharpFrame {
        frame_id: frame.id,
        file: frame.name,
        blake3: frame.blake3,
        sharp: energy / most,
    });
    Ok(Json(frames.collect()))
}
