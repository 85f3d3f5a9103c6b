//! The frames of a focus sweep, looked over before they are merged.

use crate::App;
use crate::calibrated;
use crate::error::ApiError;
use crate::told::{Told, Work};
use jade_core::engine::{self, Beside, Request};
use jade_core::report::FocusReport;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// The sweep that is looked over, one at a time.
#[derive(Default)]
pub struct Sweeps {
    one_at_a_time: tokio::sync::Mutex<()>,
    stop: AtomicBool,
}

impl Sweeps {
    /// Stops looking a sweep over, if that is under way.
    pub fn stop(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }
}

/// What is told of the frames of a shoot before they are merged; found where that has not been done.
///
/// # Errors
/// [`ApiError`] with why nothing can be told, and what to do.
pub async fn looked_over(app: &Arc<App>, shoot: i64) -> Result<FocusReport, ApiError> {
    let _turn = app.sweeps.one_at_a_time.lock().await;
    let (shown, _, inputs) = calibrated::in_run_of(app, shoot).await?;
    let worker = app.clone();
    app.sweeps.stop.store(false, Ordering::Relaxed);
    let work = move || {
        engine::look_over(&Request {
            frames: &inputs,
            reference: None,
            plan: &shown.plan,
            cache: &worker.cache,
            budget: worker.budget,
            stream: false,
            beside: Beside::default(),
            watch: &Told::of(&worker, Work::Finding(shoot), &worker.sweeps.stop),
        })
    };
    Ok(tokio::task::spawn_blocking(work).await??)
}
