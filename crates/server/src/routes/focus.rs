//! Order and sharpness of a sweep before it is merged, and which frames are sharp at a place.

use crate::app::App;
use crate::error::ApiError;
use crate::pictures::{self, Source};
use crate::sweep;
use crate::types::SharpFrame;
use axum::Json;
use axum::extract::{Path, Query, State};
use jade_optics::space::{InFrame, InReference};
use jade_pixels::PictureError;
use jade_plan::report::FocusReport;
use serde::Deserialize;
use std::sync::Arc;

type AppState = State<Arc<App>>;

/// A place in the reference frame, in pixels.
#[derive(Deserialize)]
pub struct Place {
    x: f64,
    y: f64,
}

/// Finds the order of a sweep's frames, if that has not been done.
pub async fn sweep(
    State(app): AppState,
    Path(shoot): Path<i64>,
) -> Result<Json<FocusReport>, ApiError> {
    Ok(Json(sweep::looked_over(&app, shoot).await?))
}

/// Stops finding the order.
pub async fn stop(State(app): AppState, Path(shoot): Path<i64>) -> Result<(), ApiError> {
    app.store.must_have(shoot).await?;
    app.sweeps.stop(shoot);
    Ok(())
}

/// The frames of a merged sweep that show a place, the sharpest first.
pub async fn sharpest(
    State(app): AppState,
    Path(result): Path<i64>,
    Query(place): Query<Place>,
) -> Result<Json<Vec<SharpFrame>>, ApiError> {
    if !place.x.is_finite() || !place.y.is_finite() {
        return Err(ApiError::Refused("A place is two numbers, in pixels.".to_owned()));
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
