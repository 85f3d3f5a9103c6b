//! Kinds of shoots, with the steps and settings of each.

use axum::Json;
use jade_plan::{KINDS, KindRules};

pub async fn list() -> Json<&'static [KindRules]> {
    Json(&KINDS)
}
