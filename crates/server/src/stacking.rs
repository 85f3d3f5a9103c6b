//! What a run does: stacks the frames of a shoot by its plan, and keeps the result.

use crate::app::App;
use crate::error::ApiError;
use crate::running::JobWatch;
use crate::store::{JobRow, NewResult};
use crate::{calibrated, pictures, skyline};
use jade_engine as engine;
use jade_engine::{Outcome, Request, SkylineInputs};
use jade_frames::FrameInput;
use jade_frames::cache::{LayerKind, MapKind};
use jade_plan::progress::Watch;
use jade_plan::{CoreError, FrameIndex, GroundFrom, Plan, PreparePlan};
use std::sync::Arc;

/// Carries out a run.
///
/// # Errors
/// [`ApiError`] with what went wrong and what to do; [`CoreError::Cancelled`] where it was stopped.
pub async fn stack(app: &Arc<App>, row: &JobRow, watch: &Arc<JobWatch>) -> Result<(), ApiError> {
    let plan = row.plan()?;
    let ids = row.frame_ids()?;
    let mut inputs = Vec::new();
    for id in &ids {
        inputs.push(app.store.frame(*id).await?.input_under(&plan));
    }
    let mut ground = ground_of(app, row.shoot_id, &plan).await?;
    let mask = skyline::loaded(app, &plan);
    let calibration = calibrated::frames_of(app, row.shoot_id).await?;
    let calibrated_with = calibration.clone();
    let reference = row.reference_id.and_then(|r| ids.iter().position(|id| *id == r));
    let followed = watch.clone();
    let work = move |worker: &Arc<App>| -> Result<Made, ApiError> {
        engine::calibrate(
            &calibration,
            &mut inputs,
            plan.prepare.repair,
            &worker.cache,
            worker.budget,
            &*followed,
        )?;
        let App { cache, budget, .. } = &**worker;
        engine::calibrate_ground(&calibration, &mut ground, &plan, cache, *budget, &*followed)?;
        let request = Request {
            frames: &inputs,
            reference: reference.map(FrameIndex::new),
            plan: &plan,
            cache: &worker.cache,
            budget: worker.budget,
            // Frames are already decoded when they are added, because they are shown.
            stream: false,
            skyline_inputs: SkylineInputs { mask: mask.as_deref(), ground: &ground },
            watch: &*followed,
        };
        let outcome = engine::stack(&request)?;
        let folder = worker.result_folder(outcome.key.as_str());
        keep(&outcome.picture, &folder)?;
        for map in MapKind::ALL {
            let made = worker.cache.map(&outcome.combined, map);
            if made.exists() {
                keep(&made, &folder.join(map.name()))?;
            }
        }
        // The result is shown next, so its smaller levels are made now.
        pictures::open_result(
            &folder,
            &outcome.profile,
            outcome.key.as_str(),
            outcome.report.origin,
        )?;
        for layer in LayerKind::ALL {
            let made = outcome.layer(&worker.cache, layer);
            if made.exists() {
                keep(&made, &folder.join(layer.name()))?;
            }
        }
        Ok((outcome, inputs, ground, plan))
    };
    let (outcome, inputs, ground, plan) = app.work(work).await?;
    if watch.cancelled() {
        return Err(CoreError::Cancelled.into());
    }
    // Short runs end between two notes of their progress.
    let last = watch.apply(row.view()?);
    if let Some(stage) = last.stage {
        app.store.set_progress(row.id, stage, last.done, last.total).await?;
    }
    let mut report = outcome.report;
    report.time(watch.finish());
    report.peak_memory_mib = crate::peak_memory::peak_memory_mib();
    let record = engine::record(&inputs, &ground, &calibrated_with, &plan, &report);
    let new = NewResult {
        shoot_id: row.shoot_id,
        job_id: row.id,
        key: outcome.key.as_str(),
        reference_id: ids[outcome.reference.number()],
        record: &record,
        report: &report,
        profile: &outcome.profile,
    };
    app.store.add_result(&new).await?;
    app.work(|app| {
        app.keep_cache_small();
        Ok::<_, ApiError>(())
    })
    .await
}

/// What a run makes: its outcome, the frames and the ground's frames that it read, and the plan.
type Made = (Outcome, Vec<FrameInput>, Vec<FrameInput>, Plan);

/// Frames that the ground is made from, if they are others than the sky's.
async fn ground_of(app: &Arc<App>, shoot: i64, plan: &Plan) -> Result<Vec<FrameInput>, ApiError> {
    if !plan.skyline.is_on() {
        return Ok(vec![]);
    }
    match &plan.skyline.ground.from {
        GroundFrom::Same | GroundFrom::Frame { .. } => Ok(vec![]),
        GroundFrom::Set { set } => {
            let rows = app.store.frames(shoot).await?;
            let lights = rows.iter().filter(|row| row.is_light() && row.set_id == Some(*set));
            Ok(lights.map(|row| row.input_under(plan)).collect())
        }
        GroundFrom::Picture(file) => Ok(vec![FrameInput {
            path: app.original(&file.blake3),
            name: file.file.clone(),
            id: file.blake3.as_str().into(),
            state: None,
            prepare: PreparePlan::default(),
            calibration: None,
        }]),
    }
}

/// Links the picture and maps of a result outside the cache, so that they stay when the cache is
/// trimmed.
fn keep(picture: &std::path::Path, folder: &std::path::Path) -> Result<(), ApiError> {
    std::fs::create_dir_all(folder)?;
    let kept = folder.join("0.tiles");
    if kept.exists() {
        return Ok(());
    }
    match std::fs::hard_link(picture, &kept) {
        Ok(()) => Ok(()),
        Err(_) => {
            let aside = folder.join(".aside-0.tiles");
            std::fs::copy(picture, &aside)?;
            Ok(std::fs::rename(aside, kept)?)
        }
    }
}
