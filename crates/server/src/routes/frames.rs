//! Routes that add, change, sort and remove frames.

use super::file::File;
use super::shoots::{Answer, ShootNow, answer};
use crate::app::App;
use crate::error::ApiError;
use crate::extract::{Json, Path, Query};
use crate::import::{self, Import};
use crate::types::{
    AddFolder, Added, Event, Folder, FrameColour, FrameLight, FramesChange, Grey, Role, SetChange,
    SortFrames,
};
use axum::body::Body;
use axum::extract::State;
use axum::http::StatusCode;
use futures_util::StreamExt;
use jade_frames::Frame;
use jade_frames::colour::shot_under;
use jade_optics::light::Light;
use jade_pixels::read::PictureFile;
use jade_pixels::tiled::Region;
use jade_plan::PreparePlan;
use serde::Deserialize;
use std::sync::Arc;
use tokio::io::AsyncWriteExt;
use utoipa::IntoParams;

type AppState = State<Arc<App>>;

/// Most frames in one request; far more than any shoot has.
const MOST_NAMED: usize = 10_000;

/// Largest uploaded file in bytes.
const UPLOAD_LIMIT: u64 = 2 << 30;

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct UploadQuery {
    /// Name of the file.
    name: String,
}

/// An uploaded file that was stored.
pub struct Kept {
    pub name: String,
    pub blake3: String,
    pub path: std::path::PathBuf,
}

/// Adds one file to a shoot. It is streamed to the disk, so that it is never whole in memory.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/upload",
    operation_id = "upload",
    tag = "frames",
    params(UploadQuery), request_body(content = File, content_type = "application/octet-stream", description = "The file, byte by byte"),
    responses((status = 201, description = "The file was added", body = Added), (status = 200, description = "The shoot has a frame of the same content", body = Added)),
)]
pub async fn upload(
    State(app): AppState,
    Path(shoot): Path<i64>,
    Query(query): Query<UploadQuery>,
    body: Body,
) -> Result<(StatusCode, Json<Added>), ApiError> {
    app.store.must_have(shoot).await?;
    let Kept { name, blake3, path } = keep_upload(&app, &query, body).await?;
    let import = Import { path, name, linked: false, role: Role::Light, blake3: Some(blake3) };
    let added = import::add(&app, shoot, import).await?;
    let status = if added.same_as.is_some() { StatusCode::OK } else { StatusCode::CREATED };
    Ok((status, Json(added)))
}

/// Stores a request's body among the originals, named by its content: the same file in two shoots
/// is stored once.
pub async fn keep_upload(app: &App, query: &UploadQuery, body: Body) -> Result<Kept, ApiError> {
    let name = shown_name(&query.name);
    let incoming =
        tempfile::Builder::new().prefix("upload-").tempfile_in(app.data.join("incoming"))?;
    let mut file = tokio::fs::File::from_std(incoming.reopen()?);
    let mut hasher = blake3::Hasher::new();
    let mut bytes = 0u64;
    let mut pieces = body.into_data_stream();
    while let Some(piece) = pieces.next().await {
        let piece = piece.map_err(|e| {
            ApiError::Refused(format!("{name}: the upload broke off: {e}; send it again."))
        })?;
        bytes += piece.len() as u64;
        if bytes > UPLOAD_LIMIT {
            return Err(ApiError::TooLarge(format!(
                "{name}: the file is larger than {} MiB; add it from a folder on the server's machine instead.",
                UPLOAD_LIMIT >> 20
            )));
        }
        hasher.update(&piece);
        file.write_all(&piece).await?;
    }
    file.sync_all().await?;
    drop(file);
    let blake3 = hasher.finalize().to_hex().to_string();
    let path = app.original(&blake3);
    tokio::fs::create_dir_all(path.parent().expect("has a folder")).await?;
    if !path.exists() {
        incoming.persist(&path).map_err(|e| e.error)?;
    }
    Ok(Kept { name, blake3, path })
}

