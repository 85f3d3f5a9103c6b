//! Refusals and failures (RFC 9457).

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// The reason for a refusal or failure, for programs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ProblemCode {
    /// The request cannot be read: its address, its body or a header.
    Unreadable,
    /// A password is needed.
    Password,
    /// The request does not come from a page of this server.
    Stranger,
    /// What the request is about does not exist.
    Missing,
    /// This address has no such method.
    Method,
    /// The request took too long to arrive.
    Slow,
    /// Somebody else changed the same settings meanwhile.
    Clash,
    /// The request is too large.
    TooLarge,
    /// The body is of another media type than JSON.
    MediaType,
    /// A setting has a value that it cannot have.
    Setting,
    /// The request cannot be carried out as things are.
    Refused,
    /// Too many wrong passwords came from this address.
    TooMany,
    /// The disk of the data folder is full.
    NoRoom,
    /// The server failed.
    Failed,
}

/// A refusal or failure (RFC 9457).
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Problem {
    /// A URN that ends with the code.
    #[serde(rename = "type")]
    pub urn: String,
    /// The reason phrase of the status.
    pub title: String,
    /// The status of the answer.
    pub status: u16,
    /// What is wrong and what to do, as one sentence for a person.
    pub detail: String,
    /// The reason, for programs.
    pub code: ProblemCode,
    /// The setting or field that is wrong, by its place in the request: `prepare.gain_ev`.
    pub field: Option<String>,
    /// Settings that somebody else changed at the same time.
    pub clash: Vec<String>,
}
