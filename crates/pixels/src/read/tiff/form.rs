//! How the samples of a TIFF picture are stored. Unknown properties are refused by name.

use super::directory::{Directories, Directory, tag};
use crate::read::layout::Layout;
use crate::{PictureError, limits};
use std::path::Path;

/// The type of one sample.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    U8,
    U16,
    U32,
    F16,
    F32,
    F64,
}

impl Kind {
    /// Bytes of one sample.
    pub fn bytes(self) -> usize {
        match self {
            Self::U8 => 1,
            Self::U16 | Self::F16 => 2,
            Self::U32 | Self::F32 => 4,
            Self::F64 => 8,
        }
    }

    /// Whether it is a floating-point number.
    pub fn is_float(self) -> bool {
        matches!(self, Self::F16 | Self::F32 | Self::F64)
    }
}

/// How the bytes of a strip or tile are compressed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Packing {
    None,
    Lzw,
    Deflate,
    PackBits,
    Zstd,
    /// JPEG; YCbCr samples become red, green and blue if that is what the file holds.
    Jpeg {
        ycbcr: bool,
    },
}

/// The predictor: what is stored instead of samples.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Predictor {
    None,
    /// Differences to the left neighbour.
    Differences,
    /// Differences of the bytes of floating-point numbers, the highest bytes of a row first.
    Floats,
}

/// How a picture is stored.
#[derive(Debug, Clone)]
pub struct Form {
    pub width: u32,
    pub height: u32,
    pub kind: Kind,
    /// The samples of a pixel that are stored together, and which are red, green and blue.
    pub layout: Layout,
    /// Whether red, green and blue are stored in separate strips or tiles.
    pub apart: bool,
    /// Whether 0 is white.
    pub inverted: bool,
    /// Whether the bits of each byte are in reverse order.
    pub reversed: bool,
    pub big_endian: bool,
    pub packing: Packing,
    pub predictor: Predictor,
    /// Width and height of a tile, or of a strip.
    pub chunk: (u32, u32),
    pub tiled: bool,
    /// Offset and length of each strip or tile in the file.
    pub places: Vec<(u64, u64)>,
    /// Tables that all JPEG strips share.
    pub tables: Vec<u8>,
}

impl Form {
    /// The storage of a directory's picture.
    ///
    /// # Errors
    /// [`PictureError::Unsupported`] for unknown properties, [`PictureError::Damaged`] if the
    /// directory contradicts itself, [`PictureError::Truncated`] if the file ends before its pixels
    /// do; sizes beyond [`crate::limits`] are refused.
    pub fn of(path: &Path, all: &Directories, directory: &Directory) -> Result<Self, PictureError> {
        let number = |tag: u16, usual: u64| Ok(all.first_number(directory, tag)?.unwrap_or(usual));
        let refuse = |what: String| PictureError::unsupported(path, what);
        let damaged = |what: &str| PictureError::damaged(path, what);
        let (width, height) = (number(tag::WIDTH, 0)?, number(tag::HEIGHT, 0)?);
        let (width, height) = limits::check(path, width, height)?;
        let samples = number(tag::SAMPLES, 1)?;
        if !(1..=64).contains(&samples) {
            return Err(refuse(format!("a TIFF with {samples} samples for each pixel")));
        }
        let kind = kind(path, all, directory)?;
        let packing = packing(path, number(tag::COMPRESSION, 1)?, number(tag::PHOTOMETRIC, 1)?)?;
        let predictor = match number(tag::PREDICTOR, 1)? {
            1 => Predictor::None,
            2 => Predictor::Differences,
            3 if kind.is_float() => Predictor::Floats,
            other => return Err(refuse(format!("a TIFF with predictor {other}"))),
        };
        let (inverted, colours) = match number(tag::PHOTOMETRIC, 1)? {
            0 => (true, 1),
            1 => (false, 1),
            2 => (false, 3),
            6 if matches!(packing, Packing::Jpeg { .. }) => (false, 3),
            other => return Err(refuse(format!("a TIFF in {}", photometric(other)))),
        };
        if samples < colours {
            return Err(damaged("it has fewer samples for each pixel than colours"));
        }
        let apart = match number(tag::PLANAR, 1)? {
            1 => false,
            2 => samples > 1,
            other => return Err(refuse(format!("a TIFF with its samples arranged as {other}"))),
        };
        if matches!(packing, Packing::Jpeg { .. })
            && (kind != Kind::U8 || predictor != Predictor::None || samples != colours || apart)
        {
            return Err(refuse("JPEG within a TIFF other than 8-bit grey or colour".to_owned()));
        }
        let stride = samples as usize;
        let layout = match (colours, apart) {
            (3, _) => Layout::Rgb { stride: if apart { 3 } else { stride } },
            (_, false) => Layout::Grey { stride },
            (_, true) => Layout::Grey { stride: 1 },
        };
        let reversed = match number(tag::FILL_ORDER, 1)? {
            1 => false,
            2 => true,
            other => return Err(refuse(format!("a TIFF with bits in order {other}"))),
        };
        let (chunk, tiled) = chunk(path, all, directory, (width, height))?;
        let across = u64::from(width.div_ceil(chunk.0));
        let planes = if apart { colours } else { 1 };
        let needed = across * u64::from(height.div_ceil(chunk.1)) * planes;
        let pixel = kind.bytes() as u64 * if apart { 1 } else { samples };
        let row = u64::from(chunk.0) * pixel;
        let mut places = places(path, all, directory, tiled)?;
        if places.is_empty() && packing == Packing::None && !tiled {
            // Old writers omitted the lengths, which plain strips do not need.
            let offsets = all.numbers(directory, tag::STRIP_OFFSETS)?.unwrap_or_default();
            let length = |i: usize| {
                let first = i as u64 * u64::from(chunk.1) % u64::from(height);
                row * u64::from(chunk.1).min(u64::from(height) - first)
            };
            places = offsets.into_iter().enumerate().map(|(i, at)| (at, length(i))).collect();
        }
        if (places.len() as u64) < needed {
            return Err(damaged("some of its strips or tiles are missing"));
        }
        places.truncate(needed as usize);
        let need = places.iter().map(|(at, length)| at.saturating_add(*length)).max().unwrap_or(0);
        if need > all.length {
            let path = path.to_owned();
            return Err(PictureError::Truncated { path, have: all.length, need });
        }
        let tables =
            all.value(directory, tag::JPEG_TABLES)?.map(|(_, bytes)| bytes).unwrap_or_default();
        let big_endian = all.is_big_endian();
        let form = Self {
            width,
            height,
            kind,
            layout,
            apart,
            inverted,
            reversed,
            big_endian,
            packing,
            predictor,
            chunk,
            tiled,
            places,
            tables,
        };
        Ok(form.in_smaller_strips())
    }

