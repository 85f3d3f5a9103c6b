//! Saving results, and the saved files.

use super::file::File;
use crate::app::App;
use crate::error::ApiError;
use crate::extract::{Json, Path};
use crate::types::{Job, NewExport, Task};
use crate::{runner, saving};
use axum::body::Body;
use axum::extract::{Request, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::Response;
use jade_plan::PlanRecord;
use std::path::PathBuf;
use std::sync::Arc;
use tower_http::services::ServeFile;

type AppState = State<Arc<App>>;

/// Saves a result and its plan into the exports folder, which goes on when the page is left. Once the
/// job is done, the file is among those of the result.
#[utoipa::path(
    post,
    path = "/results/{result}/exports",
    operation_id = "save",
    tag = "exports",
    responses((status = 201, description = "The job", body = Job)),
)]
pub async fn add(
    State(app): AppState,
    Path(result): Path<i64>,
    Json(wish): Json<NewExport>,
) -> Result<(StatusCode, Json<Job>), ApiError> {
    let shoot = saving::check(&app, result, &wish).await?.shoot_id;
    let job = runner::begin(&app, shoot, Task::Save, Some((result, &wish))).await?;
    Ok((StatusCode::CREATED, Json(job)))
}

/// A saved file, or the requested ranges of it.
#[utoipa::path(
    get,
    path = "/exports/{export}/file",
    operation_id = "savedFile",
    tag = "exports",
    responses((status = 200, description = "The file", content((File = "image/tiff"), (File = "image/png"), (File = "image/jpeg")))),
)]
pub async fn file(
    State(app): AppState,
    Path(export): Path<i64>,
    request: Request,
) -> Result<Response, ApiError> {
    let [file, _] = app.store.export_paths(export).await?;
    download(file, request).await
}

/// The plan beside a saved file.
#[utoipa::path(
    get,
    path = "/exports/{export}/plan",
    operation_id = "savedPlan",
    tag = "exports",
    responses((status = 200, description = "The plan", body = PlanRecord)),
)]
pub async fn plan(
    State(app): AppState,
    Path(export): Path<i64>,
    request: Request,
) -> Result<Response, ApiError> {
    let [_, plan] = app.store.export_paths(export).await?;
    download(plan, request).await
}

/// A file, or the requested ranges of it, so that an interrupted download can continue.
async fn download(path: PathBuf, request: Request) -> Result<Response, ApiError> {
    let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    if !path.is_file() {
        return Err(ApiError::Missing(format!(
            "{name} is no longer in the exports folder; save it again."
        )));
    }
    let mut answer = ServeFile::new(&path).try_call(request).await?.map(Body::new);
    let disposition = HeaderValue::from_str(&attachment(&name))
        .map_err(|_| ApiError::Inner(format!("{name}: this name cannot be sent.")))?;
    answer.headers_mut().insert(header::CONTENT_DISPOSITION, disposition);
    Ok(answer)
}

/// The Content-Disposition header with the name of the file: in all scripts (RFC 8187), and with
/// `_` for non-ASCII letters for programs that know ASCII alone.
pub fn attachment(name: &str) -> String {
    let plain: String = name.chars().map(|c| if c.is_ascii() { c } else { '_' }).collect();
    let plain = plain.replace(['"', '\\'], "_");
    let whole: String = name
        .bytes()
        .map(|byte| match byte {
            b'0'..=b'9' | b'A'..=b'Z' | b'a'..=b'z' | b'-' | b'.' | b'_' => {
                char::from(byte).to_string()
            }
            _ => format!("%{byte:02X}"),
        })
        .collect();
    format!("attachment; filename=\"{plain}\"; filename*=UTF-8''{whole}")
}
