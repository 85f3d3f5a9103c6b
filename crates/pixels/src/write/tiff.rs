use super::{Fill, FillLight, FillRows, Picture, narrow};
use crate::PictureError;
use crate::facts::Facts;
use flate2::Compression;
use flate2::write::ZlibEncoder;
use rayon::prelude::*;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;
use tiff::encoder::colortype::{ColorType, Gray8, Gray16, RGB8, RGB16, RGB32Float};
use tiff::encoder::{Rational, TiffEncoder, TiffKindStandard, TiffValue};
use tiff::tags::{CompressionMethod, Predictor, Tag};
use tiff::{TiffError, TiffResult};

type Out<'a> = BufWriter<&'a mut File>;

pub fn write(
    path: &Path,
    file: &mut File,
    wide: bool,
    deflate: bool,
    picture: &Picture,
    fill: Fill,
) -> Result<(), PictureError> {
    let mut encoder = begin(path, file)?;
    let icc = (picture.channels == 3).then(|| picture.encoding.icc().to_vec());
    let icc = icc.as_deref();
    if deflate {
        return put_deflated(path, &mut encoder, picture, icc, wide, fill);
    }
    match (picture.channels, wide) {
        (3, true) => put::<RGB16, _>(path, &mut encoder, picture, icc, fill, |band| band.to_vec()),
        (3, false) => put::<RGB8, _>(path, &mut encoder, picture, icc, fill, narrow),
        (_, true) => put::<Gray16, _>(path, &mut encoder, picture, icc, fill, |band| band.to_vec()),
        (_, false) => put::<Gray8, _>(path, &mut encoder, picture, icc, fill, narrow),
    }
}

pub fn write_light(
    path: &Path,
    file: &mut File,
    picture: &Picture,
    fill: FillLight,
) -> Result<(), PictureError> {
    let mut encoder = begin(path, file)?;
    let icc = picture.encoding.linear_icc();
    put::<RGB32Float, _>(path, &mut encoder, picture, Some(&icc), fill, |band| band.to_vec())
}

pub fn begin<'a>(
    path: &Path,
    file: &'a mut File,
) -> Result<TiffEncoder<Out<'a>, TiffKindStandard>, PictureError> {
    TiffEncoder::new(BufWriter::with_capacity(1 << 20, file)).map_err(|e| failed(path, e))
}

pub fn failed(path: &Path, error: TiffError) -> PictureError {
    match error {
        TiffError::IoError(reason) => PictureError::Io { path: path.to_owned(), reason },
        e => PictureError::damaged(path, e),
    }
}

