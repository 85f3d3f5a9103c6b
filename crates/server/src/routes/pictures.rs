//! Tiles, patches, figures and histograms of pictures.

use crate::app::App;
use crate::error::ApiError;
use crate::pictures::{self, How, OpenPicture, Overlay};
use crate::types::{Histogram, Measured, PictureInfo};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use jade_pixels::PictureError;
use serde::Deserialize;
use std::sync::Arc;

type AppState = State<Arc<App>>;

#[derive(Deserialize)]
pub struct View {
    /// Exposure steps that the picture is shown brighter.
    #[serde(default)]
    stops: f32,
    /// Exaggerate colours, to check them.
    #[serde(default)]
    colours: bool,
    /// How a skyline is overlaid.
    #[serde(default, rename = "laid")]
    overlay: Overlay,
    /// The frame whose part of a focus map alone is seen.
    only: Option<u16>,
    /// The version that is asked for.
    v: Option<String>,
}

impl View {
    fn how(&self) -> How {
        let stops = if self.stops.is_finite() { self.stops.clamp(-4.0, 8.0) } else { 0.0 };
        How { stops, colours: self.colours, overlay: self.overlay, only: self.only }
    }
}

#[derive(Deserialize)]
pub struct PatchQuery {
    x: u32,
    y: u32,
    size: u32,
    #[serde(default)]
    stops: f32,
    #[serde(default, rename = "laid")]
    overlay: Overlay,
    v: Option<String>,
}

impl PatchQuery {
    fn checked(self) -> Result<Self, ApiError> {
        if (8..=512).contains(&self.size) {
            return Ok(self);
        }
        Err(ApiError::Refused("A patch is 8 to 512 pixels wide.".to_owned()))
    }
}

pub async fn info(
    State(app): AppState,
    Path(source): Path<String>,
) -> Result<Json<PictureInfo>, ApiError> {
    let shown = open(&app, &source).await?;
    Ok(Json(shown.info(&source)))
}

/// Opens the picture of a source, or the difference of two that stand with `~` between.
async fn open(app: &Arc<App>, source: &str) -> Result<Arc<OpenPicture>, ApiError> {
    match source.split_once('~') {
        Some((one, other)) => pictures::difference(app, one.parse()?, other.parse()?).await,
        None => pictures::open(app, source.parse()?).await,
    }
}

/// Renders off the async threads.
async fn render<T: Send + 'static>(
    shown: Arc<OpenPicture>,
    work: impl FnOnce(&OpenPicture) -> Result<T, PictureError> + Send + 'static,
) -> Result<T, ApiError> {
    Ok(tokio::task::spawn_blocking(move || work(&shown)).await??)
}

pub async fn tile(
    State(app): AppState,
    Path((source, level, place)): Path<(String, u32, String)>,
    Query(view): Query<View>,
) -> Result<Response, ApiError> {
    let place = place.strip_suffix(".png").and_then(|p| p.split_once('_'));
    let place = place.and_then(|(x, y)| Some((x.parse().ok()?, y.parse().ok()?)));
    let (column, row) = place.ok_or_else(|| ApiError::missing("This tile"))?;
    let shown = open(&app, &source).await?;
    let how = view.how();
    let keeps = is_of(&shown, view.v.as_deref());
    let png = render(shown, move |s| s.tile(level, column, row, how)).await?;
    Ok(picture("image/png", png.ok_or_else(|| ApiError::missing("This tile"))?, keeps))
}

pub async fn patch(
    State(app): AppState,
    Path(source): Path<String>,
    Query(query): Query<PatchQuery>,
) -> Result<Response, ApiError> {
    let query = query.checked()?;
    let shown = open(&app, &source).await?;
    let view =
        View { stops: query.stops, colours: false, overlay: query.overlay, only: None, v: query.v };
    let (how, keeps) = (view.how(), is_of(&shown, view.v.as_deref()));
    let (x, y, size) = (query.x, query.y, query.size);
    let png = render(shown, move |s| s.patch(x, y, size, how)).await?;
    let png = png.ok_or_else(|| ApiError::missing("This part of the picture"))?;
    Ok(picture("image/png", png, keeps))
}

pub async fn measure(
    State(app): AppState,
    Path(source): Path<String>,
    Query(query): Query<PatchQuery>,
) -> Result<Json<Measured>, ApiError> {
    let query = query.checked()?;
    let shown = open(&app, &source).await?;
    let figures = render(shown, move |s| s.measure(query.x, query.y, query.size)).await?;
    Ok(Json(Measured { figures }))
}

pub async fn histogram(
    State(app): AppState,
    Path(source): Path<String>,
) -> Result<Json<Histogram>, ApiError> {
    let shown = open(&app, &source).await?;
    Ok(Json(render(shown, OpenPicture::histogram).await?))
}

pub async fn thumbnail(
    State(app): AppState,
    Path(source): Path<String>,
    Query(view): Query<View>,
) -> Result<Response, ApiError> {
    let shown = open(&app, &source).await?;
    let keeps = is_of(&shown, view.v.as_deref());
    Ok(picture("image/jpeg", render(shown, OpenPicture::thumbnail).await?, keeps))
}

/// Whether a picture is in the version that was asked for.
fn is_of(shown: &OpenPicture, version: Option<&str>) -> bool {
    version.is_some_and(|version| version == shown.version())
}

/// A picture whose address carries its version may be kept for good by the browser; any other, as one
/// that changed while it was asked for, is asked for again.
fn picture(kind: &'static str, bytes: Vec<u8>, keeps: bool) -> Response {
    let keep = if keeps { "private, max-age=31536000, immutable" } else { "no-store" };
    ([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, keep)], bytes).into_response()
}
