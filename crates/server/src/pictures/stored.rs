//! Pictures that are decoded from files or read from the outcome of a run.

use super::open_picture::{Levels, OpenPicture};
use super::source::Source;
use crate::app::App;
use crate::error::ApiError;
use crate::versions::{frame_version, result_version};
use crate::{calibrated, skyline};
use jade_engine as engine;
use jade_frames::cache::{Cache, MapKind};
use jade_frames::{Frame, FrameInput};
use jade_optics::combined::Combined;
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::pyramid::{self, HalvedCodes};
use jade_pixels::tiled::{Sample, TiledFile, bytes_on_disk};
use jade_plan::{CoreError, PreparePlan};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Opens a picture that is not computed from others. Decodes it and makes its levels if that has
/// not been done.
///
/// # Errors
/// [`ApiError`] when it is missing or cannot be read.
pub async fn open(app: &Arc<App>, source: Source) -> Result<Arc<OpenPicture>, ApiError> {
    // A skyline changes with every stroke.
    if let Source::Skyline(id) = source {
        return open_skyline(app, id);
    }
    let input = input_of(app, source).await?;
    let known = || {
        let picture = app.gallery.known(source)?;
        input
            .as_ref()
            .is_none_or(|input| picture.version == frame_version(input))
            .then_some(picture)
    };
    if let Some(picture) = known() {
        return Ok(picture);
    }
    let turn =
        app.gallery.opening.lock().expect("the gallery's lock").entry(source).or_default().clone();
    let _one_at_a_time = turn.lock().await;
    if let Some(picture) = known() {
        return Ok(picture);
    }
    let picture = match input {
        Some(input) => {
            app.work(move |app| {
                make_room_for(&input, app)?;
                Ok::<_, ApiError>(open_frame(&input, &app.cache)?)
            })
            .await?
        }
        None => open_of_result(app, source).await?,
    };
    let picture = Arc::new(picture);
    app.gallery.keep(source, &picture);
    app.gallery.opening.lock().expect("the gallery's lock").remove(&source);
    Ok(picture)
}

/// The skyline of a shoot, if it was found; computes nothing.
fn open_skyline(app: &Arc<App>, shoot: i64) -> Result<Arc<OpenPicture>, ApiError> {
    let found = skyline::at_hand(app, shoot).ok_or_else(|| ApiError::missing("This picture"))?;
    let (version, encoding) = (found.version.clone(), Encoding::srgb());
    let levels = Levels::Skyline(found);
    Ok(Arc::new(OpenPicture { levels, encoding, version, origin: [0, 0] }))
}

/// The frame of a source with its present treatment in the shoot; `None` for other sources.
async fn input_of(app: &Arc<App>, source: Source) -> Result<Option<FrameInput>, ApiError> {
    Ok(match source {
        Source::Frame(id) => {
            let row = app.store.frame(id).await?;
            Some(row.input_under(&app.store.plan(row.shoot_id).await?))
        }
        Source::Calibrated(id) => {
            let row = app.store.frame(id).await?;
            let plan = app.store.plan(row.shoot_id).await?;
            let calibration = calibrated::of_shoot(app, row.shoot_id, &plan).await?;
            Some(FrameInput { calibration, ..row.input_under(&plan) })
        }
        Source::Original(id) => Some(app.store.frame(id).await?.input(&PreparePlan::default())),
        _ => None,
    })
}

/// Opens a picture from the folder of a result, or a frame as it lies in one.
async fn open_of_result(app: &Arc<App>, source: Source) -> Result<OpenPicture, ApiError> {
    match source {
        Source::Result(id) => {
            let row = app.store.result(id).await?;
            let origin = row.report()?.origin;
            let folder = app.result_folder(&row.key);
            app.work(move |_| open_result(&folder, &row.profile, &row.key, origin)).await
        }
        Source::Layer(layer, id) => {
            let row = app.store.result(id).await?;
            let origin = row.report()?.origin;
            let folder = app.result_folder(&row.key).join(layer.name());
            let key = format!("{}-{}", &row.key[..12], layer.name());
            app.work(move |_| match folder.join("0.tiles").exists() {
                true => open_result(&folder, &row.profile, &key, origin),
                false => Err(ApiError::missing("This layer")),
            })
            .await
        }
        Source::Map(map, id) => {
            let row = app.store.result(id).await?;
            let report = row.report()?;
            let used = report.frames.iter().filter(|f| f.used).count() as u16;
            let path = app.result_folder(&row.key).join(map.name()).join("0.tiles");
            app.work(move |_| match path.exists() {
                true => open_map(&path, map, used, &row.key, report.origin),
                false => Err(ApiError::missing("This map")),
            })
            .await
        }
        Source::Placed(result, frame) => {
            let row = app.store.result(result).await?;
            let frame = app.store.frame(frame).await?;
            let report = row.report()?;
            let reported = report.frame(&frame.blake3, &frame.name);
            let motion = reported.and_then(|f| f.motion.clone()).ok_or_else(|| {
                ApiError::Refused(format!("{} was not placed in this result.", frame.name))
            })?;
            let input = frame.input_under(&row.record()?.plan);
            app.work(move |app| {
                make_room_for(&input, app)?;
                open_placed(&input, &app.cache, &motion, &row.key)
            })
            .await
        }
        _ => Err(ApiError::missing("This picture")),
    }
}

