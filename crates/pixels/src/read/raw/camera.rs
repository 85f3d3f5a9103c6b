//! Reads cameras' raw files by a library.

use super::colours::{neutral, xyz_to_camera};
use super::crop::{Crop, number};
use super::{announced, developed, dng};
use crate::colour::Encoding;
use crate::facts::{Details, Facts, FileFormat, GpsEntry, GpsValue};
use crate::mosaic::{Mosaic, Pattern, Sensor};
use crate::read::decode::{Colours, Decode, Opened};
use crate::read::exif;
use crate::read::guarded::guarded_threads;
use crate::read::orientation::Orientation;
use crate::read::rows::{LightRows, Rows};
use crate::tiled::SIDE;
use crate::{PictureError, limits, regular};
use rawler::decoders::{Decoder, FormatHint, RawDecodeParams, RawMetadata, WellKnownIFD};
use rawler::exif::ExifGPS;
use rawler::formats::tiff::{IFD, Rational};
use rawler::rawimage::{RawImage, RawImageData, RawPhotometricInterpretation};
use rawler::rawsource::RawSource;
use rawler::tags::TiffCommonTag;
use std::path::{Path, PathBuf};

struct Raw {
    path: PathBuf,
    /// The part of the recorded sensor that makes the picture.
    crop: Crop,
    holds: Holds,
}

/// The kind of data in a file.
enum Holds {
    /// A mosaic of two by two colours.
    Mosaic(Sensor),
    /// Another mosaic, or the camera's colours; the library develops it to light.
    Light,
}

pub fn open(path: &Path) -> Result<Opened, PictureError> {
    let source = source(path)?;
    guarded_threads(path, || {
        let decoder = decoder(path, &source)?;
        let params = RawDecodeParams::default();
        let metadata = decoder.raw_metadata(&source, &params).map_err(|e| damaged(path, e))?;
        let directory = |which| decoder.ifd(which).ok().flatten();
        let (crop, bits, turned, holds) =
            match (directory(WellKnownIFD::Root), directory(WellKnownIFD::Raw)) {
                // The library would decode a whole DNG to find its size.
                (Some(root), Some(raw)) if decoder.format_hint() == FormatHint::DNG => {
                    let bits = number(&raw, TiffCommonTag::BitsPerSample).unwrap_or(16);
                    let turned = number(&root, TiffCommonTag::Orientation).unwrap_or(1);
                    let holds = holds_of_dng(path, &root, &raw, bits)?;
                    (Crop::of_dng(&raw), bits, turned as u32, holds)
                }
                _ => {
                    let image =
                        decoder.raw_image(&source, &params, true).map_err(|e| damaged(path, e))?;
                    let turned = image.orientation.to_u16().into();
                    let holds = match sensor(&image) {
                        Some(sensor) => Holds::Mosaic(sensor),
                        None if developed::can_make(&image) => Holds::Light,
                        None => return Err(no_pattern(path)),
                    };
                    (Crop::of(&image), image.bps, turned, holds)
                }
            };
        let Crop([left, top, width, height]) = crop;
        let (width, height) = limits::check(path, width as u64, height as u64)?;
        let mut facts = Facts::bare(FileFormat::Raw, width, height, bits.min(32) as u8);
        read_facts(metadata, &mut facts);
        let (holds, colours) = match holds {
            Holds::Mosaic(sensor) => {
                (Holds::Mosaic(sensor.shifted(left as u32, top as u32)), Colours::Unstated)
            }
            Holds::Light => {
                facts.float = true;
                (Holds::Light, Colours::Encoding(Encoding::linear_srgb()))
            }
        };
        let orientation = Orientation::from_tag(turned);
        let decoder = Box::new(Raw { path: path.to_owned(), crop, holds });
        Ok(Opened { facts, colours, orientation, decoder })
    })
}

