//! Routes, one file for each subject.

mod assets;
mod events;
mod exports;
mod file;
mod focus;
mod frames;
mod kinds;
mod lens;
mod pictures;
mod runs;
mod shoots;
mod skyline;

use crate::app::App;
use crate::error::ApiError;
use crate::{connections, document, guard};
use axum::extract::{DefaultBodyLimit, Request};
use axum::routing::get;
use axum::{Json, Router, middleware};
use std::sync::Arc;
use tower_http::timeout::RequestBodyTimeoutLayer;
use utoipa::openapi::OpenApi;
use utoipa_axum::router::{OpenApiRouter, UtoipaMethodRouterExt};
use utoipa_axum::routes;

/// JSON bodies are small, even those with much painted work; uploads have their own limit.
const BODY_LIMIT: usize = 8 << 20;

/// All operations of the API, and the document that describes them.
pub fn api() -> (Router<Arc<App>>, OpenApi) {
    // The size of an upload is counted while it is streamed to the disk.
    let unlimited = DefaultBodyLimit::disable;
    let (router, document) = OpenApiRouter::with_openapi(document::begin())
        .routes(routes!(kinds::list))
        .routes(routes!(shoots::list, shoots::add))
        .routes(routes!(shoots::show, shoots::change, shoots::remove))
        .routes(routes!(shoots::restore))
        .routes(routes!(shoots::undo))
        .routes(routes!(shoots::redo))
        .routes(routes!(frames::change))
        .routes(routes!(frames::remove))
        .routes(routes!(frames::sort))
        .routes(routes!(frames::name_set))
        .routes(routes!(frames::add_folder))
        .routes(routes!(frames::unwatch))
        .routes(routes!(lens::find))
        .routes(routes!(skyline::show, skyline::find))
        .routes(routes!(skyline::save))
        .routes(routes!(focus::show, focus::find))
        .routes(routes!(runs::add))
        .routes(routes!(shoots::pin))
        .routes(routes!(shoots::unpin))
        .routes(routes!(frames::colour))
        .routes(routes!(frames::grey))
        .routes(routes!(frames::folders))
        .routes(routes!(runs::try_by_hand))
        .routes(routes!(runs::show))
        .routes(routes!(runs::cancel))
        .routes(routes!(runs::resume))
        .routes(routes!(pictures::info))
        .routes(routes!(pictures::histogram))
        .routes(routes!(pictures::thumbnail))
        .routes(routes!(pictures::tile))
        .routes(routes!(pictures::patch))
        .routes(routes!(pictures::measure))
        .routes(routes!(focus::sharpest))
        .routes(routes!(exports::add))
        .routes(routes!(exports::file))
        .routes(routes!(exports::plan))
        .routes(routes!(events::stream))
        .layer(DefaultBodyLimit::max(BODY_LIMIT))
        .routes(routes!(frames::upload).layer(unlimited()))
        .routes(routes!(skyline::load_mask).layer(unlimited()))
        .routes(routes!(skyline::load_picture).layer(unlimited()))
        .split_for_parts();
    (router, document::finish(document))
}

pub fn router(app: Arc<App>) -> Router {
    let (api, document) = api();
    let document = Json(document);
    let api = api.route("/openapi.json", get(|| async { document })).method_not_allowed_fallback(
        async |request: Request| ApiError::Method(request.method().to_string()),
    );
    Router::new()
        .nest("/api", api)
        .fallback(get(assets::serve))
        .layer(RequestBodyTimeoutLayer::new(connections::BODY))
        .layer(middleware::from_fn_with_state(app.guard.clone(), guard::guard))
        .layer(tower_http::trace::TraceLayer::new_for_http())
        .with_state(app)
}
