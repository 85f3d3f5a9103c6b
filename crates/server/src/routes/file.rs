//! Files in requests and answers, as the API's document describes them.

use utoipa::ToSchema;

/// A file, byte by byte.
#[derive(ToSchema)]
#[schema(value_type = String, format = Binary)]
#[allow(dead_code, reason = "it only describes bodies, which are streamed")]
pub struct File(Vec<u8>);
