//! Kinds of shoots, and what follows from each.

use axum::Json;
use jade_plan::{KINDS, KindRules};

pub async fn list() -> Json<&'static [KindRules]> {
    Json(&KINDS)
}
