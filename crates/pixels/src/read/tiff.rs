use super::orientation::Orientation;
use super::strips::{Coding, Strips};
use super::{Decode, Layout, LightRows, Opened, Rows, RowsOf, exif};
use crate::facts::{Facts, FileFormat};
use crate::{PictureError, limits};
use std::fs::File;
use std::io::BufReader;
use std::ops::Range;
use std::path::{Path, PathBuf};
use tiff::decoder::ifd::Value;
use tiff::decoder::{ChunkType, Decoder, DecodingResult, Limits};
use tiff::tags::{IfdPointer, Tag};
use tiff::{ColorType, TiffError};

type Inner = Decoder<BufReader<File>>;

struct Tiff {
    path: PathBuf,
    decoder: Inner,
    width: u32,
    height: u32,
    bits: u8,
    layout: Layout,
    float: bool,
}

pub fn open(path: &Path) -> Result<Opened, PictureError> {
    let file = File::open(path).map_err(PictureError::io(path))?;
    let have = file.metadata().map_err(PictureError::io(path))?.len();
    let failed = |e| failed(path, have, e);
    let mut decoder = Decoder::new(BufReader::new(file)).map_err(failed)?;
    let (width, height) = decoder.dimensions().map_err(failed)?;
    let (width, height) = limits::check(path, width as u64, height as u64)?;
    // One strip may hold the whole picture: 32 bit, four channels.
    let mut bounds = Limits::default();
    bounds.decoding_buffer_size = width as usize * height as usize * 16;
    bounds.intermediate_buffer_size = bounds.decoding_buffer_size;
    bounds.ifd_value_size = 16 << 20;
    let mut decoder = decoder.with_limits(bounds);

    let colours = decoder.colortype().map_err(failed)?;
    let (bits, layout) = match colours {
        ColorType::Gray(bits) => (bits, Layout::Grey { stride: 1 }),
        // Grey with opacity is told in either way.
        ColorType::GrayA(bits) | ColorType::Multiband { bit_depth: bits, num_samples: 2 } => {
            (bits, Layout::Grey { stride: 2 })
        }
        ColorType::RGB(bits) => (bits, Layout::Rgb { stride: 3 }),
        ColorType::RGBA(bits) => (bits, Layout::Rgb { stride: 4 }),
        _ => (0, Layout::Grey { stride: 1 }),
    };
    let kind: Option<u16> = decoder.get_tag_u16_vec(Tag::SampleFormat).ok().and_then(|kinds| {
        kinds.first().copied().filter(|first| kinds.iter().all(|kind| kind == first))
    });
    // 1 is whole numbers, also when nothing is told, and 3 floating-point numbers.
    let float = match (kind.unwrap_or(1), bits) {
        (1, 8 | 16 | 32) => false,
        (3, 16 | 32 | 64) => true,
        (kind, _) => {
            let what = format!("a TIFF with samples {colours:?} of kind {kind}");
            return Err(PictureError::unsupported(path, what));
        }
    };
    let stored: Option<u16> =
        decoder.find_tag_unsigned(Tag::PlanarConfiguration).map_err(failed)?;
    if stored == Some(2) && matches!(layout, Layout::Rgb { .. }) {
        return Err(PictureError::unsupported(path, "a TIFF with its colours stored apart"));
    }
    check_whole(path, have, &mut decoder)?;
    let mut facts = Facts { float, ..Facts::bare(FileFormat::Tiff, width, height, bits) };
    read_facts(&mut decoder, &mut facts);
    let orientation = decoder.find_tag_unsigned(Tag::Orientation).ok().flatten().unwrap_or(1);
    let icc = decoder.get_tag_u8_vec(Tag::IccProfile).ok();
    let tiff = Tiff { path: path.to_owned(), decoder, width, height, bits, layout, float };
    let orientation = Orientation::from_tag(orientation);
    Ok(Opened { facts, icc, orientation, decoder: Box::new(tiff) })
}

