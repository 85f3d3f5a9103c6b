use crate::types::Problem;
use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use jade_core::CoreError;
use jade_pixels::PictureError;

/// Why a request was not carried out; becomes a status and one sentence.
#[derive(Debug, thiserror::Error)]
pub enum ApiError {
    /// There is no such thing.
    #[error("{0}")]
    Missing(String),
    /// The request cannot be carried out as it is.
    #[error("{0}")]
    Refused(String),
    /// Too large.
    #[error("{0}")]
    TooLarge(String),
    /// The store failed.
    #[error("The store could not be read or written: {0}.")]
    Store(#[from] sqlx::Error),
    /// Anything else of the server's own.
    #[error("{0}")]
    Inner(String),
}

impl ApiError {
    pub(crate) fn missing(what: &str) -> Self {
        Self::Missing(format!("{what} is no longer there; go back and choose another."))
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
            std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded => Self::Inner(
                "There is no room left on the disk of the data folder; make room there and try again."
                    .to_owned(),
            ),
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
            Self::TooLarge(_) => StatusCode::PAYLOAD_TOO_LARGE,
            Self::Store(_) | Self::Inner(_) => StatusCode::INTERNAL_SERVER_ERROR,
        };
        if status.is_server_error() {
            tracing::error!("{self}");
        }
        (status, Json(Problem { problem: self.to_string() })).into_response()
    }
}