fn put<C: ColorType, T: Copy + Default>(
    path: &Path,
    encoder: &mut TiffEncoder<Out, TiffKindStandard>,
    picture: &Picture,
    icc: Option<&[u8]>,
    fill: FillRows<T>,
    convert: impl Fn(&[T]) -> Vec<C::Inner>,
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
    if let Some(icc) = icc {
        tags.write_tag(Tag::IccProfile, icc).map_err(failed)?;
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

/// Compressed strips, which the library only writes for pictures that are in memory as a whole.
fn put_deflated(
    path: &Path,
    encoder: &mut TiffEncoder<Out, TiffKindStandard>,
    picture: &Picture,
    icc: Option<&[u8]>,
    wide: bool,
    fill: Fill,
) -> Result<(), PictureError> {
    let failed = |e| failed(path, e);
    let exif = match picture.facts {
        Some(facts) => Some(exif_directory(encoder, facts).map_err(failed)?),
        None => None,
    };
    let channels = picture.channels;
    let row = picture.width as usize * channels;
    let mut directory = encoder.image_directory().map_err(failed)?;
    let (mut offsets, mut lengths) = (Vec::new(), Vec::new());
    let pack = |band: &Vec<u16>| -> std::io::Result<Vec<u8>> {
        let bytes: Vec<u8> = match wide {
            true => band
                .chunks_exact(row)
                .flat_map(|row| differences(row, channels))
                .flat_map(u16::to_ne_bytes)
                .collect(),
            false => {
                narrow(band).chunks_exact(row).flat_map(|row| differences(row, channels)).collect()
            }
        };
        let mut packed = ZlibEncoder::new(Vec::new(), Compression::new(6));
        packed.write_all(&bytes)?;
        packed.finish()
    };
    let mut put = |bands: &mut Vec<Vec<u16>>| {
        let packed: std::io::Result<Vec<Vec<u8>>> = bands.par_iter().map(pack).collect();
        bands.clear();
        for packed in packed.map_err(PictureError::io(path))? {
            let offset = directory.write_data(packed.as_slice()).map_err(failed)?;
            let offset = u32::try_from(offset).map_err(|_| {
                PictureError::unsupported(path, "a TIFF of more than 4 GiB, as this would become")
            })?;
            offsets.push(offset);
            lengths.push(packed.len() as u32);
        }
        Ok(())
    };
    // Packing takes most of the time, so a few strips are packed at once.
    let mut bands = Vec::new();
    picture.bands(fill, |band| {
        bands.push(band.to_vec());
        if bands.len() < rayon::current_num_threads() { Ok(()) } else { put(&mut bands) }
    })?;
    put(&mut bands)?;
    let bits = if wide { 16u16 } else { 8 };
    let mut put = |tag, value: &[u32]| match value {
        [one] => directory.write_tag(tag, *one).map_err(failed),
        many => directory.write_tag(tag, many).map_err(failed),
    };
    put(Tag::ImageWidth, &[picture.width])?;
    put(Tag::ImageLength, &[picture.height])?;
    put(Tag::RowsPerStrip, &[super::BAND.min(picture.height)])?;
    put(Tag::StripOffsets, &offsets)?;
    put(Tag::StripByteCounts, &lengths)?;
    let photometric = if channels == 3 { 2u16 } else { 1 };
    let mut put = |tag, value: &[u16]| match value {
        [one] => directory.write_tag(tag, *one).map_err(failed),
        many => directory.write_tag(tag, many).map_err(failed),
    };
    put(Tag::BitsPerSample, &vec![bits; channels])?;
    put(Tag::SampleFormat, &vec![1; channels])?;
    put(Tag::SamplesPerPixel, &[channels as u16])?;
    put(Tag::PhotometricInterpretation, &[photometric])?;
    put(Tag::Compression, &[CompressionMethod::Deflate.to_u16()])?;
    put(Tag::Predictor, &[Predictor::Horizontal.to_u16()])?;
    if let Some(icc) = icc {
        directory.write_tag(Tag::IccProfile, icc).map_err(failed)?;
    }
    if let (Some(facts), Some(exif)) = (picture.facts, exif) {
        if let Some(camera) = &facts.camera {
            directory.write_tag(Tag::Model, camera.as_str()).map_err(failed)?;
        }
        directory.write_tag(Tag::ExifDirectory, exif).map_err(failed)?;
    }
    directory.finish().map_err(failed)
}

/// Each sample less the same channel's sample before it (TIFF 6.0, section 14).
fn differences<T: Copy + Default + WrappingSub>(row: &[T], channels: usize) -> Vec<T> {
    let before = std::iter::repeat_n(T::default(), channels).chain(row.iter().copied());
    row.iter().zip(before).map(|(&v, before)| v.less(before)).collect()
}

trait WrappingSub {
    fn less(self, other: Self) -> Self;
}

impl WrappingSub for u8 {
    fn less(self, other: Self) -> Self {
        self.wrapping_sub(other)
    }
}

impl WrappingSub for u16 {
    fn less(self, other: Self) -> Self {
        self.wrapping_sub(other)
    }
}

/// Writes the EXIF directory and returns where it is.
pub fn exif_directory(
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
    if let Some(v) = &facts.lens {
        directory.write_tag(tag(0xa434), v.as_str())?;
    }
    Ok(directory.finish_with_offsets()?.offset)
}

/// A positive number as a fraction that keeps four digits of it.
fn ratio(value: f64) -> Rational {
    let d = if value < 0.1 { 1_000_000 } else { 1000 };
    Rational { n: (value * d as f64).round() as u32, d }
}
