//! FITS files of one grey or colour picture in linear light (FITS standard 4.0).

use super::decode::{Colours, Decode, Opened};
use super::guarded::guarded;
use super::layout::widened;
use super::orientation::Orientation;
use super::rows::{LightRows, Rows, RowsOf};
use crate::colour::Encoding;
use crate::facts::{Facts, FileFormat};
use crate::{PictureError, limits, regular};
use fitsrs::card::Value;
use fitsrs::hdu::header::Header;
use fitsrs::hdu::header::extension::image::Image;
use fitsrs::{Fits, HDU, Pixels};
use std::fs::File;
use std::io::BufReader;
use std::path::{Path, PathBuf};

struct FitsFile {
    path: PathBuf,
    size: (u32, u32),
    /// 1 or 3, one plane after the other.
    planes: usize,
    kind: Kind,
}

/// The type of the numbers.
#[derive(Clone, Copy, PartialEq)]
enum Kind {
    /// 8 bit, from 0 on.
    Bytes,
    /// 16 bit unsigned: stored signed, with an offset of 32768.
    Words,
    /// Floating-point numbers; scale and offset give black and white.
    Floats { scale: f64, zero: f64 },
}

const REMEDY: &str = "save it as a TIFF of 16 bit or of floating-point numbers";

pub fn open(path: &Path) -> Result<Opened, PictureError> {
    let refuse = |what: &str| PictureError::unsupported_so(path, what, REMEDY);
    let header = guarded(path, || header(path))?;
    let number = |key: &str| match header.get(key) {
        Some(Value::Integer { value, .. }) => Some(*value as f64),
        Some(Value::Float { value, .. }) => Some(*value),
        _ => None,
    };
    let text = |key: &str| match header.get(key) {
        Some(Value::String { value, .. }) => Some(value.trim().to_owned()),
        _ => None,
    };
    let axes = header.get_xtension().get_naxis();
    let (width, height, planes) = match *axes {
        [width, height] => (width, height, 1),
        [width, height, planes @ (1 | 3)] => (width, height, planes as usize),
        _ => return Err(refuse("a FITS file that is no picture of one or three planes")),
    };
    let size = limits::check(path, width, height)?;
    if ["BAYERPAT", "COLORTYP", "CFATYPE"].iter().any(|key| text(key).is_some()) {
        return Err(refuse("a FITS file of a sensor's mosaic"));
    }
    let (scale, zero) = (number("BSCALE").unwrap_or(1.0), number("BZERO").unwrap_or(0.0));
    use fitsrs::hdu::header::Bitpix;
    let kind = match (header.get_xtension().get_bitpix(), scale, zero) {
        (Bitpix::U8, 1.0, 0.0) => Kind::Bytes,
        (Bitpix::I16, 1.0, 32_768.0) => Kind::Words,
        (Bitpix::F32 | Bitpix::F64, scale, zero) if scale.is_finite() && zero.is_finite() => {
            Kind::Floats { scale, zero }
        }
        _ => {
            return Err(refuse(
                "a FITS file of numbers other than 8 or 16 bit from 0 on, or floating-point ones,",
            ));
        }
    };
    let bits = match kind {
        Kind::Bytes => 8,
        Kind::Words => 16,
        Kind::Floats { .. } => 32,
    };
    // Numbers are stored uncompressed, so a file with fewer bytes cannot hold them.
    let sample = header.get_xtension().get_bitpix().byte_size() as u64;
    let need = width * height * planes as u64 * sample;
    let have = std::fs::metadata(path).map_err(PictureError::io(path))?.len();
    if have < need {
        return Err(PictureError::Truncated { path: path.to_owned(), have, need });
    }
    let positive = |key: &str| number(key).filter(|v| v.is_finite() && *v > 0.0);
    let bare = Facts::bare(FileFormat::Fits, size.0, size.1, bits);
    let facts = Facts {
        float: matches!(kind, Kind::Floats { .. }),
        exposure_s: positive("EXPTIME").or_else(|| positive("EXPOSURE")),
        focal_mm: positive("FOCALLEN"),
        taken: text("DATE-OBS").and_then(|text| taken(&text)),
        camera: text("INSTRUME").filter(|name| !name.is_empty()),
        ..bare
    };
    // The first row is the lowest one, unless the file says otherwise.
    let from_above = text("ROWORDER").is_some_and(|order| order.eq_ignore_ascii_case("top-down"));
    let orientation = Orientation::from_tag(if from_above { 1 } else { 4 });
    let decoder = Box::new(FitsFile { path: path.to_owned(), size, planes, kind });
    Ok(Opened { facts, colours: Colours::Encoding(Encoding::linear_srgb()), orientation, decoder })
}

