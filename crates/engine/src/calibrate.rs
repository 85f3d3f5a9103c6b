//! Makes master frames and gives them to frames.

use crate::memory::Budget;
use crate::threads::pool;
use jade_frames::cache::Cache;
use jade_frames::calibration::Calibration;
use jade_frames::{CalibrationFrames, FrameInput};
use jade_plan::progress::Watch;
use jade_plan::{CoreError, GroundFrom, Plan, Repair};
use std::sync::Arc;

/// Makes the calibration of frames and gives it to them; returns how many samples are repaired in
/// each.
///
/// # Errors
/// [`CoreError::Frames`] when frames do not fit together, [`CoreError::Picture`],
/// [`CoreError::Cancelled`].
pub fn calibrate(
    frames: &CalibrationFrames,
    lights: &mut [FrameInput],
    repair: Repair,
    cache: &Cache,
    budget: Budget,
    watch: &dyn Watch,
) -> Result<usize, CoreError> {
    let make = || Calibration::of(frames, lights, repair, cache, watch);
    let Some(calibration) = pool(budget)?.install(make)? else { return Ok(0) };
    let repaired = calibration.faults().len();
    let calibration = Arc::new(calibration);
    lights.iter_mut().for_each(|light| light.calibration = Some(calibration.clone()));
    Ok(repaired)
}

/// Calibrates the frames of a ground set, with the calibration frames that match them, as they may
/// have another exposure than the lights. A finished picture is not calibrated again.
///
/// # Errors
/// As for [`calibrate`].
pub fn calibrate_ground(
    frames: &CalibrationFrames,
    ground: &mut [FrameInput],
    plan: &Plan,
    cache: &Cache,
    budget: Budget,
    watch: &dyn Watch,
) -> Result<(), CoreError> {
    if ground.is_empty() || !matches!(plan.skyline.ground.from, GroundFrom::Set { .. }) {
        return Ok(());
    }
    let frames = frames.as_far_as_fitting(ground);
    calibrate(&frames, ground, plan.prepare.repair, cache, budget, watch).map(|_| ())
}
