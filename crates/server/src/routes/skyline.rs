//! The skyline of a shoot.

use super::exports::attachment;
use super::frames::{UploadQuery, keep_upload};
use crate::app::App;
use crate::error::ApiError;
use crate::saving::file_name;
use crate::skyline;
use crate::types::SkylineSeen;
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use jade_pixels::write::Target;
use jade_plan::NamedFile;
use std::sync::Arc;

type AppState = State<Arc<App>>;

/// The skyline, if it was found; computes nothing.
pub async fn show(
    State(app): AppState,
    Path(shoot): Path<i64>,
) -> Result<Json<SkylineSeen>, ApiError> {
    let open = skyline::current(&app, shoot).await?;
    Ok(Json(app.work(move |_| Ok::<_, ApiError>(open.summary())).await?))
}

/// Finds the skyline, if that has not been done.
pub async fn find(
    State(app): AppState,
    Path(shoot): Path<i64>,
) -> Result<Json<SkylineSeen>, ApiError> {
    let open = skyline::found(&app, shoot).await?;
    Ok(Json(app.work(move |_| Ok::<_, ApiError>(open.summary())).await?))
}

/// Stops finding the skyline.
pub async fn stop(State(app): AppState, Path(shoot): Path<i64>) -> Result<(), ApiError> {
    app.store.must_have(shoot).await?;
    app.skylines.stop(shoot);
    Ok(())
}

/// Stores an uploaded mask, which the plan may then name.
pub async fn load_mask(
    State(app): AppState,
    Path(shoot): Path<i64>,
    Query(query): Query<UploadQuery>,
    body: Body,
) -> Result<Json<NamedFile>, ApiError> {
    load(&app, shoot, query, body, true).await
}

/// Stores an uploaded picture of the ground, which the plan may then name.
pub async fn load_picture(
    State(app): AppState,
    Path(shoot): Path<i64>,
    Query(query): Query<UploadQuery>,
    body: Body,
) -> Result<Json<NamedFile>, ApiError> {
    load(&app, shoot, query, body, false).await
}

async fn load(
    app: &Arc<App>,
    shoot: i64,
    query: UploadQuery,
    body: Body,
    as_mask: bool,
) -> Result<Json<NamedFile>, ApiError> {
    app.store.must_have(shoot).await?;
    let kept = keep_upload(app, &query, body).await?;
    let file = NamedFile { file: kept.name, blake3: kept.blake3 };
    skyline::check(app, shoot, &file, as_mask).await?;
    Ok(Json(file))
}

/// The mask as a 16-bit file.
pub async fn save(
    State(app): AppState,
    Path((shoot, file)): Path<(i64, String)>,
) -> Result<Response, ApiError> {
    let (target, kind, ending) = match file.as_str() {
        "mask.png" => (Target::Png { sixteen_bit: true }, "image/png", "png"),
        "mask.tif" => (Target::Tiff { sixteen_bit: true, deflate: false }, "image/tiff", "tif"),
        _ => return Err(ApiError::missing("This file")),
    };
    let name = app.store.shoot_name(shoot).await?;
    let open = skyline::current(&app, shoot).await?;
    let folder = tempfile::tempdir_in(app.data.join("incoming"))?;
    let bytes = app.work(move |_| {
        let path = folder.path().join(format!("mask.{ending}"));
        open.mask().write(&path, target)?;
        Ok::<_, ApiError>(std::fs::read(path)?)
    });
    let name = format!("{} - skyline.{ending}", file_name(&name));
    let headers =
        [(header::CONTENT_TYPE, kind.to_owned()), (header::CONTENT_DISPOSITION, attachment(&name))];
    Ok((headers, bytes.await?).into_response())
}