/// The time in the form of [`Facts::taken`], from `2026-03-14T22:10:05`.
fn taken(text: &str) -> Option<String> {
    let (day, time) = text.split_once('T')?;
    Facts::time_from_exif(&format!("{} {}", day.replace('-', ":"), time.get(..8)?))
}

fn opened(path: &Path) -> Result<Fits<BufReader<File>>, PictureError> {
    Ok(Fits::from_reader(BufReader::with_capacity(1 << 20, regular::open(path)?)))
}

fn header(path: &Path) -> Result<Header<Image>, PictureError> {
    match opened(path)?.next() {
        Some(Ok(HDU::Primary(hdu))) => Ok(hdu.get_header().clone()),
        Some(Err(_)) => Err(PictureError::damaged(path, "its header cannot be read")),
        _ => Err(PictureError::unsupported_so(path, "a FITS file without a picture", REMEDY)),
    }
}

impl FitsFile {
    /// All numbers, plane after plane, converted by the function for their type.
    fn numbers<T: Copy>(
        &self,
        word: impl Fn(i16) -> T,
        byte: impl Fn(u8) -> T,
        float: impl Fn(f64) -> T,
    ) -> Result<Vec<T>, PictureError> {
        let path = &self.path;
        guarded(path, || {
            let mut file = opened(path)?;
            let Some(Ok(HDU::Primary(hdu))) = file.next() else {
                return Err(PictureError::damaged(path, "its header cannot be read"));
            };
            let all: Vec<T> = match file.get_data(&hdu).pixels() {
                Pixels::U8(all) => all.map(byte).collect(),
                Pixels::I16(all) => all.map(word).collect(),
                Pixels::F32(all) => all.map(|v| float(v.into())).collect(),
                Pixels::F64(all) => all.map(float).collect(),
                Pixels::I32(_) | Pixels::I64(_) => vec![],
            };
            let need = self.size.0 as usize * self.size.1 as usize * self.planes;
            match all.len() == need {
                true => Ok(all),
                false => Err(PictureError::damaged(path, "it ends before its last row")),
            }
        })
    }

    /// Passes on planes as interleaved rows.
    fn give<T: Copy>(
        &self,
        planes: &[T],
        row_count: u32,
        rows: RowsOf<T>,
    ) -> Result<(), PictureError> {
        let (width, height) = self.size;
        let area = width as usize * height as usize;
        let plane = |colour: usize| &planes[if self.planes == 3 { colour * area } else { 0 }..];
        let all = [plane(0), plane(1), plane(2)];
        let mut band = Vec::new();
        for y in (0..height).step_by(row_count as usize) {
            band.clear();
            let from = y as usize * width as usize;
            let pixels = from..from + row_count.min(height - y) as usize * width as usize;
            band.extend(pixels.flat_map(|i| all.map(|plane| plane[i])));
            rows(y, &band)?;
        }
        Ok(())
    }
}

impl Decode for FitsFile {
    fn rows(self: Box<Self>, height: u32, rows: Rows) -> Result<(), PictureError> {
        let codes = self.numbers(|v| (i32::from(v) + 32_768) as u16, widened, |_| 0)?;
        self.give(&codes, height, rows)
    }

    fn decoding_bytes(&mut self) -> Option<u64> {
        let sample = if self.is_float() { 4 } else { 2 };
        Some(u64::from(self.size.0) * u64::from(self.size.1) * self.planes as u64 * sample)
    }

    fn is_float(&self) -> bool {
        matches!(self.kind, Kind::Floats { .. })
    }

    fn floats(self: Box<Self>, rows: LightRows) -> Result<(), PictureError> {
        let Kind::Floats { scale, zero } = self.kind else { return Ok(()) };
        let light = self.numbers(|_| 0.0, |_| 0.0, |v| (v * scale + zero) as f32)?;
        self.give(&light, crate::tiled::SIDE, rows)
    }
}
