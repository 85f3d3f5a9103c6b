//! TIFF files of whole numbers and of floating-point light.

use super::exif::{self, Look, Place, Value};
use super::picture::{BAND, Fill, FillLight, FillRows, Picture, narrow};
use crate::PictureError;
use flate2::Compression;
use flate2::write::ZlibEncoder;
use rayon::prelude::*;
use std::borrow::Cow;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;
use tiff::encoder::{DirectoryEncoder, Rational, TiffEncoder, TiffKindStandard, TiffValue};
use tiff::tags::{CompressionMethod, Predictor, Tag, Type};
use tiff::{TiffError, TiffResult};

type Out<'a> = BufWriter<&'a mut File>;
type Encoder<'a> = TiffEncoder<Out<'a>, TiffKindStandard>;
type Directory<'a, 'b> = DirectoryEncoder<'b, Out<'a>, TiffKindStandard>;

/// How samples are written.
#[derive(Clone, Copy)]
struct Samples {
    /// Bits of one.
    bits: u16,
    float: bool,
    deflate: bool,
}

pub fn write(
    path: &Path,
    file: &mut File,
    sixteen_bit: bool,
    deflate: bool,
    picture: &Picture,
    fill: Fill,
) -> Result<(), PictureError> {
    let samples = Samples { bits: if sixteen_bit { 16 } else { 8 }, float: false, deflate };
    let row = picture.width as usize * picture.channels;
    let channels = picture.channels;
    put(path, file, picture, samples, picture.encoding.icc(), fill, |band| {
        match (sixteen_bit, deflate) {
            (true, false) => ne_bytes(band, u16::to_ne_bytes),
            (false, false) => narrow(band),
            (true, true) => {
                let rows = band.chunks_exact(row);
                rows.flat_map(|row| differences(row, channels)).flat_map(u16::to_ne_bytes).collect()
            }
            (false, true) => {
                let band = narrow(band);
                band.chunks_exact(row).flat_map(|row| differences(row, channels)).collect()
            }
        }
    })
}

pub fn write_light(
    path: &Path,
    file: &mut File,
    picture: &Picture,
    fill: FillLight,
) -> Result<(), PictureError> {
    let samples = Samples { bits: 32, float: true, deflate: false };
    let linear = picture.encoding.linear();
    put(path, file, picture, samples, linear.icc(), fill, |band| ne_bytes(band, f32::to_ne_bytes))
}

/// Numbers as the machine has them in memory, which the file's first bytes tell.
fn ne_bytes<T: Copy, const N: usize>(numbers: &[T], to: impl Fn(T) -> [u8; N]) -> Vec<u8> {
    numbers.iter().flat_map(|number| to(*number)).collect()
}

pub fn begin<'a>(path: &Path, file: &'a mut File) -> Result<Encoder<'a>, PictureError> {
    TiffEncoder::new(BufWriter::with_capacity(1 << 20, file)).map_err(|e| failed(path, e))
}

pub fn failed(path: &Path, error: TiffError) -> PictureError {
    match error {
        TiffError::IoError(reason) => PictureError::Io { path: path.to_owned(), reason },
        e => PictureError::damaged(path, e),
    }
}

