use super::dng;
use crate::facts::{Facts, FileFormat};
use crate::mosaic::{Mosaic, Pattern, Sensor};
use crate::read::orientation::Orientation;
use crate::read::{Decode, Opened, Rows, exif};
use crate::{PictureError, limits};
use rawler::decoders::{Decoder, FormatHint, RawDecodeParams, RawMetadata, WellKnownIFD};
use rawler::formats::tiff::{IFD, Rational};
use rawler::imgop::xyz::Illuminant;
use rawler::rawimage::{RawImage, RawImageData, RawPhotometricInterpretation};
use rawler::rawsource::RawSource;
use rawler::tags::{DngTag, TiffCommonTag};
use std::cell::Cell;
use std::panic::{self, AssertUnwindSafe};
use std::path::{Path, PathBuf};
use std::sync::Once;

struct Raw {
    path: PathBuf,
    /// What is given of all that is recorded.
    crop: Crop,
    sensor: Sensor,
}

/// A part of the sensor: left, top, width, height.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Crop([usize; 4]);

pub fn open(path: &Path) -> Result<Opened, PictureError> {
    let source = source(path)?;
    guarded(path, || {
        let decoder = decoder(path, &source)?;
        let params = RawDecodeParams::default();
        let metadata = decoder.raw_metadata(&source, &params).map_err(|e| damaged(path, e))?;
        let directory = |which| decoder.ifd(which).ok().flatten();
        let (crop, bits, turned, sensor) =
            match (directory(WellKnownIFD::Root), directory(WellKnownIFD::Raw)) {
                // The library would decode a whole DNG to tell its size.
                (Some(root), Some(raw)) if decoder.format_hint() == FormatHint::DNG => {
                    let bits = number(&raw, TiffCommonTag::BitsPerSample).unwrap_or(16);
                    let turned = number(&root, TiffCommonTag::Orientation).unwrap_or(1);
                    let crop = Crop::of_dng(&raw);
                    let sensor = dng::sensor(&root, &raw, bits).ok_or_else(|| no_pattern(path))?;
                    (crop, bits, turned as u32, sensor)
                }
                _ => {
                    let image =
                        decoder.raw_image(&source, &params, true).map_err(|e| damaged(path, e))?;
                    let turned = image.orientation.to_u16().into();
                    let sensor = sensor(&image).ok_or_else(|| no_pattern(path))?;
                    (Crop::of(&image), image.bps, turned, sensor)
                }
            };
        let sensor = sensor.shifted(crop.0[0] as u32, crop.0[1] as u32);
        let Crop([_, _, width, height]) = crop;
        let (width, height) = limits::check(path, width as u64, height as u64)?;
        let mut facts = Facts::bare(FileFormat::Raw, width, height, bits.min(32) as u8);
        read_facts(metadata, &mut facts);
        let decoder = Box::new(Raw { path: path.to_owned(), crop, sensor });
        Ok(Opened { facts, icc: None, orientation: Orientation::from_tag(turned), decoder })
    })
}

impl Decode for Raw {
    fn rows(self: Box<Self>, _: u32, _: Rows) -> Result<(), PictureError> {
        Err(PictureError::unsupported(&self.path, "a mosaic that was not developed"))
    }

    fn sensor(&self) -> Option<&Sensor> {
        Some(&self.sensor)
    }

    fn mosaic(self: Box<Self>) -> Result<Option<Mosaic>, PictureError> {
        let path = &self.path;
        let source = source(path)?;
        guarded(path, || {
            let params = RawDecodeParams::default();
            let mut image = decoder(path, &source)?
                .raw_image(&source, &params, false)
                .map_err(|e| damaged(path, e))?;
            if Crop::of(&image) != self.crop {
                return Err(damaged(path, "its sizes do not agree"));
            }
            image.data.force_integer();
            let RawImageData::Integer(all) =
                std::mem::replace(&mut image.data, RawImageData::Integer(vec![]))
            else {
                return Err(damaged(path, "its samples are no numbers"));
            };
            let Crop([left, top, width, height]) = self.crop;
            if all.len() != image.width * image.height
                || left + width > image.width
                || top + height > image.height
            {
                return Err(damaged(path, "its sizes do not agree"));
            }
            let codes = match (width, height) == (image.width, image.height) {
                true => all,
                false => all
                    .chunks_exact(image.width)
                    .skip(top)
                    .take(height)
                    .flat_map(|row| &row[left..left + width])
                    .copied()
                    .collect(),
            };
            let sensor = self.sensor.clone();
            Ok(Some(Mosaic { width: width as u32, height: height as u32, sensor, codes }))
        })
    }

    fn decoding_bytes(&mut self) -> Option<u64> {
        // The library holds all samples, and so do we, cut out.
        let Crop([_, _, width, height]) = self.crop;
        Some(width as u64 * height as u64 * 5)
    }
}

impl Crop {
    fn of(image: &RawImage) -> Self {
        match image.crop_area.or(image.active_area).filter(|area| !area.is_empty()) {
            Some(area) => Self([area.x(), area.y(), area.width(), area.height()]),
            None => Self([0, 0, image.width, image.height]),
        }
    }

