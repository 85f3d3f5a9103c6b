use super::{Fill, Picture, narrow};
use crate::PictureError;
use crate::facts::Facts;
use std::fs::File;
use std::io::BufWriter;
use std::path::Path;
use tiff::encoder::colortype::{ColorType, Gray8, Gray16, RGB8, RGB16};
use tiff::encoder::{Rational, TiffEncoder, TiffKindStandard, TiffValue};
use tiff::tags::Tag;
use tiff::{TiffError, TiffResult};

type Out<'a> = BufWriter<&'a mut File>;

pub fn write(
    path: &Path,
    file: &mut File,
    wide: bool,
    picture: &Picture,
    fill: Fill,
) -> Result<(), PictureError> {
    let mut encoder =
        TiffEncoder::new(BufWriter::with_capacity(1 << 20, file)).map_err(|e| failed(path, e))?;
    match (picture.channels, wide) {
        (3, true) => put::<RGB16>(path, &mut encoder, picture, fill, |band| band.to_vec()),
        (3, false) => put::<RGB8>(path, &mut encoder, picture, fill, narrow),
        (_, true) => put::<Gray16>(path, &mut encoder, picture, fill, |band| band.to_vec()),
        (_, false) => put::<Gray8>(path, &mut encoder, picture, fill, narrow),
    }
}

fn failed(path: &Path, error: TiffError) -> PictureError {
    match error {
        TiffError::IoError(source) => PictureError::Io { path: path.to_owned(), source },
        e => PictureError::damaged(path, e),
    }
}

fn put<C: ColorType>(
    path: &Path,
    encoder: &mut TiffEncoder<Out, TiffKindStandard>,
    picture: &Picture,
    fill: Fill,
    convert: impl Fn(&[u16]) -> Vec<C::Inner>,
) -> Result<(), PictureError>
where
    [C::Inner]: TiffValue,
{
    let failed = |e| failed(path, e);
    let exif = match picture.facts {
        Some(facts) => Some(exif_directory(encoder, facts).map_err(failed)?),
        None => None,
    };
    let mut image = encoder.new_image::<C>(picture.width, picture.height).map_err(failed)?;
    image.rows_per_strip(super::BAND.min(picture.height)).map_err(failed)?;
    let tags = image.encoder();
    if picture.channels == 3 {
        tags.write_tag(Tag::IccProfile, picture.encoding.icc()).map_err(failed)?;
    }
    if let (Some(facts), Some(exif)) = (picture.facts, exif) {
        if let Some(camera) = &facts.camera {
            tags.write_tag(Tag::Model, camera.as_str()).map_err(failed)?;
        }
        tags.write_tag(Tag::ExifDirectory, exif).map_err(failed)?;
    }
    picture.bands(fill, |band| image.write_strip(&convert(band)).map_err(failed))?;
    image.finish().map_err(failed)
}

/// Writes the EXIF directory and returns where it is.
fn exif_directory(
    encoder: &mut TiffEncoder<Out, TiffKindStandard>,
    facts: &Facts,
) -> TiffResult<u32> {
    let mut directory = encoder.extra_directory()?;
    let tag = Tag::from_u16_exhaustive;
    if let Some(v) = facts.exposure_s {
        directory.write_tag(tag(0x829a), ratio(v))?;
    }
    if let Some(v) = facts.aperture {
        directory.write_tag(tag(0x829d), ratio(v))?;
    }
    if let Some(v) = facts.iso {
        directory.write_tag(tag(0x8827), v.min(65535) as u16)?;
    }
    if let Some(v) = &facts.taken {
        directory.write_tag(tag(0x9003), v.replace('-', ":").as_str())?;
    }
    if let Some(v) = facts.focal_mm {
        directory.write_tag(tag(0x920a), ratio(v))?;
    }
    Ok(directory.finish_with_offsets()?.offset)
}

/// A positive number as a fraction that keeps four digits of it.
fn ratio(value: f64) -> Rational {
    let d = if value < 0.1 { 1_000_000 } else { 1000 };
    Rational { n: (value * d as f64).round() as u32, d }
}
