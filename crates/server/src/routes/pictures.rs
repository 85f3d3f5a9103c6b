//! Tiles, patches, figures and histograms of pictures.

use super::file::File;
use crate::app::App;
use crate::error::ApiError;
use crate::extract::{Json, Path, Query};
use crate::pictures::{self, How, OpenPicture, Overlay};
use crate::types::{Histogram, Measured, PictureInfo};
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use jade_pixels::PictureError;
use serde::Deserialize;
use std::sync::Arc;
use utoipa::IntoParams;

type AppState = State<Arc<App>>;

/// How a picture is shown.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct View {
    /// Exposure steps by which the picture is shown brighter.
    #[serde(default)]
    stops: f32,
    /// Whether colours are exaggerated, to check them.
    #[serde(default)]
    colours: bool,
    /// How a skyline is overlaid.
    #[param(inline)]
    #[serde(default, rename = "laid")]
    overlay: Overlay,
    /// The only frame whose part of a depth map is shown.
    only: Option<u16>,
    /// The version that the page expects.
    v: Option<String>,
}

impl View {
    fn how(&self) -> How {
        let stops = if self.stops.is_finite() { self.stops.clamp(-4.0, 8.0) } else { 0.0 };
        How { stops, colours: self.colours, overlay: self.overlay, only: self.only }
    }
}

/// A square of a picture, and how it is shown.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct PatchQuery {
    /// Left column in pixels.
    x: u32,
    /// Top row in pixels.
    y: u32,
    /// Side in pixels, 8 to 512.
    size: u32,
    /// Exposure steps by which the picture is shown brighter.
    #[serde(default)]
    stops: f32,
    /// How a skyline is overlaid.
    #[param(inline)]
    #[serde(default, rename = "laid")]
    overlay: Overlay,
    /// The version that the page expects.
    v: Option<String>,
}

impl PatchQuery {
    fn checked(self) -> Result<Self, ApiError> {
        if (8..=512).contains(&self.size) {
            return Ok(self);
        }
        Err(ApiError::field("size", "A patch is 8 to 512 pixels wide."))
    }
}

/// Size and version of a picture.
#[utoipa::path(
    get,
    path = "/pictures/{source}",
    operation_id = "picture",
    tag = "pictures",
    responses((status = 200, description = "The picture", body = PictureInfo)),
)]
pub async fn info(
    State(app): AppState,
    Path(source): Path<String>,
) -> Result<Json<PictureInfo>, ApiError> {
    let open_picture = open(&app, &source).await?;
    Ok(Json(open_picture.info(&source)))
}

/// Opens the picture of a source, or the difference of two sources with `~` between them.
async fn open(app: &Arc<App>, source: &str) -> Result<Arc<OpenPicture>, ApiError> {
    match source.split_once('~') {
        Some((one, other)) => pictures::difference(app, one.parse()?, other.parse()?).await,
        None => pictures::open(app, source.parse()?).await,
    }
}

/// Renders on a blocking thread.
async fn render<T: Send + 'static>(
    open_picture: Arc<OpenPicture>,
    work: impl FnOnce(&OpenPicture) -> Result<T, PictureError> + Send + 'static,
) -> Result<T, ApiError> {
    Ok(tokio::task::spawn_blocking(move || work(&open_picture)).await??)
}

/// A tile of 256 x 256 pixels of a picture: `place` is `COLUMN_ROW.png`, and each level has half the size of the one above.
#[utoipa::path(
    get,
    path = "/pictures/{source}/tiles/{level}/{place}",
    operation_id = "tile",
    tag = "pictures",
    params(View),
    responses((status = 200, description = "The tile", body = File, content_type = "image/png")),
)]
pub async fn tile(
    State(app): AppState,
    Path((source, level, place)): Path<(String, u32, String)>,
    Query(view): Query<View>,
) -> Result<Response, ApiError> {
    let place = place.strip_suffix(".png").and_then(|p| p.split_once('_'));
    let place = place.and_then(|(x, y)| Some((x.parse().ok()?, y.parse().ok()?)));
    let (column, row) = place.ok_or_else(|| ApiError::missing("This tile"))?;
    let open_picture = open(&app, &source).await?;
    let how = view.how();
    let keeps = is_of(&open_picture, view.v.as_deref());
    let png = render(open_picture, move |s| s.tile(level, column, row, how)).await?;
    Ok(picture("image/png", png.ok_or_else(|| ApiError::missing("This tile"))?, keeps))
}