    /// The same from a DNG's directory.
    fn of_dng(raw: &IFD) -> Self {
        let size = |tag| number(raw, tag).unwrap_or(0);
        let (width, height) = (size(TiffCommonTag::ImageWidth), size(TiffCommonTag::ImageLength));
        let values = |tag: DngTag, count: usize| {
            let entry = raw.get_entry(tag)?;
            (entry.count() as usize >= count).then(|| (0..count).map(|i| entry.force_usize(i)))
        };
        let [top, left, bottom, right] = match values(DngTag::ActiveArea, 4) {
            Some(mut area) => [(); 4].map(|()| area.next().unwrap_or(0)),
            None => [0, 0, height, width],
        };
        match (values(DngTag::DefaultCropOrigin, 2), values(DngTag::DefaultCropSize, 2)) {
            (Some(mut at), Some(mut size)) => {
                let next = |values: &mut dyn Iterator<Item = usize>| values.next().unwrap_or(0);
                let (x, y) = (next(&mut at), next(&mut at));
                Self([left + x, top + y, next(&mut size), next(&mut size)])
            }
            _ => Self([left, top, right.saturating_sub(left), bottom.saturating_sub(top)]),
        }
    }
}

fn number(directory: &IFD, tag: TiffCommonTag) -> Option<usize> {
    directory.get_entry(tag).filter(|entry| entry.count() > 0).map(|entry| entry.force_usize(0))
}

fn no_pattern(path: &Path) -> PictureError {
    PictureError::unsupported(path, "a raw file of a sensor without two by two colours")
}

/// The whole sensor, all that is recorded of it.
fn sensor(image: &RawImage) -> Option<Sensor> {
    let pattern = match &image.photometric {
        RawPhotometricInterpretation::Cfa(config) if image.cpp == 1 => {
            let cfa = &config.cfa;
            let colour = |row, column| cfa.color_at(row, column) as u8;
            let colours = [[colour(0, 0), colour(0, 1)], [colour(1, 0), colour(1, 1)]];
            Pattern::new(colours).filter(|_| (cfa.width, cfa.height) == (2, 2))?
        }
        _ => return None,
    };
    let levels = &image.blacklevel;
    let black = match (levels.width, levels.height, levels.as_vec().as_slice()) {
        (2, 2, &[a, b, c, d]) => [a, b, c, d],
        (_, _, all) => [all.first().copied().unwrap_or(0.0); 4],
    };
    let white = image.whitelevel.0.iter().min().map_or(65_535.0, |white| *white as f32);
    let [red, green, blue, _] = image.wb_coeffs;
    let neutral = [green / red, 1.0, green / blue];
    let neutral = neutral.iter().all(|v| v.is_finite() && *v > 0.0).then_some(neutral);
    let matrix = [Illuminant::D65, Illuminant::Daylight, Illuminant::D55, Illuminant::D50]
        .iter()
        .find_map(|light| image.color_matrix.get(light))
        .or_else(|| image.color_matrix.values().next());
    let rows = |flat: &Vec<f32>| flat.as_chunks::<3>().0.first_chunk::<3>().copied();
    Some(Sensor { pattern, black, white, neutral, xyz_to_camera: matrix.and_then(rows) })
}

fn read_facts(metadata: RawMetadata, facts: &mut Facts) {
    let exif = metadata.exif;
    let ratio = |value: Option<Rational>| {
        let value = value?;
        (value.d != 0 && value.n != 0).then(|| f64::from(value.n) / f64::from(value.d))
    };
    facts.exposure_s = ratio(exif.exposure_time);
    facts.aperture = ratio(exif.fnumber);
    facts.focal_mm = ratio(exif.focal_length);
    let iso = exif.iso_speed_ratings.map(u32::from).filter(|iso| *iso != 65_535);
    facts.iso = iso.or(exif.recommended_exposure_index).or(exif.iso_speed).filter(|iso| *iso > 0);
    facts.taken = exif
        .date_time_original
        .or(exif.create_date)
        .or(exif.modify_date)
        .and_then(|time| Facts::time_from_exif(&time));
    facts.camera = exif::camera(Some(metadata.make), Some(metadata.model));
    facts.lens = exif::lens(exif.lens_model);
}

fn source(path: &Path) -> Result<RawSource, PictureError> {
    RawSource::new(path).map_err(PictureError::io(path))
}

fn decoder(path: &Path, source: &RawSource) -> Result<Box<dyn Decoder>, PictureError> {
    rawler::get_decoder(source)
        .map_err(|error| PictureError::unsupported(path, format!("this raw file ({error})")))
}

fn damaged(path: &Path, reason: impl std::fmt::Display) -> PictureError {
    PictureError::damaged(path, reason)
}

thread_local! {
    static QUIET: Cell<bool> = const { Cell::new(false) };
}

/// Does `work`, in which the library may panic over a damaged file; that is this file's error, and
/// not told anywhere else.
fn guarded<T>(
    path: &Path,
    work: impl FnOnce() -> Result<T, PictureError>,
) -> Result<T, PictureError> {
    static HOOK: Once = Once::new();
    HOOK.call_once(|| {
        let usual = panic::take_hook();
        panic::set_hook(Box::new(move |info| {
            if !QUIET.get() {
                usual(info);
            }
        }));
    });
    let before = QUIET.replace(true);
    let done = panic::catch_unwind(AssertUnwindSafe(work));
    QUIET.set(before);
    done.unwrap_or_else(|_| Err(damaged(path, "the raw decoder failed over it")))
}
