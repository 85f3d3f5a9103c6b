use crate::App;
use crate::calibrated;
use crate::error::ApiError;
use crate::store::{FrameRow, ResultRow};
use crate::types::{Event, Export, ExportFormat, NewExport};
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use jade_core::cache::MapKind;
use jade_core::engine;
use jade_core::export::{self, Form, JPEG_QUALITY};
use jade_core::frames::FrameInput;
use jade_core::progress::Unwatched;
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jade_pixels::write::{Target, write_whole};
use std::io::Write;
use std::path::PathBuf;
use std::sync::Arc;

type AppState = State<Arc<App>>;

/// Saves a result into the exports folder with its plan beside it.
pub async fn add(
    State(app): AppState,
    Path(result): Path<i64>,
    Json(wish): Json<NewExport>,
) -> Result<Json<Vec<Export>>, ApiError> {
    let row = app.store.result(result).await?;
    let name = app.store.shoot(row.shoot_id).await?.name;
    let record = row.record()?;
    let reference = app.store.frame(row.reference_id).await?.input_under(&record.plan);
    let (ending, what) = match wish.format {
        ExportFormat::Tiff16 => {
            ("tif", What::Picture(Form::Encoded(Target::Tiff { wide: true, deflate: false })))
        }
        ExportFormat::Tiff32f => ("light.tif", What::Picture(Form::Light)),
        ExportFormat::Png16 => ("png", What::Picture(Form::Encoded(Target::Png { wide: true }))),
        ExportFormat::Jpeg => {
            ("jpg", What::Picture(Form::Encoded(Target::Jpeg { quality: JPEG_QUALITY })))
        }
        ExportFormat::FocusMap => ("focus.png", What::FocusMap),
        ExportFormat::Moving => ("moving.png", What::Moving(sweep_of(&app, &row).await?)),
    };
    let stem = format!("{} {}", file_name(&name), result);
    let folder = app.data.join("exports");
    let (file, plan) =
        (folder.join(format!("{stem}.{ending}")), folder.join(format!("{stem}.plan.json")));
    let made = app.result_folder(&row.key);
    let report = row.report()?;
    let (to, beside, worker) = (file.clone(), plan.clone(), app.clone());
    let write = move || -> Result<u64, ApiError> {
        // The original may be gone by now; then the file says nothing about how it was taken.
        let facts = PictureFile::open(&reference.path).ok().map(|f| f.facts().clone());
        match what {
            What::Picture(form) => {
                let (picture, facts) = (made.join("0.tiles"), facts.as_ref());
                export::write(&to, form, &picture, &row.profile, facts, &Unwatched)?;
            }
            What::FocusMap => {
                let map = made.join(MapKind::Depth.name()).join("0.tiles");
                if !map.exists() {
                    return Err(ApiError::Refused(NO_SWEEP.to_owned()));
                }
                export::write_grey(&to, Target::Png { wide: true }, &map)?;
            }
            What::Moving(frames) => {
                let App { cache, budget, .. } = &*worker;
                engine::moving(&frames, &report, &to, cache, *budget, &Unwatched)?;
            }
        }
        write_whole(&beside, |file| {
            let text = serde_json::to_string_pretty(&record).expect("plans serialise");
            file.write_all(text.as_bytes()).map_err(PictureError::io(&beside))
        })?;
        Ok(std::fs::metadata(&to)?.len())
    };
    let bytes = tokio::task::spawn_blocking(write).await??;
    app.store.add_export(result, &file, &plan, bytes as i64).await?;
    app.tell(Event::Shoot { id: app.store.result(result).await?.shoot_id });
    Ok(Json(app.store.exports(result).await?))
}

const NO_SWEEP: &str = "Only a merged focus sweep has this; choose another format.";

/// What is saved of a result.
enum What {
    Picture(Form),
    FocusMap,
    /// A view that moves through these frames.
    Moving(Vec<FrameInput>),
}

/// The frames that a sweep was merged from.
async fn sweep_of(app: &Arc<App>, row: &ResultRow) -> Result<Vec<FrameInput>, ApiError> {
    let (plan, report) = (row.record()?.plan, row.report()?);
    if report.focus.is_none() {
        return Err(ApiError::Refused(NO_SWEEP.to_owned()));
    }
    let calibration = calibrated::of_shoot(app, row.shoot_id, &plan).await?;
    let frames = app.store.frames(row.shoot_id).await?;
    let used = frames.iter().filter(|frame| report.frames.iter().any(|own| own.file == frame.name));
    let input = |frame: &FrameRow| FrameInput {
        calibration: calibration.clone(),
        ..frame.input_under(&plan)
    };
    Ok(used.map(input).collect())
}

/// A name that is a file name everywhere.
pub fn file_name(name: &str) -> String {
    let kept: String = name
        .chars()
        .map(|c| if c.is_alphanumeric() || "-_ ()".contains(c) { c } else { '-' })
        .take(80)
        .collect();
    match kept.trim_matches([' ', '-', '.']) {
        "" => "shoot".to_owned(),
        kept => kept.to_owned(),
    }
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
    // `file_name` left letters of all scripts in; the plain form replaces those beyond ASCII.
    let plain: String = name.chars().map(|c| if c.is_ascii() { c } else { '_' }).collect();
    let headers = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::CONTENT_LENGTH, length.to_string()),
        (header::CONTENT_DISPOSITION, format!("attachment; filename=\"{plain}\"")),
    ];
    Ok((headers, Body::from_stream(pieces(file))).into_response())
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

#[cfg(test)]
mod tests {
    use super::file_name;

    #[test]
    fn any_name_becomes_a_file_name() {
        assert_eq!(file_name("Night / \"one\""), "Night - -one");
        assert_eq!(file_name("../../etc"), "etc");
        assert_eq!(file_name("//"), "shoot");
        assert_eq!(file_name("Düne 3"), "Düne 3");
    }
}
