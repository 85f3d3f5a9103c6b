//! What is generated from the server is fresh: the document of the API, and the kinds that the page
//! is tested with.

use std::path::Path;

/// Compares a stored file with what it should hold, and writes it where that is wished.
fn fresh(path: &str, fresh: &str) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(path);
    if std::env::var_os("JADE_UPDATE_TYPES").is_some() {
        std::fs::write(&path, fresh).unwrap();
    }
    let stored = std::fs::read_to_string(&path).unwrap_or_default();
    assert!(stored == fresh, "{} is stale; run `cargo xtask types`", path.display());
}

#[test]
fn the_document_of_the_api_is_fresh() {
    let mut text = serde_json::to_string_pretty(&jade_server::document()).unwrap();
    text.push('\n');
    fresh("docs/openapi.json", &text);
}

#[test]
fn kinds_that_the_front_end_is_tested_with_are_fresh() {
    let mut text = serde_json::to_string_pretty(&jade_plan::KINDS).unwrap();
    text.push('\n');
    fresh("web/src/api/kinds.json", &text);
}
