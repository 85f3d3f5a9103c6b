//! Saves results into the exports folder, each at most once at a time.

use crate::app::App;
use crate::calibrated;
use crate::error::ApiError;
use crate::progress_events::{ProgressEvents, Work};
use crate::store::{FrameRow, ResultRow};
use crate::types::{Event, Export, ExportFormat, NewExport};
use jade_engine as engine;
use jade_engine::export::{self, Colours, Form, JPEG_QUALITY, Written};
use jade_frames::FrameInput;
use jade_frames::cache::{LayerKind, MapKind};
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jade_pixels::write::{Target, write_whole};
use jade_plan::progress::Watch;
use std::io::Write;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::UNIX_EPOCH;

/// The right to save a result; ends when dropped.
pub struct Saving {
    app: Arc<App>,
    result: i64,
    stop: Arc<AtomicBool>,
}

impl Saving {
    /// Takes the right to save a result.
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

    /// Writes the file and the plan beside it, and notes both in the store. If the person stops it,
    /// nothing is written, and that is no error.
    ///
    /// # Errors
    /// [`ApiError`]; nothing is left behind then.
    pub async fn save(self, wish: NewExport) -> Result<(), ApiError> {
        let app = self.app.clone();
        let row = app.store.result(self.result).await?;
        let name = app.store.shoot_name(row.shoot_id).await?;
        let record = row.record()?;
        let reference = app.store.frame(row.reference_id).await?;
        let (noted, reference) = (reference.facts()?, reference.input_under(&record.plan));
        let NewExport { format, colours, place } = wish;
        let picture = |target| What::Picture(Form::Encoded(target));
        let (ending, what) = match format {
            ExportFormat::Tiff16 => {
                ("tif", picture(Target::Tiff { sixteen_bit: true, deflate: false }))
            }
            ExportFormat::Tiff32f => ("light.tif", What::Picture(Form::Light)),
            ExportFormat::Png16 => ("png", picture(Target::Png { sixteen_bit: true })),
            ExportFormat::Jpeg => ("jpg", picture(Target::Jpeg { quality: JPEG_QUALITY })),
            ExportFormat::Mask => ("mask.png", What::Mask),
            ExportFormat::FocusMap => ("focus.png", What::FocusMap),
            ExportFormat::Moving => ("moving.png", What::Moving(sweep_of(&app, &row).await?)),
        };
        if let What::Picture(form) = what {
            colours.check(form)?;
        }
        let stem = format!("{} {}{}", file_name(&name), self.result, as_suffix(colours));
        let (folder, known) = (app.data.join("exports"), app.store.exports(self.result).await?);
        let stem = app.work(move |_| free_stem(&folder, &stem, ending, &known)).await?;
        let folder = app.data.join("exports");
        let (file, plan) =
            (folder.join(format!("{stem}.{ending}")), folder.join(format!("{stem}.plan.json")));
        let made = app.result_folder(&row.key);
        let report = row.report()?;
        let (to, beside) = (file.clone(), plan.clone());
        let (result, stop) = (self.result, self.stop.clone());
        let write = move |worker: &Arc<App>| -> Result<Option<u64>, ApiError> {
            let is_stopped = || stop.load(Ordering::Relaxed);
            let watch = ProgressEvents::of(worker, Work::Saving(result), &is_stopped);
            // If the original is missing by now, the facts noted when it was added are used.
            let now = PictureFile::open(&reference.path).ok().map(|f| f.facts().clone());
            let facts = now.or(noted);
            let written = match what {
                What::Picture(form) => {
                    let (facts, report) = (facts.as_ref(), &report);
                    let how = Written { form, colours, facts, report, place };
                    export::write(&to, &how, &made.join("0.tiles"), &row.profile, &watch)
                }
                What::Mask => {
                    let mask = made.join(LayerKind::Mask.name()).join("0.tiles");
                    if !mask.exists() {
                        let what = "Only a result with its sky and ground apart has a mask; choose another format.";
                        return Err(ApiError::Refused(what.to_owned()));
                    }
                    export::write_grey(&to, Target::Png { sixteen_bit: true }, &mask)
                }
                What::FocusMap => {
                    let map = made.join(MapKind::Depth.name()).join("0.tiles");
                    if !map.exists() {
                        return Err(ApiError::Refused(NO_SWEEP.to_owned()));
                    }
                    export::write_grey(&to, Target::Png { sixteen_bit: true }, &map)
                }
                What::Moving(frames) => {
                    let App { cache, budget, .. } = &**worker;
                    engine::moving(&frames, &report, &to, cache, *budget, &watch)
                }
            };
            match written {
                Err(_) if watch.cancelled() => return Ok(None),
                other => other?,
            }
            write_whole(&beside, |file| {
                let text = serde_json::to_string_pretty(&record).expect("plans serialise");
                file.write_all(text.as_bytes()).map_err(PictureError::io(&beside))
            })?;
            Ok(Some(std::fs::metadata(&to)?.len()))
        };
        if let Some(bytes) = app.work(write).await? {
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

/// The parts of a result that can be saved.
enum What {
    Picture(Form),
    /// The share of sky, as large as the picture.
    Mask,
    FocusMap,
    /// An animation through these frames.
    Moving(Vec<FrameInput>),
}

/// The frames that a sweep was merged from.
async fn sweep_of(app: &Arc<App>, row: &ResultRow) -> Result<Vec<FrameInput>, ApiError> {
    let (plan, report) = (row.record()?.plan, row.report()?);
    if report.focus().is_none() {
        return Err(ApiError::Refused(NO_SWEEP.to_owned()));
    }
    let calibration = calibrated::of_shoot(app, row.shoot_id, &plan).await?;
    let frames = app.store.frames(row.shoot_id).await?;
    let used = frames.iter().filter(|frame| report.frame(&frame.blake3, &frame.name).is_some());
    let input = |frame: &FrameRow| FrameInput {
        calibration: calibration.clone(),
        ..frame.input_under(&plan)
    };
    Ok(used.map(input).collect())
}

/// Suffix of the file name if the colours are not those of the frames.
fn as_suffix(colours: Colours) -> &'static str {
    match colours {
        Colours::Input => "",
        Colours::Srgb => " sRGB",
        Colours::DisplayP3 => " Display P3",
        Colours::A98 => " A98 RGB",
        Colours::Prophoto => " ProPhoto",
        Colours::Linear => " linear",
    }
}

/// The name of a file without its ending. A number is added if a file of that name is there that
/// was changed since it was saved, or that was not saved from here.
fn free_stem(
    folder: &Path,
    stem: &str,
    ending: &str,
    known: &[Export],
) -> Result<String, ApiError> {
    let is_free = |stem: &str| {
        let name = format!("{stem}.{ending}");
        let Ok(there) = std::fs::symlink_metadata(folder.join(&name)) else { return true };
        let changed = there.modified().ok().and_then(|at| at.duration_since(UNIX_EPOCH).ok());
        let changed = changed.map_or(i64::MAX, |at| at.as_millis() as i64);
        let export = known.iter().find(|export| export.file == name);
        there.is_file()
            && export
                .is_some_and(|export| export.bytes == there.len() as i64 && changed <= export.made)
    };
    let mut stems = std::iter::once(stem.to_owned()).chain((2..).map(|n| format!("{stem} ({n})")));
    Ok(stems.find(|stem| is_free(stem)).unwrap_or_else(|| stem.to_owned()))
}

/// Most bytes of a shoot's name in a file name; file systems allow 255 for the whole name.
const NAME_BYTES: usize = 160;

/// A name that is valid on every file system.
pub fn file_name(name: &str) -> String {
    let mut bytes = 0;
    let kept: String = name
        .chars()
        .map(|c| if c.is_alphanumeric() || "-_ ()".contains(c) { c } else { '-' })
        .take_while(|c| {
            bytes += c.len_utf8();
            bytes <= NAME_BYTES
        })
        .collect();
    match kept.trim_matches([' ', '-', '.']) {
        "" => "shoot".to_owned(),
        kept => kept.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::SystemTime;

    #[test]
    fn a_file_that_was_worked_on_since_is_not_replaced() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("Mast 1.tif");
        let free = |known: &[Export]| free_stem(folder.path(), "Mast 1", "tif", known).unwrap();
        assert_eq!(free(&[]), "Mast 1");
        std::fs::write(&path, "pixels").unwrap();
        assert_eq!(free(&[]), "Mast 1 (2)", "it is somebody else's");
        let now = SystemTime::now().duration_since(UNIX_EPOCH).unwrap().as_millis() as i64;
        let export = |bytes, made| Export {
            id: 1,
            file: "Mast 1.tif".to_owned(),
            plan_file: "Mast 1.plan.json".to_owned(),
            folder: String::new(),
            bytes,
            made,
        };
        assert_eq!(free(&[export(6, now + 1000)]), "Mast 1");
        for changed in [export(9, now + 1000), export(6, now - 1000)] {
            assert_eq!(free(&[changed]), "Mast 1 (2)");
        }
    }

    #[test]
    fn any_name_becomes_a_file_name() {
        assert_eq!(file_name("Night / \"one\""), "Night - -one");
        assert_eq!(file_name("../../etc"), "etc");
        assert_eq!(file_name("//"), "shoot");
        assert_eq!(file_name("Düne 3"), "Düne 3");
        let four_bytes = "\u{20000}".repeat(120);
        assert_eq!(file_name(&four_bytes).len(), NAME_BYTES);
    }
}