/// Makes room on the disk for a frame that is decoded into the cache; a small file may hold a large
/// picture.
///
/// # Errors
/// [`ApiError::Inner`] if there is not enough room.
pub fn make_room_for(input: &FrameInput, app: &App) -> Result<(), ApiError> {
    if app.cache.frame(&input.key()).exists() {
        return Ok(());
    }
    // A file that cannot be read is reported when it is opened.
    let Ok(header) = Frame::undecoded(input) else { return Ok(()) };
    let (width, height) = header.size();
    let full = match header.facts.float {
        true => bytes_on_disk::<f32>(width, height, 3),
        false => bytes_on_disk::<u16>(width, height, 3),
    };
    // The smaller levels take a third more.
    app.make_room(full + full / 3)
}

/// Opens a frame. Decodes it into the cache if it is not there.
///
/// # Errors
/// [`CoreError::Picture`] of its file or of the cache.
pub fn open_frame(input: &FrameInput, cache: &Cache) -> Result<OpenPicture, CoreError> {
    let header = Frame::undecoded(input)?;
    let path = cache.frame(&input.key());
    let level = |level: usize| path.with_file_name(format!("{level}.tiles"));
    let (size, curves) = (header.size(), header.decoding().curves());
    let count = pyramid::level_sizes(size.0, size.1).len();
    let found: Result<Vec<_>, _> = (1..count).map(|i| TiledFile::open(&level(i))).collect();
    // Smaller levels are made while the frame is decoded, or else from the decoded samples.
    let mut made = None;
    let mut halve = |codes: &[u16]| {
        if made.is_none() && !codes.is_empty() {
            made = Some(HalvedCodes::create(size, curves, level)?);
        }
        made.as_mut().map_or(Ok(()), |made: &mut HalvedCodes| made.write(codes))
    };
    let frame = Frame::shown(input, cache, found.is_err().then_some(&mut halve))?;
    let encoding = frame.encoding.clone();
    let levels = match (frame.holds_light(), made) {
        (true, _) => Levels::Light(Box::new(frame), levels(&path)?),
        (false, Some(made)) => Levels::Frame(Box::new(frame), made.finish()?),
        (false, None) => {
            let smaller = found.or_else(|_| {
                pyramid::halve_codes(size, curves, level, &mut |region, codes| {
                    frame.read_codes(region, codes)
                })
            })?;
            Levels::Frame(Box::new(frame), smaller)
        }
    };
    Ok(OpenPicture { levels, encoding, version: frame_version(input), origin: [0, 0] })
}

/// Opens a result from its folder.
pub fn open_result(
    folder: &Path,
    profile: &[u8],
    key: &str,
    origin: [u32; 2],
) -> Result<OpenPicture, ApiError> {
    let path = folder.join("0.tiles");
    let encoding = Encoding::from_icc(&path, Some(profile))?;
    let levels = levels(&path)?;
    let full = Combined(TiledFile::open(&path)?);
    let version = result_version(key);
    Ok(OpenPicture { levels: Levels::Result(full, levels), encoding, version, origin })
}

fn open_map(
    path: &Path,
    map: MapKind,
    used: u16,
    key: &str,
    origin: [u32; 2],
) -> Result<OpenPicture, ApiError> {
    // Smaller levels hold sums, so that rare pixels remain visible.
    let sum = |_: usize, samples: &[u16]| {
        samples.iter().copied().fold(0u16, |sum, count| sum.saturating_add(count))
    };
    // Smaller levels of a sweep's maps hold the median of the known values.
    let middle = |_: usize, samples: &[u16]| {
        let said = || samples.iter().filter(|code| **code != u16::MAX);
        let sum: u32 = said().map(|code| u32::from(*code)).sum();
        sum.checked_div(said().count() as u32).map_or(u16::MAX, |mean| mean as u16)
    };
    let levels = levels_by(path, |from, path| match map {
        MapKind::Depth | MapKind::Certainty => pyramid::halve_by(from, path, middle),
        MapKind::Coverage | MapKind::Rejected => pyramid::halve_by(from, path, sum),
    })?;
    let version = format!("{}-{}", &key[..12], map.name());
    let encoding = Encoding::srgb();
    Ok(OpenPicture { levels: Levels::Map(levels, map, used), encoding, version, origin })
}

fn open_placed(
    input: &FrameInput,
    cache: &Cache,
    motion: &Motion,
    result: &str,
) -> Result<OpenPicture, ApiError> {
    let path = cache.placed(&result[..12], &input.light_key());
    let frame = Frame::decode(input, cache, &mut || Ok(()))?;
    if TiledFile::<f32>::open(&path).is_err() {
        engine::place(&frame, motion, &path)?;
    }
    let levels = levels(&path)?;
    let full = Combined(TiledFile::open(&path)?);
    let version = format!("{}-{}", &result[..12], &input.light_key().as_str()[..8]);
    let encoding = frame.encoding;
    Ok(OpenPicture { levels: Levels::Result(full, levels), encoding, version, origin: [0, 0] })
}

/// Opens all levels below the full size, making those that are missing.
fn levels(full: &Path) -> Result<Vec<TiledFile<f32>>, PictureError> {
    levels_by(full, pyramid::halve)
}

fn levels_by<T: Sample>(
    full: &Path,
    halve: impl Fn(&TiledFile<T>, &Path) -> Result<TiledFile<T>, PictureError>,
) -> Result<Vec<TiledFile<T>>, PictureError> {
    let mut all = vec![TiledFile::<T>::open(full)?];
    let count = pyramid::level_sizes(all[0].width(), all[0].height()).len();
    for level in 1..count {
        let path: PathBuf = full.with_file_name(format!("{level}.tiles"));
        let next = match TiledFile::open(&path) {
            Ok(next) => next,
            Err(_) => halve(&all[level - 1], &path)?,
        };
        all.push(next);
    }
    Ok(all)
}
