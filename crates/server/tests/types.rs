//! The TypeScript types in the front end are those of the server.

#[test]
fn generated_types_are_fresh() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/src/api/types.ts");
    let fresh = jade_server::typescript::typescript();
    if std::env::var_os("JADE_UPDATE_TYPES").is_some() {
        std::fs::write(path, &fresh).unwrap();
    }
    let stored = std::fs::read_to_string(path).unwrap_or_default();
    assert!(stored == fresh, "web/src/api/types.ts is stale; run `cargo xtask types`");
}

#[test]
fn kinds_that_the_front_end_is_tested_with_are_fresh() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/src/kinds/kinds.json");
    let mut fresh = serde_json::to_string_pretty(&jade_plan::KINDS).unwrap();
    fresh.push('\n');
    if std::env::var_os("JADE_UPDATE_TYPES").is_some() {
        std::fs::write(path, &fresh).unwrap();
    }
    let stored = std::fs::read_to_string(path).unwrap_or_default();
    assert!(stored == fresh, "web/src/kinds/kinds.json is stale; run `cargo xtask types`");
}
