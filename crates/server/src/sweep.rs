//! The frames of a focus sweep, looked over before they are merged.

use crate::app::App;
use crate::calibrated;
use crate::error::ApiError;
use crate::progress_events::{ProgressEvents, Work};
use jade_engine as engine;
use jade_engine::{Request, SkylineInputs};
use jade_plan::CoreError;
use jade_plan::report::FocusReport;
use std::sync::Arc;

/// The order and the doubts of the frames of a shoot before they are merged; found where that has not
/// been done.
///
/// # Errors
/// [`ApiError`] with the reason, and what to do.
pub async fn looked_over(app: &Arc<App>, shoot: i64) -> Result<FocusReport, ApiError> {
    let search = app.sweeps.of(shoot);
    let turn = search.turn().await;
    if turn.is_stopped() {
        return Err(CoreError::Cancelled.into());
    }
    let (current, _, inputs) = calibrated::in_run_of(app, shoot).await?;
    let (this_search, stops) = (search.clone(), turn.stops());
    let work = move |app: &Arc<App>| {
        engine::look_over(&Request {
            frames: &inputs,
            reference: None,
            plan: &current.plan,
            cache: &app.cache,
            budget: app.budget,
            stream: false,
            skyline_inputs: SkylineInputs::default(),
            watch: &ProgressEvents::of(app, Work::Finding(shoot), &|| this_search.stops() != stops),
        })
    };
    app.work(work).await
}