    /// Samples of a pixel that are stored together in a strip or tile.
    pub fn together(&self) -> usize {
        if self.apart { 1 } else { self.layout.stride() }
    }

    /// Bytes of one row of a strip or tile.
    pub fn row_bytes(&self) -> usize {
        self.chunk.0 as usize * self.together() * self.kind.bytes()
    }

    /// Cuts plain strips into small ones, since any of their rows can be read alone; so memory
    /// stays small however the file is cut.
    fn in_smaller_strips(mut self) -> Self {
        const BYTES: u64 = 1 << 20;
        let row = self.row_bytes() as u64;
        let rows = ((BYTES / row).max(1) as u32).min(self.chunk.1);
        if self.packing != Packing::None || self.tiled || self.apart || rows >= self.chunk.1 {
            return self;
        }
        let mut places = vec![];
        for (i, (at, length)) in self.places.iter().enumerate() {
            let first = i as u32 * self.chunk.1;
            let height = self.chunk.1.min(self.height - first);
            for y in (0..height).step_by(rows as usize) {
                let (from, some) = (u64::from(y) * row, u64::from(rows.min(height - y)) * row);
                places.push((at + from, some.min(length.saturating_sub(from))));
            }
        }
        // Strips that do not end with a small strip would not fit one grid.
        if self.chunk.1.is_multiple_of(rows) || self.places.len() == 1 {
            self.places = places;
            self.chunk.1 = rows;
        }
        self
    }
}

fn kind(path: &Path, all: &Directories, directory: &Directory) -> Result<Kind, PictureError> {
    let same = |tag: u16, usual: u64, what: &str| -> Result<u64, PictureError> {
        let values = all.numbers(directory, tag)?.unwrap_or_default();
        let first = values.first().copied().unwrap_or(usual);
        match values.iter().all(|value| *value == first) {
            true => Ok(first),
            false => Err(PictureError::unsupported(path, format!("a TIFF with samples of {what}"))),
        }
    };
    let bits = same(tag::BITS, 1, "different sizes")?;
    let format = same(tag::SAMPLE_FORMAT, 1, "different kinds")?;
    let what = match (format, bits) {
        (1, 8) => return Ok(Kind::U8),
        (1, 16) => return Ok(Kind::U16),
        (1, 32) => return Ok(Kind::U32),
        (3, 16) => return Ok(Kind::F16),
        (3, 32) => return Ok(Kind::F32),
        (3, 64) => return Ok(Kind::F64),
        (1, bits) => format!("a TIFF of {bits} bit"),
        (3, bits) => format!("a TIFF of {bits}-bit floating-point numbers"),
        (2, _) => "a TIFF of numbers with a sign".to_owned(),
        (5 | 6, _) => "a TIFF of complex numbers".to_owned(),
        (other, _) => format!("a TIFF with samples of kind {other}"),
    };
    Err(PictureError::unsupported(path, what))
}