/// A square of a picture, pixel by pixel.
#[utoipa::path(
    get,
    path = "/pictures/{source}/patch.png",
    operation_id = "patch",
    tag = "pictures",
    params(PatchQuery),
    responses((status = 200, description = "The square", body = File, content_type = "image/png")),
)]
pub async fn patch(
    State(app): AppState,
    Path(source): Path<String>,
    Query(query): Query<PatchQuery>,
) -> Result<Response, ApiError> {
    let query = query.checked()?;
    let open_picture = open(&app, &source).await?;
    let view =
        View { stops: query.stops, colours: false, overlay: query.overlay, only: None, v: query.v };
    let (how, keeps) = (view.how(), is_of(&open_picture, view.v.as_deref()));
    let (x, y, size) = (query.x, query.y, query.size);
    let png = render(open_picture, move |s| s.patch(x, y, size, how)).await?;
    let png = png.ok_or_else(|| ApiError::missing("This part of the picture"))?;
    Ok(picture("image/png", png, keeps))
}

/// Noise, stars and detail in a square of a picture.
#[utoipa::path(
    get,
    path = "/pictures/{source}/measure",
    operation_id = "measure",
    tag = "pictures",
    params(PatchQuery),
    responses((status = 200, description = "The figures", body = Measured)),
)]
pub async fn measure(
    State(app): AppState,
    Path(source): Path<String>,
    Query(query): Query<PatchQuery>,
) -> Result<Json<Measured>, ApiError> {
    let query = query.checked()?;
    let open_picture = open(&app, &source).await?;
    let figures = render(open_picture, move |s| s.measure(query.x, query.y, query.size)).await?;
    Ok(Json(Measured { figures }))
}

/// Number of pixels at each brightness of a picture.
#[utoipa::path(
    get,
    path = "/pictures/{source}/histogram",
    operation_id = "histogram",
    tag = "pictures",
    responses((status = 200, description = "The histogram", body = Histogram)),
)]
pub async fn histogram(
    State(app): AppState,
    Path(source): Path<String>,
) -> Result<Json<Histogram>, ApiError> {
    let open_picture = open(&app, &source).await?;
    Ok(Json(render(open_picture, OpenPicture::histogram).await?))
}

/// A picture in a small size.
#[utoipa::path(
    get,
    path = "/pictures/{source}/thumbnail.jpg",
    operation_id = "thumbnail",
    tag = "pictures",
    params(View),
    responses((status = 200, description = "The picture", body = File, content_type = "image/jpeg")),
)]
pub async fn thumbnail(
    State(app): AppState,
    Path(source): Path<String>,
    Query(view): Query<View>,
) -> Result<Response, ApiError> {
    let open_picture = open(&app, &source).await?;
    let keeps = is_of(&open_picture, view.v.as_deref());
    Ok(picture("image/jpeg", render(open_picture, OpenPicture::thumbnail).await?, keeps))
}

/// Whether the picture has the version that the page expects.
fn is_of(open_picture: &OpenPicture, version: Option<&str>) -> bool {
    version.is_some_and(|version| version == open_picture.version())
}

/// An answer that browsers may keep for good if its address names its version. A picture that
/// changed while it was requested must be requested again.
fn picture(kind: &'static str, bytes: Vec<u8>, keeps: bool) -> Response {
    let keep = if keeps { "private, max-age=31536000, immutable" } else { "no-store" };
    ([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, keep)], bytes).into_response()
}