/// The last part of a name, without characters that cannot be shown.
fn shown_name(name: &str) -> String {
    let last = name.rsplit(['/', '\\']).find(|part| !part.is_empty()).unwrap_or("unnamed");
    last.chars().filter(|c| !c.is_control()).take(200).collect()
}

/// Adds the pictures of a folder on the server's machine, in place.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/folder",
    operation_id = "addFolder",
    tag = "frames",
    responses((status = 201, description = "What became of each file", body = Vec<Added>)),
)]
pub async fn add_folder(
    State(app): AppState,
    Path(shoot): Path<i64>,
    Json(wish): Json<AddFolder>,
) -> Result<(StatusCode, Json<Vec<Added>>), ApiError> {
    app.store.must_have(shoot).await?;
    Ok((StatusCode::CREATED, Json(import::add_folder(&app, shoot, &wish).await?)))
}

/// Stops watching a folder; frames already added stay.
#[utoipa::path(
    delete,
    path = "/shoots/{shoot}/watched",
    operation_id = "unwatch",
    tag = "frames",
    responses(ShootNow)
)]
pub async fn unwatch(State(app): AppState, Path(shoot): Path<i64>) -> Result<Answer, ApiError> {
    app.store.noting(shoot, "watching no longer", app.store.watch(shoot, None)).await?;
    app.tell(Event::Shoot { id: shoot });
    answer(&app, shoot).await
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct FolderQuery {
    /// A path on the machine of the server; without it, the folders that one may begin with.
    #[serde(default)]
    path: String,
}

/// A folder on the server's machine, out of those that may be looked into.
#[utoipa::path(
    get,
    path = "/folders",
    operation_id = "folder",
    tag = "frames",
    params(FolderQuery),
    responses((status = 200, description = "The folder", body = Folder)),
)]
pub async fn folders(
    State(app): AppState,
    Query(query): Query<FolderQuery>,
) -> Result<Json<Folder>, ApiError> {
    Ok(Json(app.work(move |app| app.roots.list(&query.path)).await?))
}

/// Leaves frames out, takes them in, or says what they are for.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/frames",
    operation_id = "changeFrames",
    tag = "frames",
    responses(ShootNow)
)]
pub async fn change(
    State(app): AppState,
    Path(shoot): Path<i64>,
    Json(change): Json<FramesChange>,
) -> Result<Answer, ApiError> {
    few_enough(change.ids.len())?;
    let title = change.title();
    app.store.noting(shoot, title.as_str(), app.store.change_frames(shoot, &change)).await?;
    app.tell(Event::Shoot { id: shoot });
    answer(&app, shoot).await
}

/// Puts frames into sets.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/sets",
    operation_id = "sortFrames",
    tag = "frames",
    responses(ShootNow)
)]
pub async fn sort(
    State(app): AppState,
    Path(shoot): Path<i64>,
    Json(wish): Json<SortFrames>,
) -> Result<Answer, ApiError> {
    few_enough(wish.sets.len() + wish.sets.iter().map(|sort| sort.frame_ids.len()).sum::<usize>())?;
    app.store.noting(shoot, "sorting frames", app.store.sort_frames(shoot, &wish.sets)).await?;
    app.tell(Event::Shoot { id: shoot });
    answer(&app, shoot).await
}

/// Refuses a request that names more than [`MOST_NAMED`] frames, because it would hold up others.
fn few_enough(named: usize) -> Result<(), ApiError> {
    if named <= MOST_NAMED {
        return Ok(());
    }
    Err(ApiError::TooLarge(format!(
        "The request names {named} frames; name {MOST_NAMED} at most in one request."
    )))
}

