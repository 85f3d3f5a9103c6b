//! Saves results into the exports folder.

use crate::app::App;
use crate::calibrated;
use crate::error::ApiError;
use crate::running::JobWatch;
use crate::store::{FrameRow, JobRow, ResultRow};
use crate::types::{Export, ExportFormat, NewExport};
use jade_engine as engine;
use jade_engine::export::{self, Colours, Form, JPEG_QUALITY, Written};
use jade_frames::FrameInput;
use jade_frames::cache::{LayerKind, MapKind};
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jade_pixels::write::{Target, write_whole};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::UNIX_EPOCH;

const NO_SWEEP: &str = "Only a merged focus sweep has this; choose another format.";

/// The parts of a result that can be saved.
enum What {
    Picture(Form),
    /// The share of sky, as large as the picture.
    Mask,
    DepthMap,
    /// An animation through the frames.
    Moving,
}

/// What a format holds, and how the name of such a file ends.
fn what(format: ExportFormat) -> (&'static str, What) {
    let picture = |target| What::Picture(Form::Encoded(target));
    match format {
        ExportFormat::Tiff16 => {
            ("tif", picture(Target::Tiff { sixteen_bit: true, deflate: false }))
        }
        ExportFormat::Tiff32f => ("light.tif", What::Picture(Form::Light)),
        ExportFormat::Png16 => ("png", picture(Target::Png { sixteen_bit: true })),
        ExportFormat::Jpeg => ("jpg", picture(Target::Jpeg { quality: JPEG_QUALITY })),
        ExportFormat::Mask => ("mask.png", What::Mask),
        ExportFormat::DepthMap => ("depth.png", What::DepthMap),
        ExportFormat::Moving => ("moving.png", What::Moving),
    }
}

/// Where the mask and the depth map of a result lie, if it has them.
fn grey(folder: &Path, what: &What) -> PathBuf {
    let name =
        if matches!(what, What::Mask) { LayerKind::Mask.name() } else { MapKind::Depth.name() };
    folder.join(name).join("0.tiles")
}

/// Checks that a result can be saved as wished, and returns it.
///
/// # Errors
/// [`ApiError::Refused`] or [`ApiError::Setting`] with what to choose instead.
pub async fn check(app: &App, result: i64, wish: &NewExport) -> Result<ResultRow, ApiError> {
    let row = app.store.result(result).await?;
    let (_, what) = what(wish.format);
    let has_grey = || grey(&app.result_folder(&row.key), &what).exists();
    match what {
        What::Picture(form) => wish.colours.check(form)?,
        What::Mask if !has_grey() => {
            return Err(ApiError::Refused(
                "Only a result with its sky and ground apart has a mask; choose another format."
                    .to_owned(),
            ));
        }
        What::DepthMap if !has_grey() => return Err(ApiError::Refused(NO_SWEEP.to_owned())),
        What::Moving if row.report()?.focus().is_none() => {
            return Err(ApiError::Refused(NO_SWEEP.to_owned()));
        }
        _ => {}
    }
    Ok(row)
}

/// Writes the file that a job is for and the plan beside it, and notes both in the store.
///
/// # Errors
/// [`ApiError`]; nothing is left behind then, nor where it is stopped.
pub async fn save(app: &Arc<App>, job: &JobRow, watch: &Arc<JobWatch>) -> Result<(), ApiError> {
    let wish = job.wish()?;
    let row = check(app, job.result_id.unwrap_or_default(), &wish).await?;
    let name = app.store.shoot_name(row.shoot_id).await?;
    let record = row.record()?;
    let reference = app.store.frame(row.reference_id).await?;
    let (noted, reference) = (reference.facts()?, reference.input_under(&record.plan));
    let NewExport { format, colours, place } = wish;
    let (ending, what) = what(format);
    let stem = format!("{} {}{}", file_name(&name), row.id, as_suffix(colours));
    let (folder, known) = (app.data.join("exports"), app.store.exports(row.id).await?);
    let stem = app.work(move |_| free_stem(&folder, &stem, ending, &known)).await?;
    let folder = app.data.join("exports");
    let (file, plan) =
        (folder.join(format!("{stem}.{ending}")), folder.join(format!("{stem}.plan.json")));
    let sweep = match what {
        What::Moving => sweep_of(app, &row).await?,
        _ => vec![],
    };
    let (to, beside, result) = (file.clone(), plan.clone(), row.id);
    let watch = watch.clone();
    let write = move |worker: &Arc<App>| -> Result<u64, ApiError> {
        let (made, report) = (worker.result_folder(&row.key), row.report()?);
        match what {
            What::Picture(form) => {
                // If the original is missing by now, the facts noted when it was added are used.
                let now = PictureFile::open(&reference.path).ok().map(|f| f.facts().clone());
                let facts = now.or(noted);
                let how = Written { form, colours, facts: facts.as_ref(), report: &report, place };
                export::write(&to, &how, &made.join("0.tiles"), &row.profile, &*watch)?;
            }
            What::Mask | What::DepthMap => {
                export::write_grey(&to, Target::Png { sixteen_bit: true }, &grey(&made, &what))?;
            }
            What::Moving => {
                let App { cache, budget, .. } = &**worker;
                engine::moving(&sweep, &report, &to, cache, *budget, &*watch)?;
            }
        }
        write_whole(&beside, |file| {
            let text = serde_json::to_string_pretty(&record).expect("plans serialise");
            file.write_all(text.as_bytes()).map_err(PictureError::io(&beside))
        })?;
        Ok(std::fs::metadata(&to)?.len())
    };
    let bytes = app.work(write).await?;
    app.store.add_export(result, &file, &plan, bytes as i64).await?;
    Ok(())
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
