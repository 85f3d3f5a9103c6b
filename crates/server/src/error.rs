//! Refusals and failures as answers of the server (RFC 9457).

use crate::types::{Problem, ProblemCode};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use jade_pixels::PictureError;
use jade_plan::CoreError;

/// Why a request was refused or failed; becomes a status, a code and one sentence.
#[derive(Debug, thiserror::Error)]
pub enum ApiError {
    /// The request cannot be read.
    #[error("{0}")]
    Unreadable(String),
    /// The request needs a password.
    #[error("A password is needed.")]
    Password,
    /// The request comes from a page of another server.
    #[error("{0}")]
    Stranger(&'static str),
    /// The requested item does not exist.
    #[error("{0}")]
    Missing(String),
    /// The address has no such method.
    #[error("This address has no method {0}; docs/api.md lists those that it has.")]
    Method(String),
    /// The body is of another media type than JSON.
    #[error("The body is not JSON; send it as application/json.")]
    MediaType,
    /// A setting has a value that it cannot have.
    #[error("{sentence}")]
    Setting {
        /// The setting by its place in the request: `prepare.gain_ev`.
        field: String,
        /// What is wrong and what to do.
        sentence: String,
    },
    /// The request cannot be carried out as it is.
    #[error("{0}")]
    Refused(String),
    /// Another page changed the same settings meanwhile.
    #[error("{}", clash(.0))]
    Clash(Vec<String>),
    /// Too large.
    #[error("{0}")]
    TooLarge(String),
    /// Too many wrong passwords came from an address.
    #[error("{0}")]
    TooMany(&'static str),
    /// The disk of the data folder is full.
    #[error("There is no room left on the disk of the data folder; make room there and try again.")]
    NoRoom,
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

    /// A field of a request, or a setting, that has a value that it cannot have.
    pub(crate) fn field(field: &str, sentence: impl Into<String>) -> Self {
        Self::Setting { field: field.to_owned(), sentence: sentence.into() }
    }

    /// A part of a request that axum could not read, with its status and message.
    pub(crate) fn unreadable(status: StatusCode, part: &str, message: &str) -> Self {
        match status {
            StatusCode::PAYLOAD_TOO_LARGE => {
                Self::TooLarge(format!("{part} is too large; send less in one request."))
            }
            StatusCode::UNSUPPORTED_MEDIA_TYPE => Self::MediaType,
            _ => Self::Unreadable(format!(
                "{part} cannot be read: {}.",
                message.trim_end_matches('.')
            )),
        }
    }

    /// Status and code of the answer.
    fn kind(&self) -> (StatusCode, ProblemCode) {
        match self {
            Self::Unreadable(_) => (StatusCode::BAD_REQUEST, ProblemCode::Unreadable),
            Self::Password => (StatusCode::UNAUTHORIZED, ProblemCode::Password),
            Self::Stranger(_) => (StatusCode::FORBIDDEN, ProblemCode::Stranger),
            Self::Missing(_) => (StatusCode::NOT_FOUND, ProblemCode::Missing),
            Self::Method(_) => (StatusCode::METHOD_NOT_ALLOWED, ProblemCode::Method),
            Self::MediaType => (StatusCode::UNSUPPORTED_MEDIA_TYPE, ProblemCode::MediaType),
            Self::Setting { .. } => (StatusCode::UNPROCESSABLE_ENTITY, ProblemCode::Setting),
            Self::Refused(_) => (StatusCode::UNPROCESSABLE_ENTITY, ProblemCode::Refused),
            Self::Clash(_) => (StatusCode::PRECONDITION_FAILED, ProblemCode::Clash),
            Self::TooLarge(_) => (StatusCode::PAYLOAD_TOO_LARGE, ProblemCode::TooLarge),
            Self::TooMany(_) => (StatusCode::TOO_MANY_REQUESTS, ProblemCode::TooMany),
            Self::NoRoom => (StatusCode::INSUFFICIENT_STORAGE, ProblemCode::NoRoom),
            Self::Store(_) | Self::Inner(_) => {
                (StatusCode::INTERNAL_SERVER_ERROR, ProblemCode::Failed)
            }
        }
    }

    /// The answer's status and body.
    pub(crate) fn problem(self) -> (StatusCode, Problem) {
        let (detail, (status, code)) = (self.to_string(), self.kind());
        let (field, clash) = match self {
            Self::Setting { field, .. } => (Some(field), vec![]),
            Self::Clash(settings) => (None, settings),
            _ => (None, vec![]),
        };
        let name = serde_json::to_value(code).expect("a code is text");
        let problem = Problem {
            urn: format!("urn:jade-stack:problem:{}", name.as_str().unwrap_or_default()),
            title: status.canonical_reason().unwrap_or_default().to_owned(),
            status: status.as_u16(),
            detail,
            code,
            field,
            clash,
        };
        (status, problem)
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

impl From<sqlx::Error> for ApiError {
    fn from(error: sqlx::Error) -> Self {
        /// SQLite's number for a database that cannot grow.
        const SQLITE_FULL: &str = "13";
        let full =
            error.as_database_error().and_then(|e| e.code()).is_some_and(|c| c == SQLITE_FULL);
        if full { Self::NoRoom } else { Self::Store(error) }
    }
}

impl From<PictureError> for ApiError {
    fn from(error: PictureError) -> Self {
        Self::Refused(error.to_string())
    }
}

impl From<CoreError> for ApiError {
    fn from(error: CoreError) -> Self {
        match error {
            CoreError::Value { setting, sentence } => {
                Self::Setting { field: setting.to_owned(), sentence }
            }
            error => Self::Refused(error.to_string()),
        }
    }
}

impl From<std::io::Error> for ApiError {
    fn from(error: std::io::Error) -> Self {
        match error.kind() {
            std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded => Self::NoRoom,
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
        let (status, problem) = self.problem();
        if status.is_server_error() {
            tracing::error!("{}", problem.detail);
        }
        let mut answer = (status, axum::Json(problem)).into_response();
        let kind = HeaderValue::from_static("application/problem+json");
        answer.headers_mut().insert(header::CONTENT_TYPE, kind);
        answer
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