/// Gives a set another name.
#[utoipa::path(
    patch,
    path = "/shoots/{shoot}/sets/{set}",
    operation_id = "nameSet",
    tag = "frames",
    responses(ShootNow)
)]
pub async fn name_set(
    State(app): AppState,
    Path((shoot, set)): Path<(i64, i64)>,
    Json(change): Json<SetChange>,
) -> Result<Answer, ApiError> {
    let work = app.store.name_set(shoot, set, &change.name);
    app.store.noting(shoot, "naming a set", work).await?;
    app.tell(Event::Shoot { id: shoot });
    answer(&app, shoot).await
}

/// Removes a frame that cannot be read, or is not wanted.
#[utoipa::path(
    delete,
    path = "/shoots/{shoot}/frames/{frame}",
    operation_id = "removeFrame",
    tag = "frames",
    responses(ShootNow)
)]
pub async fn remove(
    State(app): AppState,
    Path((shoot, frame)): Path<(i64, i64)>,
) -> Result<Answer, ApiError> {
    app.store.remove_frame(shoot, frame).await?;
    app.tell(Event::Shoot { id: shoot });
    answer(&app, shoot).await
}

/// Figures about a frame's colours.
#[utoipa::path(
    get,
    path = "/frames/{frame}/colour",
    operation_id = "colour",
    tag = "frames",
    responses((status = 200, description = "The figures", body = FrameColour)),
)]
pub async fn colour(
    State(app): AppState,
    Path(frame): Path<i64>,
) -> Result<Json<FrameColour>, ApiError> {
    let input = app.store.frame(frame).await?.input(&PreparePlan::default());
    let said = app.work(move |_| {
        let file = PictureFile::open(&input.path)?;
        let light = file.sensor().and_then(shot_under);
        let light = light.map(|(kelvin, tint)| FrameLight { kelvin, tint });
        Ok::<_, ApiError>(FrameColour { raw: file.sensor().is_some(), light })
    });
    Ok(Json(said.await?))
}

/// A place in a frame.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Spot {
    /// Column in pixels.
    x: u32,
    /// Row in pixels.
    y: u32,
}

/// Light as shot around a spot of a frame.
#[utoipa::path(
    get,
    path = "/frames/{frame}/grey",
    operation_id = "grey",
    tag = "frames",
    params(Spot),
    responses((status = 200, description = "The mean of a square of 16 pixels", body = Grey)),
)]
pub async fn grey(
    State(app): AppState,
    Path(frame): Path<i64>,
    Query(Spot { x, y }): Query<Spot>,
) -> Result<Json<Grey>, ApiError> {
    const SIDE: u32 = 16;
    let row = app.store.frame(frame).await?;
    // The place was clicked on the corrected picture, and is read in the uncorrected frame.
    let lens = app.store.plan(row.shoot_id).await?.prepare.lens;
    let input = row.input(&PreparePlan { lens, ..PreparePlan::default() });
    let grey = app.work(move |app| {
        let frame = Frame::decode(&input, &app.cache, &mut || Ok(()))?;
        let (width, height) = frame.size();
        let (columns, rows) = (SIDE.min(width), SIDE.min(height));
        let (x, y) = (x.saturating_sub(SIDE / 2), y.saturating_sub(SIDE / 2));
        let region = Region {
            x: x.min(width - columns),
            y: y.min(height - rows),
            width: columns,
            height: rows,
        };
        let region = match frame.lens() {
            Some(lens) => lens.shifted(region, (width, height)),
            None => region,
        };
        let planes = frame.planes(region)?;
        Ok::<_, ApiError>(planes.map(|plane| plane.iter().sum::<f32>() / plane.len() as f32))
    });
    Ok(Json(Grey { grey: grey.await? }))
}

#[cfg(test)]
mod tests {
    use super::shown_name;

    #[test]
    fn names_keep_quotes_and_lose_folders() {
        assert_eq!(shown_name("card/../night \"one\".tif"), "night \"one\".tif");
        assert_eq!(shown_name("a\\b\n.png"), "b.png");
        assert_eq!(shown_name("///"), "unnamed");
    }
}
