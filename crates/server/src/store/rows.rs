//! Values as rows of the store hold them.

use crate::error::ApiError;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::time::{SystemTime, UNIX_EPOCH};

/// Milliseconds since 1970.
pub fn now() -> i64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    since.as_millis() as i64
}

pub fn to_json(value: &impl Serialize) -> String {
    serde_json::to_string(value).expect("the store's types serialise")
}

/// A row that could be read. One that cannot, as after damage to the disk, is noted in the server's
/// log and must not block the others.
pub fn readable<T>(what: &str, row: Result<T, ApiError>) -> Option<T> {
    row.inspect_err(|error| tracing::error!("{what} is passed over: {error}")).ok()
}

pub fn from_json<T: DeserializeOwned>(text: &str) -> Result<T, ApiError> {
    serde_json::from_str(text)
        .map_err(|e| ApiError::Inner(format!("The store holds something unreadable: {e}.")))
}

/// An enum that is stored by its serialised name.
pub fn word(value: &impl Serialize) -> String {
    to_json(value).trim_matches('"').to_owned()
}

pub fn from_word<T: DeserializeOwned>(text: &str) -> Result<T, ApiError> {
    from_json(&format!("\"{text}\""))
}
