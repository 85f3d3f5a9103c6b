//! The record of a run, as it is saved beside its result.

use jade_frames::{CalibrationFrames, FrameInput};
use jade_plan::report::Report;
use jade_plan::{FrameRole, Plan, PlanCalibration, PlanFrame, PlanRecord};

/// The record of a run to save beside its result; frames are named by BLAKE3 of their content.
pub fn record(
    frames: &[FrameInput],
    ground: &[FrameInput],
    calibration: &CalibrationFrames,
    plan: &Plan,
    report: &Report,
) -> PlanRecord {
    let named = |input: &FrameInput, used: bool| PlanFrame {
        file: input.name.clone(),
        blake3: input.id.clone(),
        used,
    };
    let CalibrationFrames { darks, flats, biases } = calibration;
    let kinds = [(FrameRole::Dark, darks), (FrameRole::Flat, flats), (FrameRole::Bias, biases)];
    let calibration = kinds.iter().flat_map(|(shows, inputs)| {
        inputs.iter().map(|input| PlanCalibration { shows: *shows, frame: named(input, true) })
    });
    PlanRecord {
        plan: plan.clone(),
        reference: report.reference.clone(),
        reference_blake3: report.reference_content.clone(),
        frames: frames.iter().zip(&report.frames).map(|(i, f)| named(i, f.used)).collect(),
        ground: ground.iter().map(|input| named(input, true)).collect(),
        calibration: calibration.collect(),
    }
}