/// Whether the file is as long as its strips and tiles say.
fn check_whole(path: &Path, have: u64, decoder: &mut Inner) -> Result<(), PictureError> {
    let (at, long) = match decoder.get_chunk_type() {
        ChunkType::Strip => (Tag::StripOffsets, Tag::StripByteCounts),
        ChunkType::Tile => (Tag::TileOffsets, Tag::TileByteCounts),
    };
    let at = decoder.get_tag_u64_vec(at).map_err(|e| failed(path, have, e))?;
    let long = decoder.get_tag_u64_vec(long).map_err(|e| failed(path, have, e))?;
    let need = at.iter().zip(&long).map(|(a, l)| a.saturating_add(*l)).max().unwrap_or(0);
    if need > have {
        return Err(PictureError::Truncated { path: path.to_owned(), have, need });
    }
    Ok(())
}

/// Everything told here is optional, so whatever cannot be read is left out.
fn read_facts(decoder: &mut Inner, facts: &mut Facts) {
    let text = |decoder: &mut Inner, tag| decoder.get_tag_ascii_string(tag).ok();
    let (make, model) = (text(decoder, Tag::Make), text(decoder, Tag::Model));
    facts.camera = exif::camera(make, model);
    facts.taken = text(decoder, Tag::DateTime).and_then(|t| Facts::time_from_exif(&t));
    let Ok(Some(pointer)) = decoder.find_tag_unsigned::<u64>(Tag::ExifDirectory) else {
        return;
    };
    let Ok(directory) = decoder.read_directory(IfdPointer(pointer)) else {
        return;
    };
    let mut tags = decoder.read_directory_tags(&directory);
    let mut value = |tag: u16| tags.find_tag(Tag::from_u16_exhaustive(tag)).ok().flatten();
    facts.exposure_s = value(0x829a).and_then(rational);
    facts.aperture = value(0x829d).and_then(rational);
    facts.focal_mm = value(0x920a).and_then(rational);
    facts.iso = value(0x8827).and_then(|v| match v {
        Value::List(list) => list.into_iter().next()?.into_u32().ok(),
        v => v.into_u32().ok(),
    });
    let name = |value: Value| value.into_string().ok();
    facts.lens = exif::lens(value(0xa434).and_then(name));
    if let Some(Ok(taken)) = value(0x9003).map(Value::into_string) {
        facts.taken = Facts::time_from_exif(&taken).or(facts.taken.take());
    }
}

fn rational(value: Value) -> Option<f64> {
    let (n, d) = match value {
        Value::Rational(n, d) => (n, d),
        Value::List(list) => match list.first()? {
            Value::Rational(n, d) => (*n, *d),
            _ => return None,
        },
        _ => return None,
    };
    (d != 0 && n != 0).then(|| n as f64 / d as f64)
}

impl Decode for Tiff {
    fn strips(&mut self) -> Option<Strips> {
        let decoder = &mut self.decoder;
        if decoder.get_chunk_type() != ChunkType::Strip || self.float || self.bits > 16 {
            return None;
        }
        let mut number = |tag| decoder.find_tag_unsigned::<u16>(tag).ok();
        let deflate = match number(Tag::Compression)?.unwrap_or(1) {
            1 => false,
            8 | 32946 => true,
            _ => return None,
        };
        let differences = match number(Tag::Predictor)?.unwrap_or(1) {
            1 => false,
            2 => true,
            _ => return None,
        };
        if number(Tag::FillOrder)?.unwrap_or(1) != 1 {
            return None;
        }
        let rows_per_strip = decoder.chunk_dimensions().1.max(1);
        let at = decoder.get_tag_u64_vec(Tag::StripOffsets).ok()?;
        let long = decoder.get_tag_u64_vec(Tag::StripByteCounts).ok()?;
        let needed = self.height.div_ceil(rows_per_strip) as usize;
        if at.len() < needed || long.len() < needed {
            return None;
        }
        let coding = Coding {
            deflate,
            differences,
            big_endian: decoder.byte_order() == tiff::tags::ByteOrder::BigEndian,
            bytes_per_sample: self.bits as usize / 8,
        };
        let (path, width, height, layout) =
            (self.path.clone(), self.width, self.height, self.layout);
        let places = at.into_iter().zip(long).take(needed).collect();
        Some(Strips { path, width, height, layout, coding, rows_per_strip, places })
    }