/// The kind of data in a DNG.
fn holds_of_dng(path: &Path, root: &IFD, raw: &IFD, bits: usize) -> Result<Holds, PictureError> {
    const MOSAIC: usize = 32_803;
    const COLOURS: usize = 34_892;
    const GREY: usize = 1;
    let float = number(raw, TiffCommonTag::SampleFormat) == Some(3);
    match number(raw, TiffCommonTag::PhotometricInt) {
        Some(MOSAIC) if float => {
            let what = "a mosaic of floating-point numbers";
            let remedy = "save it as a linear DNG, or as a TIFF";
            Err(PictureError::unsupported_so(path, what, remedy))
        }
        Some(MOSAIC) => Ok(match dng::sensor(root, raw, bits) {
            Some(sensor) => Holds::Mosaic(sensor),
            None if developed::is_six_by_six(raw) => Holds::Light,
            None => return Err(no_pattern(path)),
        }),
        Some(COLOURS | GREY) => Ok(Holds::Light),
        _ => Err(no_pattern(path)),
    }
}

impl Decode for Raw {
    fn rows(self: Box<Self>, _: u32, _: Rows) -> Result<(), PictureError> {
        Err(PictureError::unsupported(&self.path, "a mosaic that was not developed"))
    }

    fn is_float(&self) -> bool {
        matches!(self.holds, Holds::Light)
    }

    fn floats(self: Box<Self>, rows: LightRows) -> Result<(), PictureError> {
        let Self { path, crop, .. } = &*self;
        let source = source(path)?;
        let light = guarded_threads(path, || {
            let params = RawDecodeParams::default();
            let image = decoder(path, &source)?
                .raw_image(&source, &params, false)
                .map_err(|e| damaged(path, e))?;
            if Crop::of(&image) != *crop {
                return Err(damaged(path, "its sizes do not agree"));
            }
            developed::light(path, image, *crop)
        })?;
        let band = crop.0[2] * 3 * SIDE as usize;
        for (i, band) in light.chunks(band).enumerate() {
            rows(i as u32 * SIDE, band)?;
        }
        Ok(())
    }

    fn sensor(&self) -> Option<&Sensor> {
        match &self.holds {
            Holds::Mosaic(sensor) => Some(sensor),
            Holds::Light => None,
        }
    }

