//! Routes, one file for each subject.

mod assets;
mod events;
mod exports;
mod focus;
mod frames;
mod kinds;
mod lens;
mod pictures;
mod runs;
mod shoots;
mod skyline;

use crate::app::App;
use crate::{connections, guard};
use axum::extract::DefaultBodyLimit;
use axum::routing::{delete, get, patch, post};
use axum::{Router, middleware};
use std::sync::Arc;
use tower_http::timeout::RequestBodyTimeoutLayer;

/// JSON bodies are small, even those with much painted work; uploads have their own limit.
const BODY_LIMIT: usize = 8 << 20;

pub fn router(app: Arc<App>) -> Router {
    let api = Router::new()
        .route("/kinds", get(kinds::list))
        .route("/shoots", get(shoots::list).post(shoots::add))
        .route("/shoots/{shoot}", get(shoots::show).patch(shoots::change).delete(shoots::remove))
        .route("/shoots/{shoot}/restore", post(shoots::restore))
        .route("/shoots/{shoot}/frames", post(frames::change))
        .route("/shoots/{shoot}/frames/{frame}", delete(frames::remove))
        .route("/shoots/{shoot}/sets", post(frames::sort))
        .route("/shoots/{shoot}/sets/{set}", patch(frames::name_set))
        .route("/shoots/{shoot}/folder", post(frames::add_folder))
        .route("/shoots/{shoot}/watched", delete(frames::unwatch))
        .route("/shoots/{shoot}/lens", post(lens::find))
        .route("/shoots/{shoot}/skyline", get(skyline::show).post(skyline::find))
        .route("/shoots/{shoot}/skyline/stop", post(skyline::stop))
        .route("/shoots/{shoot}/skyline/{file}", get(skyline::save))
        .route("/shoots/{shoot}/sweep", post(focus::sweep))
        .route("/shoots/{shoot}/sweep/stop", post(focus::stop))
        .route("/shoots/{shoot}/runs", post(runs::add))
        .route("/shoots/{shoot}/probes", post(shoots::pin))
        .route("/shoots/{shoot}/probes/{probe}", delete(shoots::unpin))
        .route("/frames/{frame}/colour", get(frames::colour))
        .route("/frames/{frame}/grey", get(frames::grey))
        .route("/folders", get(frames::folders))
        .route("/hand-fit", post(runs::try_by_hand))
        .route("/jobs/{job}/cancel", post(runs::cancel))
        .route("/jobs/{job}/resume", post(runs::resume))
        .route("/pictures/{source}", get(pictures::info))
        .route("/pictures/{source}/histogram", get(pictures::histogram))
        .route("/pictures/{source}/thumbnail.jpg", get(pictures::thumbnail))
        .route("/pictures/{source}/tiles/{level}/{place}", get(pictures::tile))
        .route("/pictures/{source}/patch.png", get(pictures::patch))
        .route("/pictures/{source}/measure", get(pictures::measure))
        .route("/results/{result}/sharpest", get(focus::sharpest))
        .route("/results/{result}/exports", post(exports::add))
        .route("/results/{result}/exports/stop", post(exports::stop))
        .route("/exports/{export}/file", get(exports::file))
        .route("/exports/{export}/plan", get(exports::plan))
        .route("/events", get(events::stream))
        .layer(DefaultBodyLimit::max(BODY_LIMIT))
        // The size of an upload is counted while it is streamed to the disk.
        .route("/shoots/{shoot}/upload", post(frames::upload).layer(DefaultBodyLimit::disable()))
        .route(
            "/shoots/{shoot}/skyline/mask",
            post(skyline::load_mask).layer(DefaultBodyLimit::disable()),
        )
        .route(
            "/shoots/{shoot}/skyline/picture",
            post(skyline::load_picture).layer(DefaultBodyLimit::disable()),
        );
    Router::new()
        .nest("/api", api)
        .fallback(get(assets::serve))
        .layer(RequestBodyTimeoutLayer::new(connections::BODY))
        .layer(middleware::from_fn_with_state(app.guard.clone(), guard::guard))
        .layer(tower_http::trace::TraceLayer::new_for_http())
        .with_state(app)
}
