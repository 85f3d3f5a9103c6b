//! Refusals and failures as answers of the server.

use crate::types::Problem;
use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use jade_pixels::PictureError;
use jade_plan::CoreError;

/// Why a request was refused or failed; becomes a status and one sentence.
#[derive(Debug, thiserror::Error)]
pub enum ApiError {
    /// The requested item does not exist.
    #[error("{0}")]
    Missing(String),
    /// The request cannot be carried out as it is.
    #[error("{0}")]
    Refused(String),
    /// Another page changed the same settings meanwhile.
    #[error("{}", clash(.0))]
    Clash(Vec<String>),
    /// Too large.
    #[error("{0}")]
    TooLarge(String),
    /// The store failed.
    #[error("The store could not be read or written: {0}.")]
    Store(sqlx::Error),
    /// Any other failure of the server.
    #[error("{0}")]
    Inner(String),
}

impl ApiError {
    pub(crate) fn missing(what: &str) -> Self {
        Self::Missing(format!("{what} is no longer there; go back and choose another."))
    }
}

/// Sentence that names the settings that clash.
fn clash(settings: &[String]) -> String {
    let names: Vec<String> = settings.iter().map(|name| name.replace(['.', '_'], " ")).collect();
    format!(
        "Another page changed this at the same time: {}. Its change is kept and shown now; make yours again if you want it.",
        names.join(", ")
    )
}

const FULL: &str =
    "There is no room left on the disk of the data folder; make room there and try again.";

impl From<sqlx::Error> for ApiError {
    fn from(error: sqlx::Error) -> Self {
        /// SQLite's number for a database that cannot grow.
        const SQLITE_FULL: &str = "13";
        let full =
            error.as_database_error().and_then(|e| e.code()).is_some_and(|c| c == SQLITE_FULL);
        if full { Self::Inner(FULL.to_owned()) } else { Self::Store(error) }
    }
}

impl From<PictureError> for ApiError {
    fn from(error: PictureError) -> Self {
        Self::Refused(error.to_string())
    }
}

impl From<CoreError> for ApiError {
    fn from(error: CoreError) -> Self {
        Self::Refused(error.to_string())
    }
}

impl From<std::io::Error> for ApiError {
    fn from(error: std::io::Error) -> Self {
        match error.kind() {
            std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded => {
                Self::Inner(FULL.to_owned())
            }
            _ => Self::Inner(format!("A file could not be read or written: {error}.")),
        }
    }
}

impl From<tokio::task::JoinError> for ApiError {
    fn from(error: tokio::task::JoinError) -> Self {
        Self::Inner(format!("A computation broke off: {error}."))
    }
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        let status = match &self {
            Self::Missing(_) => StatusCode::NOT_FOUND,
            Self::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::Clash(_) => StatusCode::PRECONDITION_FAILED,
            Self::TooLarge(_) => StatusCode::PAYLOAD_TOO_LARGE,
            Self::Store(_) | Self::Inner(_) => StatusCode::INTERNAL_SERVER_ERROR,
        };
        if status.is_server_error() {
            tracing::error!("{self}");
        }
        let problem = self.to_string();
        let clash = match self {
            Self::Clash(settings) => settings,
            _ => vec![],
        };
        (status, Json(Problem { problem, clash })).into_response()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_clash_names_its_settings_as_words() {
        let said = ApiError::Clash(vec!["combine.fill_gaps".to_owned()]).to_string();
        assert!(said.contains("at the same time: combine fill gaps."), "{said}");
    }
}
