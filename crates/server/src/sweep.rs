//! The frames of a focus sweep, looked over before they are merged.

use crate::app::App;
use crate::calibrated;
use crate::error::ApiError;
use crate::running::JobWatch;
use jade_engine as engine;
use jade_engine::{Request, SkylineInputs};
use jade_frames::FrameInput;
use jade_frames::cache::Key;
use jade_plan::progress::Watch;
use jade_plan::report::FocusReport;
use jade_plan::{CoreError, Plan};
use std::sync::Arc;

/// Identifies the frames of a sweep and how they are aligned.
fn key(plan: &Plan, inputs: &[FrameInput]) -> Key {
    let lights: Vec<Key> = inputs.iter().map(FrameInput::light_key).collect();
    Key::of("sweep-seen", &plan.align, &lights.iter().collect::<Vec<_>>())
}

/// The order and the doubts of the frames of a shoot that were found last; computes nothing.
///
/// # Errors
/// [`ApiError::Missing`] if they have not been found yet for the present frames.
pub async fn current(app: &Arc<App>, shoot: i64) -> Result<FocusReport, ApiError> {
    let (current, _, inputs) = calibrated::in_run_of(app, shoot).await?;
    let key = key(&current.plan, &inputs);
    let found = app.sweeps.of(shoot).kept().as_ref().filter(|(of, _)| *of == key).cloned();
    found.map(|(_, report)| report).ok_or_else(|| {
        ApiError::Missing("The order was not found yet, or changed; find it first.".to_owned())
    })
}

/// Finds the order and the doubts of the frames of a shoot before they are merged.
///
/// # Errors
/// [`ApiError`] with the reason, and what to do.
pub async fn looked_over(
    app: &Arc<App>,
    shoot: i64,
    watch: &Arc<JobWatch>,
) -> Result<(), ApiError> {
    let search = app.sweeps.of(shoot);
    let _turn = search.turn().await;
    if watch.cancelled() {
        return Err(CoreError::Cancelled.into());
    }
    let (current, _, inputs) = calibrated::in_run_of(app, shoot).await?;
    let (key, watch) = (key(&current.plan, &inputs), watch.clone());
    let work = move |app: &Arc<App>| {
        engine::look_over(&Request {
            frames: &inputs,
            reference: None,
            plan: &current.plan,
            cache: &app.cache,
            budget: app.budget,
            stream: false,
            skyline_inputs: SkylineInputs::default(),
            watch: &*watch,
        })
    };
    let report = app.work(work).await?;
    *search.kept() = Some((key, report));
    Ok(())
}
