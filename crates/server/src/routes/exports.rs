//! Saving results, and the saved files.

use crate::app::App;
use crate::error::ApiError;
use crate::saving::Saving;
use crate::types::{Export, NewExport};
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, Request, State};
use axum::http::{HeaderValue, header};
use axum::response::Response;
use std::path::PathBuf;
use std::sync::Arc;
use tower_http::services::ServeFile;

type AppState = State<Arc<App>>;

/// Saves a result and its plan into the exports folder, and answers once that is done or stopped.
/// Saving continues when the page is left.
pub async fn add(
    State(app): AppState,
    Path(result): Path<i64>,
    Json(wish): Json<NewExport>,
) -> Result<Json<Vec<Export>>, ApiError> {
    let saving = Saving::begin(&app, result)?;
    tokio::spawn(saving.save(wish)).await??;
    Ok(Json(app.store.exports(result).await?))
}

/// Stops saving a result.
pub async fn stop(State(app): AppState, Path(result): Path<i64>) -> Result<(), ApiError> {
    app.store.result(result).await?;
    app.savings.stop(result);
    Ok(())
}

pub async fn file(
    State(app): AppState,
    Path(export): Path<i64>,
    request: Request,
) -> Result<Response, ApiError> {
    let [file, _] = app.store.export_paths(export).await?;
    download(file, request).await
}

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