    fn mosaic(self: Box<Self>) -> Result<Option<Mosaic>, PictureError> {
        let Holds::Mosaic(sensor) = &self.holds else { return Ok(None) };
        let path = &self.path;
        let source = source(path)?;
        guarded_threads(path, || {
            let params = RawDecodeParams::default();
            let mut image = decoder(path, &source)?
                .raw_image(&source, &params, false)
                .map_err(|e| damaged(path, e))?;
            if Crop::of(&image) != self.crop {
                return Err(damaged(path, "its sizes do not agree"));
            }
            let all = match std::mem::replace(&mut image.data, RawImageData::Integer(vec![])) {
                RawImageData::Integer(all) => all,
                RawImageData::Float(_) => {
                    let what = "a mosaic of floating-point numbers";
                    let remedy = "save it as a linear DNG, or as a TIFF";
                    return Err(PictureError::unsupported_so(path, what, remedy));
                }
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
            let sensor = sensor.clone();
            Ok(Some(Mosaic { width: width as u32, height: height as u32, sensor, codes }))
        })
    }

    fn decoding_bytes(&mut self) -> Option<u64> {
        // The library holds all samples; they are cropped here, or developed to light.
        let Crop([_, _, width, height]) = self.crop;
        let pixel = match self.holds {
            Holds::Mosaic(_) => 5,
            Holds::Light => 40,
        };
        Some(width as u64 * height as u64 * pixel)
    }
}

fn no_pattern(path: &Path) -> PictureError {
    let what = "a raw file of a sensor with other colours than two by two, or six by six,";
    PictureError::unsupported_so(path, what, "develop it, and give the TIFF")
}

/// The whole recorded sensor.
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
    let (neutral, xyz_to_camera) = (neutral(image), xyz_to_camera(image));
    Some(Sensor { pattern, black, white, neutral, xyz_to_camera })
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
    let iso = [
        exif.iso_speed_ratings.map(u64::from),
        exif.iso_speed.map(u64::from),
        exif.recommended_exposure_index.map(u64::from),
        None,
    ];
    facts.iso = exif::sensitivity(iso);
    let taken = [
        (exif.date_time_original, exif.sub_sec_time_original, exif.offset_time_original),
        (exif.create_date, exif.sub_sec_time_digitized, exif.offset_time_digitized),
        (exif.modify_date, exif.sub_sec_time, exif.offset_time),
    ];
    let taken = taken
        .into_iter()
        .find_map(|(time, part, zone)| Some((Facts::time_from_exif(&time?)?, part, zone)));
    let text = |text: Option<String>| exif::words(text?.as_bytes());
    let (make, model) = (text(Some(metadata.make)), text(Some(metadata.model)));
    facts.camera = exif::camera(make.as_deref(), model.as_deref());
    // The library's knowledge of a maker's notes gives a name rather than a number.
    let known = metadata.lens.map(|lens| (lens.lens_name, lens.lens_make));
    let (name, maker) = known.unzip();
    facts.lens = text(exif.lens_model).filter(|model| exif::says(model)).or_else(|| text(name));
    let (_, part, zone) = taken.clone().unwrap_or_default();
    facts.details = Details {
        make,
        model,
        lens_make: text(exif.lens_make).or_else(|| text(maker)),
        artist: text(exif.artist),
        copyright: text(exif.copyright),
        description: None,
        subsecond: text(part).and_then(exif::digits),
        offset: text(zone).and_then(exif::zone),
        per_inch: None,
        gps: exif.gps.map(gps).unwrap_or_default(),
    };
    facts.taken = taken.map(|(time, ..)| time);
}

/// The entries about the place that are copied.
fn gps(tags: ExifGPS) -> Vec<GpsEntry> {
    let text = |text: Option<String>| Some(GpsValue::Text(exif::words(text?.as_bytes())?));
    let ratios = |all: Option<[Rational; 3]>| {
        Some(GpsValue::Ratios(all?.iter().map(|ratio| [ratio.n, ratio.d]).collect()))
    };
    let ratio =
        |value: Option<Rational>| value.map(|value| GpsValue::Ratios(vec![[value.n, value.d]]));
    let entries = [
        (0, tags.gps_version_id.map(|id| GpsValue::Bytes(id.to_vec()))),
        (1, text(tags.gps_latitude_ref)),
        (2, ratios(tags.gps_latitude)),
        (3, text(tags.gps_longitude_ref)),
        (4, ratios(tags.gps_longitude)),
        (5, tags.gps_altitude_ref.map(|value| GpsValue::Bytes(vec![value]))),
        (6, ratio(tags.gps_altitude)),
        (7, ratios(tags.gps_timestamp)),
        (16, text(tags.gps_img_direction_ref)),
        (17, ratio(tags.gps_img_direction)),
        (18, text(tags.gps_map_datum)),
        (29, text(tags.gps_date_stamp)),
    ];
    let entry = |(tag, value): (u16, Option<GpsValue>)| Some(GpsEntry { tag, value: value? });
    entries.into_iter().filter_map(entry).collect()
}

fn source(path: &Path) -> Result<RawSource, PictureError> {
    regular::check(path)?;
    announced::check(path)?;
    RawSource::new(path).map_err(PictureError::io(path))
}

fn decoder(path: &Path, source: &RawSource) -> Result<Box<dyn Decoder>, PictureError> {
    rawler::get_decoder(source).map_err(|_| {
        let remedy = "convert it to DNG, or develop it to a TIFF of 16 bit";
        PictureError::unsupported_so(path, "this raw file, whose camera is not known here,", remedy)
    })
}

fn damaged(path: &Path, reason: impl std::fmt::Display) -> PictureError {
    PictureError::damaged(path, reason)
}
