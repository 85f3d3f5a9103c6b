//! Measures the lens from a shoot's frames.

use crate::app::App;
use crate::calibrated;
use crate::error::ApiError;
use crate::extract::{Json, Path};
use crate::store::in_run;
use crate::types::{LensFrom, LensWish};
use crate::unreported::Unreported;
use axum::extract::State;
use jade_engine as engine;
use jade_engine::LensFound;
use jade_frames::FrameInput;
use std::sync::Arc;

/// Finds the lens from the shoot's lights or flats; the finding is not stored.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/lens",
    operation_id = "lens",
    tag = "align",
    responses((status = 200, description = "The lens", body = LensFound)),
)]
pub async fn find(
    State(app): State<Arc<App>>,
    Path(shoot): Path<i64>,
    Json(wish): Json<LensWish>,
) -> Result<Json<LensFound>, ApiError> {
    let plan = app.store.plan(shoot).await?;
    let known = plan.prepare.lens;
    let flats = calibrated::frames_of(&app, shoot).await?.flats;
    let rows = app.store.frames(shoot).await?;
    let lights: Vec<FrameInput> = in_run(&rows, app.store.stacked_set(shoot).await?)
        .into_iter()
        .map(|row| row.input_under(&plan))
        .collect();
    let work = move |app: &Arc<App>| {
        let App { cache, budget, .. } = &**app;
        let watch = &Unreported(app);
        match wish.from {
            LensFrom::Stars => engine::lens_of_stars(&lights, known, cache, *budget, watch),
            LensFrom::Flats => engine::lens_of_flats(&flats, known, cache, *budget, watch),
        }
    };
    Ok(Json(app.work(work).await?))
}
