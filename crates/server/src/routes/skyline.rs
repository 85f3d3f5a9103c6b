//! The skyline of a shoot.

use super::exports::attachment;
use super::file::File;
use super::frames::{UploadQuery, keep_upload};
use crate::app::App;
use crate::error::ApiError;
use crate::extract::{Json, Path, Query};
use crate::saving::file_name;
use crate::types::{Job, SkylineSeen, Task};
use crate::{runner, skyline};
use axum::body::Body;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use jade_pixels::write::Target;
use jade_plan::NamedFile;
use std::sync::Arc;

type AppState = State<Arc<App>>;

/// The skyline that was found last; computes nothing.
#[utoipa::path(
    get,
    path = "/shoots/{shoot}/skyline",
    operation_id = "skyline",
    tag = "skyline",
    responses((status = 200, description = "The skyline", body = SkylineSeen)),
)]
pub async fn show(
    State(app): AppState,
    Path(shoot): Path<i64>,
) -> Result<Json<SkylineSeen>, ApiError> {
    let (open, is_current) = skyline::last(&app, shoot).await?;
    Ok(Json(app.work(move |_| Ok::<_, ApiError>(open.summary(is_current))).await?))
}

/// Finds the skyline of the present plan. Once the job is done, it can be asked for.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/skyline",
    operation_id = "findSkyline",
    tag = "skyline",
    responses((status = 201, description = "The job", body = Job)),
)]
pub async fn find(
    State(app): AppState,
    Path(shoot): Path<i64>,
) -> Result<(StatusCode, Json<Job>), ApiError> {
    Ok((StatusCode::CREATED, Json(runner::begin(&app, shoot, Task::Skyline, None).await?)))
}

/// Stores an uploaded mask, which the plan may then name.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/skyline/mask",
    operation_id = "loadMask",
    tag = "skyline",
    params(UploadQuery), request_body(content = File, content_type = "application/octet-stream", description = "The file, byte by byte"),
    responses((status = 201, description = "The name to put into the plan", body = NamedFile)),
)]
pub async fn load_mask(
    State(app): AppState,
    Path(shoot): Path<i64>,
    Query(query): Query<UploadQuery>,
    body: Body,
) -> Result<(StatusCode, Json<NamedFile>), ApiError> {
    load(&app, shoot, query, body, true).await
}

/// Stores an uploaded picture of the ground, which the plan may then name.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/skyline/picture",
    operation_id = "loadGround",
    tag = "skyline",
    params(UploadQuery), request_body(content = File, content_type = "application/octet-stream", description = "The file, byte by byte"),
    responses((status = 201, description = "The name to put into the plan", body = NamedFile)),
)]
pub async fn load_picture(
    State(app): AppState,
    Path(shoot): Path<i64>,
    Query(query): Query<UploadQuery>,
    body: Body,
) -> Result<(StatusCode, Json<NamedFile>), ApiError> {
    load(&app, shoot, query, body, false).await
}

async fn load(
    app: &Arc<App>,
    shoot: i64,
    query: UploadQuery,
    body: Body,
    as_mask: bool,
) -> Result<(StatusCode, Json<NamedFile>), ApiError> {
    app.store.must_have(shoot).await?;
    let kept = keep_upload(app, &query, body).await?;
    let file = NamedFile { file: kept.name, blake3: kept.blake3 };
    skyline::check(app, shoot, &file, as_mask).await?;
    Ok((StatusCode::CREATED, Json(file)))
}

/// The mask as a file of 16 bits: `mask.png` or `mask.tif`.
#[utoipa::path(
    get,
    path = "/shoots/{shoot}/skyline/{file}",
    operation_id = "saveSkyline",
    tag = "skyline",
    responses((status = 200, description = "The file", content((File = "image/png"), (File = "image/tiff")))),
)]
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