    fn rows(mut self: Box<Self>, tall: u32, rows: Rows) -> Result<(), PictureError> {
        if let Some(strips) = self.strips() {
            return strips.rows(tall, rows);
        }
        self.chunks(Self::append, rows)
    }

    fn is_float(&self) -> bool {
        self.float
    }

    fn floats(mut self: Box<Self>, rows: LightRows) -> Result<(), PictureError> {
        self.chunks(Self::append_floats, rows)
    }
}

impl Tiff {
    fn chunk(&mut self, index: u32) -> Result<DecodingResult, PictureError> {
        let have = std::fs::metadata(&self.path).map(|m| m.len()).unwrap_or(0);
        self.decoder.read_chunk(index).map_err(|e| failed(&self.path, have, e))
    }

    fn append(&self, data: &DecodingResult, range: Range<usize>, out: &mut Vec<u16>) {
        let clip = |len: usize| range.start.min(len)..range.end.min(len);
        match data {
            DecodingResult::U8(v) => self.layout.append_bytes(&v[clip(v.len())], out),
            DecodingResult::U16(v) => self.layout.append(v[clip(v.len())].iter().copied(), out),
            DecodingResult::U32(v) => {
                self.layout.append(v[clip(v.len())].iter().map(|v| (v >> 16) as u16), out);
            }
            _ => {}
        }
    }

    fn append_floats(&self, data: &DecodingResult, range: Range<usize>, out: &mut Vec<f32>) {
        let clip = |len: usize| range.start.min(len)..range.end.min(len);
        match data {
            DecodingResult::F16(v) => {
                self.layout.append(v[clip(v.len())].iter().map(|v| v.to_f32()), out);
            }
            DecodingResult::F32(v) => self.layout.append(v[clip(v.len())].iter().copied(), out),
            DecodingResult::F64(v) => {
                self.layout.append(v[clip(v.len())].iter().map(|v| *v as f32), out);
            }
            _ => {}
        }
    }

    /// Calls `rows` with the rows of one row of strips or tiles after the other, made by `append`
    /// from parts of what was decoded.
    fn chunks<T>(
        &mut self,
        append: impl Fn(&Self, &DecodingResult, Range<usize>, &mut Vec<T>),
        rows: RowsOf<T>,
    ) -> Result<(), PictureError> {
        let (chunk_width, chunk_height) = self.decoder.chunk_dimensions();
        let across = self.width.div_ceil(chunk_width);
        let mut band = Vec::new();
        for y in (0..self.height).step_by(chunk_height as usize) {
            let tall = chunk_height.min(self.height - y);
            band.clear();
            let first = (y / chunk_height) * across;
            let mut parts = Vec::new();
            for index in first..first + across {
                let wide = self.decoder.chunk_data_dimensions(index).0 as usize;
                parts.push((wide * self.layout.stride(), self.chunk(index)?));
            }
            for row in 0..tall as usize {
                for (wide, data) in &parts {
                    append(self, data, row * wide..(row + 1) * wide, &mut band);
                }
            }
            if band.len() != self.width as usize * 3 * tall as usize {
                return Err(PictureError::damaged(&self.path, "a strip of the wrong length"));
            }
            rows(y, &band)?;
        }
        Ok(())
    }
}

fn failed(path: &Path, have: u64, error: TiffError) -> PictureError {
    match error {
        TiffError::IoError(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => {
            PictureError::Truncated { path: path.to_owned(), have, need: have + 1 }
        }
        TiffError::IoError(reason) => PictureError::Io { path: path.to_owned(), reason },
        TiffError::UnsupportedError(e) => {
            PictureError::unsupported(path, format!("this TIFF ({e})"))
        }
        e => PictureError::damaged(path, e),
    }
}
