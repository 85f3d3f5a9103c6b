use crate::app::App;
use crate::error::ApiError;
use crate::saving::Saving;
use crate::types::{Export, NewExport};
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use std::path::PathBuf;
use std::sync::Arc;

type AppState = State<Arc<App>>;

/// Saves a result into the exports folder with its plan beside it; answers with what is saved of it once
/// that is done or stopped. It goes on when the page is left.
pub async fn add(
    State(app): AppState,
    Path(result): Path<i64>,
    Json(wish): Json<NewExport>,
) -> Result<Json<Vec<Export>>, ApiError> {
    let saving = Saving::begin(&app, result)?;
    tokio::spawn(saving.save(wish)).await??;
    Ok(Json(app.store.exports(result).await?))
}

/// Stops saving it.
pub async fn stop(State(app): AppState, Path(result): Path<i64>) -> Result<(), ApiError> {
    app.store.result(result).await?;
    app.savings.stop(result);
    Ok(())
}

pub async fn file(State(app): AppState, Path(export): Path<i64>) -> Result<Response, ApiError> {
    let [file, _] = app.store.export_paths(export).await?;
    download(file).await
}

pub async fn plan(State(app): AppState, Path(export): Path<i64>) -> Result<Response, ApiError> {
    let [_, plan] = app.store.export_paths(export).await?;
    download(plan).await
}

async fn download(path: PathBuf) -> Result<Response, ApiError> {
    let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let file = tokio::fs::File::open(&path).await.map_err(|_| {
        ApiError::Missing(format!("{name} is no longer in the exports folder; save it again."))
    })?;
    let length = file.metadata().await?.len();
    let kind = match path.extension().and_then(|e| e.to_str()) {
        Some("tif") => "image/tiff",
        Some("png") => "image/png",
        Some("jpg") => "image/jpeg",
        _ => "application/json",
    };
    let headers = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::CONTENT_LENGTH, length.to_string()),
        (header::CONTENT_DISPOSITION, attachment(&name)),
    ];
    Ok((headers, Body::from_stream(pieces(file))).into_response())
}

/// Says under which name a file is to be kept: in letters of all scripts (RFC 8187), and for programs
/// that know ASCII alone with `_` for the others.
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

/// A file, piece by piece.
fn pieces(
    file: tokio::fs::File,
) -> impl tokio_stream::Stream<Item = std::io::Result<Vec<u8>>> + Send {
    use tokio::io::AsyncReadExt;
    let (send, receive) = tokio::sync::mpsc::channel(4);
    tokio::spawn(async move {
        let mut file = file;
        loop {
            let mut piece = vec![0; 1 << 18];
            let piece = match file.read(&mut piece).await {
                Ok(0) => return,
                Ok(n) => {
                    piece.truncate(n);
                    Ok(piece)
                }
                Err(error) => Err(error),
            };
            if send.send(piece).await.is_err() {
                return;
            }
        }
    });
    tokio_stream::wrappers::ReceiverStream::new(receive)
}
