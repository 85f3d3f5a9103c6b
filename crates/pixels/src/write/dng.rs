//! DNG files of a mosaic.

use super::exif::{self, Look, Place, Taken};
use super::tiff::{Text, begin, directory_of, failed, write_bytes, write_tags};
use crate::PictureError;
use crate::facts::Facts;
use crate::mosaic::Mosaic;
use std::fs::File;
use std::path::Path;
use tiff::encoder::{Rational, SRational};
use tiff::tags::Tag;

/// Writes a mosaic as a DNG (version 1.4): uncompressed, one strip.
pub fn write(
    path: &Path,
    file: &mut File,
    mosaic: &Mosaic,
    facts: &Facts,
) -> Result<(), PictureError> {
    let failed = |e| failed(path, e);
    let mut encoder = begin(path, file)?;
    let look = Look { width: mosaic.width, height: mosaic.height, srgb: false, jpeg: false };
    let taken = Taken { facts, stack: None, place: true };
    let mut tags = exif::tags(Some(taken), look);
    // A mosaic has no colour space.
    tags.retain(|(place, tag, _)| (*place, *tag) != (Place::Exif, 0xa001));
    let exif = directory_of(&mut encoder, &tags, Place::Exif).map_err(failed)?;
    let gps = directory_of(&mut encoder, &tags, Place::Gps).map_err(failed)?;
    let sensor = &mosaic.sensor;
    let mut directory = encoder.image_directory().map_err(failed)?;
    let at = directory.write_data(mosaic.codes.as_slice()).map_err(failed)?;
    let at = u32::try_from(at)
        .map_err(|_| PictureError::unsupported(path, "a DNG of more than 4 GiB"))?;
    let tag = Tag::from_u16_exhaustive;
    let mut short = |number: u16, values: &[u16]| match values {
        [one] => directory.write_tag(tag(number), *one).map_err(failed),
        many => directory.write_tag(tag(number), many).map_err(failed),
    };
    short(258, &[16])?; // bits of a sample
    short(259, &[1])?; // not compressed
    short(262, &[32_803])?; // a colour filter array
    short(274, &[1])?; // upright
    short(277, &[1])?; // samples of a pixel
    short(284, &[1])?; // planes together
    short(33_421, &[2, 2])?; // the pattern repeats
    short(50_713, &[2, 2])?; // and so does black
    short(50_778, &[21])?; // the matrix is for daylight, D65
    let long = |number: u16, value: u32| (tag(number), value);
    for (tag, value) in [
        long(254, 0),
        long(256, mosaic.width),
        long(257, mosaic.height),
        long(273, at),
        long(278, mosaic.height),
        long(279, mosaic.codes.len() as u32 * 2),
        long(50_717, sensor.white as u32),
    ] {
        directory.write_tag(tag, value).map_err(failed)?;
    }
    let mut bytes =
        |number: u16, values: &[u8]| directory.write_tag(tag(number), values).map_err(failed);
    bytes(33_422, &sensor.pattern.colours())?;
    bytes(50_706, &[1, 4, 0, 0])?;
    bytes(50_707, &[1, 1, 0, 0])?;
    let ratio = |v: f32| Rational { n: (v * 10_000.0).round() as u32, d: 10_000 };
    let black = sensor.black.map(ratio);
    directory.write_tag(tag(50_714), &black[..]).map_err(failed)?;
    if let Some(neutral) = sensor.neutral {
        directory.write_tag(tag(50_728), &neutral.map(ratio)[..]).map_err(failed)?;
    }
    if let Some(matrix) = sensor.xyz_to_camera {
        let values: Vec<SRational> = matrix
            .as_flattened()
            .iter()
            .map(|v| SRational { n: (v * 10_000.0).round() as i32, d: 10_000 })
            .collect();
        directory.write_tag(tag(50_721), &values[..]).map_err(failed)?;
    }
    for (number, place) in [(34_665, exif), (34_853, gps)] {
        if let Some(place) = place {
            directory.write_tag(tag(number), place).map_err(failed)?;
        }
    }
    let camera = facts.camera.as_deref().unwrap_or("Unknown camera");
    if facts.camera.is_none() {
        write_bytes(&mut directory, tag(272), Text(camera)).map_err(failed)?;
    }
    write_bytes(&mut directory, tag(50_708), Text(camera)).map_err(failed)?;
    write_tags(&mut directory, &tags, Place::Image).map_err(failed)?;
    directory.finish().map_err(failed)
}
