//! Saving results into the exports folder, each once at a time.

use crate::App;
use crate::calibrated;
use crate::error::ApiError;
use crate::store::{FrameRow, ResultRow};
use crate::told::{Told, Work};
use crate::types::{Event, ExportFormat};
use jade_core::cache::MapKind;
use jade_core::engine;
use jade_core::export::{self, Form, JPEG_QUALITY};
use jade_core::frames::FrameInput;
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jade_pixels::write::{Target, write_whole};
use std::collections::HashMap;
use std::io::Write;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};

/// Results that are being saved, each with what stops it.
#[derive(Default)]
pub struct Savings(Mutex<HashMap<i64, Arc<AtomicBool>>>);

impl Savings {
    /// Stops saving a result, if that is under way.
    pub fn stop(&self, result: i64) {
        if let Some(stop) = self.0.lock().expect("the savings' lock").get(&result) {
            stop.store(true, Ordering::Relaxed);
        }
    }
}

/// A result's turn at being saved; ends when dropped.
pub struct Saving {
    app: Arc<App>,
    result: i64,
    stop: Arc<AtomicBool>,
}

impl Saving {
    /// Begins.
    ///
    /// # Errors
    /// [`ApiError::Refused`] while the same result is being saved.
    pub fn begin(app: &Arc<App>, result: i64) -> Result<Self, ApiError> {
        let mut all = app.savings.0.lock().expect("the savings' lock");
        if all.contains_key(&result) {
            return Err(ApiError::Refused(
                "This result is being saved already; wait for that, or stop it.".to_owned(),
            ));
        }
        let stop = Arc::new(AtomicBool::new(false));
        all.insert(result, stop.clone());
        Ok(Self { app: app.clone(), result, stop })
    }

    /// Writes the file and the plan beside it, and notes them. A person who stops it gets nothing, and no
    /// error.
    ///
    /// # Errors
    /// [`ApiError`]; nothing is left behind then.
    pub async fn save(self, format: ExportFormat) -> Result<(), ApiError> {
        let app = self.app.clone();
        let row = app.store.result(self.result).await?;
        let name = app.store.shoot(row.shoot_id).await?.name;
        let record = row.record()?;
        let reference = app.store.frame(row.reference_id).await?.input_under(&record.plan);
        let (ending, what) = match format {
            ExportFormat::Tiff16 => {
                ("tif", What::Picture(Form::Encoded(Target::Tiff { wide: true, deflate: false })))
            }
            ExportFormat::Tiff32f => ("light.tif", What::Picture(Form::Light)),
            ExportFormat::Png16 => {
                ("png", What::Picture(Form::Encoded(Target::Png { wide: true })))
            }
            ExportFormat::Jpeg => {
                ("jpg", What::Picture(Form::Encoded(Target::Jpeg { quality: JPEG_QUALITY })))
            }
            ExportFormat::FocusMap => ("focus.png", What::FocusMap),
            ExportFormat::Moving => ("moving.png", What::Moving(sweep_of(&app, &row).await?)),
        };
        let stem = format!("{} {}", file_name(&name), self.result);
        let folder = app.data.join("exports");
        let (file, plan) =
            (folder.join(format!("{stem}.{ending}")), folder.join(format!("{stem}.plan.json")));
        let made = app.result_folder(&row.key);
        let report = row.report()?;
        let (to, beside) = (file.clone(), plan.clone());
        let (worker, result, stop) = (app.clone(), self.result, self.stop.clone());
        let write = move || -> Result<Option<u64>, ApiError> {
            let watch = Told::of(&worker, Work::Saving(result), &stop);
            // The original may be gone by now; then the file says nothing about how it was taken.
            let facts = PictureFile::open(&reference.path).ok().map(|f| f.facts().clone());
            let written = match what {
                What::Picture(form) => {
                    let (picture, facts) = (made.join("0.tiles"), facts.as_ref());
                    export::write(&to, form, &picture, &row.profile, facts, &watch)
                }
                What::FocusMap => {
                    let map = made.join(MapKind::Depth.name()).join("0.tiles");
                    if !map.exists() {
                        return Err(ApiError::Refused(NO_SWEEP.to_owned()));
                    }
                    export::write_grey(&to, Target::Png { wide: true }, &map)
                }
                What::Moving(frames) => {
                    let App { cache, budget, .. } = &*worker;
                    engine::moving(&frames, &report, &to, cache, *budget, &watch)
                }
            };
            match written {
                Err(_) if stop.load(Ordering::Relaxed) => return Ok(None),
                other => other?,
            }
            write_whole(&beside, |file| {
                let text = serde_json::to_string_pretty(&record).expect("plans serialise");
                file.write_all(text.as_bytes()).map_err(PictureError::io(&beside))
            })?;
            Ok(Some(std::fs::metadata(&to)?.len()))
        };
        if let Some(bytes) = tokio::task::spawn_blocking(write).await?? {
            app.store.add_export(self.result, &file, &plan, bytes as i64).await?;
            app.tell(Event::Shoot { id: row.shoot_id });
        }
        Ok(())
    }
}

impl Drop for Saving {
    fn drop(&mut self) {
        self.app.savings.0.lock().expect("the savings' lock").remove(&self.result);
        let (result_id, done, total) = (self.result, 0, 0);
        self.app.tell(Event::Saving { result_id, stage: None, done, total, remaining_s: None });
    }
}

const NO_SWEEP: &str = "Only a merged focus sweep has this; choose another format.";

/// What is saved of a result.
enum What {
    Picture(Form),
    FocusMap,
    /// A view that moves through these frames.
    Moving(Vec<FrameInput>),
}

/// The frames that a sweep was merged from.
async fn sweep_of(app: &Arc<App>, row: &ResultRow) -> Result<Vec<FrameInput>, ApiError> {
    let (plan, report) = (row.record()?.plan, row.report()?);
    if report.focus.is_none() {
        return Err(ApiError::Refused(NO_SWEEP.to_owned()));
    }
    let calibration = calibrated::of_shoot(app, row.shoot_id, &plan).await?;
    let frames = app.store.frames(row.shoot_id).await?;
    let used = frames.iter().filter(|frame| report.frames.iter().any(|own| own.file == frame.name));
    let input = |frame: &FrameRow| FrameInput {
        calibration: calibration.clone(),
        ..frame.input_under(&plan)
    };
    Ok(used.map(input).collect())
}

/// A name that is a file name everywhere.
pub fn file_name(name: &str) -> String {
    let kept: String = name
        .chars()
        .map(|c| if c.is_alphanumeric() || "-_ ()".contains(c) { c } else { '-' })
        .take(80)
        .collect();
    match kept.trim_matches([' ', '-', '.']) {
        "" => "shoot".to_owned(),
        kept => kept.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::file_name;

    #[test]
    fn any_name_becomes_a_file_name() {
        assert_eq!(file_name("Night / \"one\""), "Night - -one");
        assert_eq!(file_name("../../etc"), "etc");
        assert_eq!(file_name("//"), "shoot");
        assert_eq!(file_name("Düne 3"), "Düne 3");
    }
}
