//! The front end, built into the binary.

use crate::error::ApiError;
use axum::http::{StatusCode, Uri, header};
use axum::response::{Html, IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
#[allow_missing = true]
struct Assets;

pub async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    if path.starts_with("api/") {
        return ApiError::Missing("There is nothing at this address.".to_owned()).into_response();
    }
    // The addresses of the page's views all serve its index.
    let file = Assets::get(path)
        .map(|f| (path, f))
        .or_else(|| Some(("index.html", Assets::get("index.html")?)));
    let Some((name, file)) = file else {
        return (StatusCode::OK, Html("<p>The front end was not built into this program; build it with <code>cargo xtask web</code>.")).into_response();
    };
    let kind = match name.rsplit('.').next().unwrap_or_default() {
        "html" => "text/html; charset=utf-8",
        "js" => "text/javascript; charset=utf-8",
        "css" => "text/css; charset=utf-8",
        "svg" => "image/svg+xml",
        "woff2" => "font/woff2",
        "json" => "application/json",
        _ => "application/octet-stream",
    };
    // Names of built files contain a hash of their content; the index's does not.
    let keep = if name.starts_with("assets/") {
        "public, max-age=31536000, immutable"
    } else {
        "no-cache"
    };
    ([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, keep)], file.data.into_owned())
        .into_response()
}