/// Writes strips, each made of the bytes that `convert` gives for a band of rows, and the directory
/// behind them.
fn put<T: Copy + Default + Send + Sync>(
    path: &Path,
    file: &mut File,
    picture: &Picture,
    samples: Samples,
    icc: &[u8],
    fill: FillRows<T>,
    convert: impl Fn(&[T]) -> Vec<u8> + Sync,
) -> Result<(), PictureError> {
    let failed = |e| failed(path, e);
    let mut encoder = begin(path, file)?;
    let look = Look {
        width: picture.width,
        height: picture.height,
        srgb: picture.encoding.is_srgb() && !samples.float,
        jpeg: false,
    };
    // Maps and masks are no photographs.
    let tags = match picture.channels {
        3 => exif::tags(picture.taken, look),
        _ => exif::tags(None, look),
    };
    let exif = directory_of(&mut encoder, &tags, Place::Exif).map_err(failed)?;
    let gps = directory_of(&mut encoder, &tags, Place::Gps).map_err(failed)?;
    let mut directory = encoder.image_directory().map_err(failed)?;
    let (mut offsets, mut lengths) = (Vec::new(), Vec::new());
    let pack = |band: &Vec<T>| -> std::io::Result<Vec<u8>> {
        let bytes = convert(band);
        if !samples.deflate {
            return Ok(bytes);
        }
        let mut packed = ZlibEncoder::new(Vec::new(), Compression::new(6));
        packed.write_all(&bytes)?;
        packed.finish()
    };
    let mut put = |bands: &mut Vec<Vec<T>>| {
        let packed: std::io::Result<Vec<Vec<u8>>> = bands.par_iter().map(pack).collect();
        bands.clear();
        for packed in packed.map_err(PictureError::io(path))? {
            let offset = directory.write_data(packed.as_slice()).map_err(failed)?;
            let end = offset + packed.len() as u64;
            // Some room for the directory behind the pixels.
            if end > u64::from(u32::MAX) - (1 << 20) {
                let what = "a TIFF of more than 4 GiB, as this would become,";
                return Err(PictureError::unsupported_so(path, what, "choose another format"));
            }
            if packed.len() % 2 == 1 {
                directory.write_data(0u8).map_err(failed)?;
            }
            offsets.push(offset as u32);
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
    let channels = picture.channels;
    let mut longs = |tag, value: &[u32]| match value {
        [one] => directory.write_tag(tag, *one).map_err(failed),
        many => directory.write_tag(tag, many).map_err(failed),
    };
    longs(Tag::ImageWidth, &[picture.width])?;
    longs(Tag::ImageLength, &[picture.height])?;
    longs(Tag::RowsPerStrip, &[BAND.min(picture.height)])?;
    longs(Tag::StripOffsets, &offsets)?;
    longs(Tag::StripByteCounts, &lengths)?;
    let mut shorts = |tag, value: &[u16]| match value {
        [one] => directory.write_tag(tag, *one).map_err(failed),
        many => directory.write_tag(tag, many).map_err(failed),
    };
    let compression = match samples.deflate {
        true => CompressionMethod::Deflate,
        false => CompressionMethod::None,
    };
    shorts(Tag::BitsPerSample, &vec![samples.bits; channels])?;
    shorts(Tag::SampleFormat, &vec![if samples.float { 3 } else { 1 }; channels])?;
    shorts(Tag::SamplesPerPixel, &[channels as u16])?;
    shorts(Tag::PhotometricInterpretation, &[if channels == 3 { 2 } else { 1 }])?;
    shorts(Tag::Compression, &[compression.to_u16()])?;
    if samples.deflate {
        shorts(Tag::Predictor, &[Predictor::Horizontal.to_u16()])?;
    }
    if channels == 3 {
        write_bytes(&mut directory, Tag::IccProfile, Undefined(icc)).map_err(failed)?;
    }
    write_tags(&mut directory, &tags, Place::Image).map_err(failed)?;
    for (tag, place) in [(Tag::ExifDirectory, exif), (Tag::GpsDirectory, gps)] {
        if let Some(place) = place {
            directory.write_tag(tag, place).map_err(failed)?;
        }
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

/// Writes the directory of the tags of one place and returns where it is; `None` where there are none.
pub fn directory_of(
    encoder: &mut Encoder,
    tags: &[(Place, u16, Value)],
    of: Place,
) -> TiffResult<Option<u32>> {
    // Those that a TIFF's own directory tells are left out, so that it may say nothing more.
    if tags.iter().all(|(place, ..)| *place != of) {
        return Ok(None);
    }
    let mut directory = encoder.extra_directory()?;
    write_tags(&mut directory, tags, of)?;
    Ok(Some(directory.finish_with_offsets()?.offset))
}

/// Writes the tags of one place into a directory.
pub fn write_tags(
    directory: &mut Directory,
    tags: &[(Place, u16, Value)],
    of: Place,
) -> TiffResult<()> {
    for (_, tag, value) in tags.iter().filter(|(place, ..)| *place == of) {
        let tag = Tag::from_u16_exhaustive(*tag);
        match value {
            Value::Text(text) => write_bytes(directory, tag, Text(text))?,
            Value::Bytes(bytes) => write_bytes(directory, tag, bytes.as_slice())?,
            Value::Undefined(bytes) => write_bytes(directory, tag, Undefined(bytes))?,
            Value::Shorts(all) => match all[..] {
                [one] => directory.write_tag(tag, one)?,
                _ => directory.write_tag(tag, all.as_slice())?,
            },
            Value::Long(value) => directory.write_tag(tag, *value)?,
            Value::Ratios(all) => {
                let all: Vec<Rational> =
                    all.iter().map(|[n, d]| Rational { n: *n, d: *d }).collect();
                match all.as_slice() {
                    [one] => directory.write_tag(tag, Rational { n: one.n, d: one.d })?,
                    many => directory.write_tag(tag, many)?,
                }
            }
        }
    }
    Ok(())
}

/// Writes a tag whose value is bytes, and lets what follows begin at an even place (TIFF 6.0, section 2).
pub fn write_bytes<T: TiffValue>(directory: &mut Directory, tag: Tag, value: T) -> TiffResult<()> {
    let length = value.bytes();
    directory.write_tag(tag, value)?;
    // Up to four bytes lie in the directory itself.
    if length > 4 && length % 2 == 1 {
        directory.write_data(0u8)?;
    }
    Ok(())
}

/// Text of any letters, in UTF-8, ended by a zero byte.
pub struct Text<'a>(pub &'a str);

impl TiffValue for Text<'_> {
    const BYTE_LEN: u8 = 1;
    const FIELD_TYPE: Type = Type::ASCII;

    fn count(&self) -> usize {
        self.0.len() + 1
    }

    fn data(&self) -> Cow<'_, [u8]> {
        let bytes = self.0.bytes().map(|byte| if byte == 0 { b' ' } else { byte });
        bytes.chain([0]).collect::<Vec<u8>>().into()
    }
}

/// Bytes without a meaning of their own.
struct Undefined<'a>(&'a [u8]);

impl TiffValue for Undefined<'_> {
    const BYTE_LEN: u8 = 1;
    const FIELD_TYPE: Type = Type::UNDEFINED;

    fn count(&self) -> usize {
        self.0.len()
    }

    fn data(&self) -> Cow<'_, [u8]> {
        self.0.into()
    }
}
