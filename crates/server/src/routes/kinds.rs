//! Kinds of shoots, with the steps and settings of each.

use crate::extract::Json;
use jade_plan::{KINDS, KindRules};

/// The kinds of shoots, and what each decides.
#[utoipa::path(
    get,
    path = "/kinds",
    operation_id = "kinds",
    tag = "shoots",
    responses((status = 200, description = "All kinds", body = Vec<KindRules>)),
)]
pub async fn list() -> Json<&'static [KindRules]> {
    Json(&KINDS)
}
