//! Stages that change the picture of a run.

use crate::outcome::Outcome;
use crate::request::Request;
use jade_pixels::tiled::Region;
use jade_plan::{CoreError, Plan};

/// A stage that changes the picture of a run.
pub trait Change: Sync {
    /// Whether the plan asks for it.
    fn is_on(&self, plan: &Plan) -> bool;

    /// Makes the changed picture under a key of its own, with what it adds to the report.
    ///
    /// # Errors
    /// As for [`crate::stack`].
    fn change(&self, request: &Request, before: Outcome) -> Result<Outcome, CoreError>;

    /// The light of a region of the changed picture, three channels interleaved: the same as in the
    /// whole changed picture, which is not made.
    ///
    /// # Errors
    /// As for [`crate::region`].
    fn region(
        &self,
        request: &Request,
        before: &Outcome,
        region: Region,
    ) -> Result<Vec<f32>, CoreError>;
}
