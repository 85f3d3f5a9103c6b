//! The calibration of a shoot's lights.

use crate::app::App;
use crate::calibrations::LastCalibration;
use crate::error::ApiError;
use crate::store::{FrameRow, in_run};
use crate::types::{Role, Shoot};
use crate::unreported::Unreported;
use jade_engine as engine;
use jade_frames::CalibrationFrames;
use jade_frames::FrameInput;
use jade_frames::calibration::Calibration;
use jade_plan::{CoreError, Plan, PreparePlan};
use std::sync::Arc;

/// The frames of a shoot that its lights are calibrated with.
pub async fn frames_of(app: &App, shoot: i64) -> Result<CalibrationFrames, ApiError> {
    let mut frames = CalibrationFrames::default();
    for row in app.store.frames(shoot).await?.iter().filter(|row| row.is_usable()) {
        let kept = match row.role()? {
            Role::Light => continue,
            Role::Dark => &mut frames.darks,
            Role::Flat => &mut frames.flats,
            Role::Bias => &mut frames.biases,
        };
        kept.push(row.input(&PreparePlan::default()));
    }
    Ok(frames)
}

/// A shoot, the frames that a run of it would combine now, and the inputs of these frames with the
/// run's calibration.
pub async fn in_run_of(
    app: &Arc<App>,
    shoot: i64,
) -> Result<(Shoot, Vec<FrameRow>, Vec<FrameInput>), ApiError> {
    let current = app.store.shoot(shoot).await?;
    let rows = app.store.frames(shoot).await?;
    let calibration = of_shoot(app, shoot, &current.plan).await?;
    let used = in_run(&rows, current.stacked_set);
    let input = |row: &&FrameRow| FrameInput {
        calibration: calibration.clone(),
        ..row.input_under(&current.plan)
    };
    let inputs = used.iter().map(input).collect();
    let used = used.into_iter().cloned().collect();
    Ok((current, used, inputs))
}

/// The calibration that a run of a shoot would use now; `None` where there is none, or where the
/// calibration frames do not match.
pub async fn of_shoot(
    app: &Arc<App>,
    shoot: i64,
    plan: &Plan,
) -> Result<Option<Arc<Calibration>>, ApiError> {
    let made_from = format!("{} {:?}", app.store.sorting(shoot).await?, plan.prepare.repair);
    let known = || {
        let known = app.calibrations.known.lock().expect("the calibrations' lock");
        known.get(&shoot).filter(|one| one.made_from == made_from).map(|one| one.made.clone())
    };
    if let Some(made) = known() {
        return Ok(made);
    }
    let _turn = app.calibrations.one_at_a_time.lock().await;
    if let Some(made) = known() {
        return Ok(made);
    }
    let frames = frames_of(app, shoot).await?;
    let rows = app.store.frames(shoot).await?;
    let mut lights: Vec<FrameInput> = in_run(&rows, app.store.stacked_set(shoot).await?)
        .into_iter()
        .map(|row| row.input_under(plan))
        .collect();
    let repair = plan.prepare.repair;
    let made = app.work(move |app| {
        let App { cache, budget, .. } = &**app;
        match engine::calibrate(&frames, &mut lights, repair, cache, *budget, &Unreported(app)) {
            Ok(_) => Ok(lights.into_iter().find_map(|light| light.calibration)),
            // The page says what does not match.
            Err(CoreError::Frames(_)) => Ok(None),
            Err(error) => Err(error),
        }
    });
    let made = made.await?;
    let mut known = app.calibrations.known.lock().expect("the calibrations' lock");
    known.insert(shoot, LastCalibration { made_from, made: made.clone() });
    Ok(made)
}