fn packing(path: &Path, compression: u64, photometric: u64) -> Result<Packing, PictureError> {
    let name = match compression {
        1 => return Ok(Packing::None),
        5 => return Ok(Packing::Lzw),
        7 => return Ok(Packing::Jpeg { ycbcr: photometric == 6 }),
        8 | 32_946 => return Ok(Packing::Deflate),
        32_773 => return Ok(Packing::PackBits),
        50_000 => return Ok(Packing::Zstd),
        2..=4 | 32_771 => "fax codes".to_owned(),
        6 => "JPEG of the old kind".to_owned(),
        34_661 => "JBIG".to_owned(),
        34_712 => "JPEG 2000".to_owned(),
        34_887 => "LERC".to_owned(),
        34_925 => "LZMA".to_owned(),
        34_933 => "PNG".to_owned(),
        34_934 => "JPEG XR".to_owned(),
        50_001 => "WebP".to_owned(),
        50_002 | 52_546 => "JPEG XL".to_owned(),
        other => format!("method {other}"),
    };
    let what = format!("a TIFF that is compressed by {name}");
    let remedy = "save it without compression, or with LZW, deflate or Zstandard";
    Err(PictureError::unsupported_so(path, what, remedy))
}

fn photometric(value: u64) -> String {
    match value {
        3 => "colours of a palette".to_owned(),
        4 => "black and transparent".to_owned(),
        5 => "CMYK".to_owned(),
        6 => "YCbCr".to_owned(),
        8..=10 => "Lab".to_owned(),
        32_803 => "the mosaic of a sensor".to_owned(),
        32_844 | 32_845 => "LogLuv".to_owned(),
        34_892 => "a sensor's own colours".to_owned(),
        other => format!("colours of kind {other}"),
    }
}

/// Width and height of a tile, or of a strip, and whether it is a tile.
fn chunk(
    path: &Path,
    all: &Directories,
    directory: &Directory,
    (width, height): (u32, u32),
) -> Result<((u32, u32), bool), PictureError> {
    let side = |tag: u16| all.first_number(directory, tag);
    if let (Some(columns), Some(row_count)) = (side(tag::TILE_WIDTH)?, side(tag::TILE_HEIGHT)?) {
        let area = columns.saturating_mul(row_count);
        let most = (2 * u64::from(width) * u64::from(height)).max(4096 * 4096);
        if area == 0 || area > most {
            return Err(PictureError::damaged(path, "its tiles have no possible size"));
        }
        return Ok(((columns as u32, row_count as u32), true));
    }
    let rows = side(tag::ROWS_PER_STRIP)?.unwrap_or(height.into());
    match rows {
        0 => Err(PictureError::damaged(path, "its strips have no rows")),
        rows => Ok(((width, rows.min(height.into()) as u32), false)),
    }
}

fn places(
    path: &Path,
    all: &Directories,
    directory: &Directory,
    tiled: bool,
) -> Result<Vec<(u64, u64)>, PictureError> {
    let (at, length) = match tiled {
        true => (tag::TILE_OFFSETS, tag::TILE_LENGTHS),
        false => (tag::STRIP_OFFSETS, tag::STRIP_LENGTHS),
    };
    // Some files describe tiles by the tags of strips.
    let numbers = |tag: u16, other: u16| -> Result<Vec<u64>, PictureError> {
        let own_numbers = all.numbers(directory, tag)?;
        Ok(own_numbers
            .map_or_else(|| all.numbers(directory, other), |numbers| Ok(Some(numbers)))?
            .unwrap_or_default())
    };
    let at = numbers(at, tag::STRIP_OFFSETS)?;
    if at.is_empty() {
        return Err(PictureError::damaged(path, "it does not say where its pixels are"));
    }
    let length = numbers(length, tag::STRIP_LENGTHS)?;
    Ok(at.into_iter().zip(length).collect())
}
