use super::strips::{Coding, Strips};
use super::{Decode, Layout, Opened, Rows, exif};
use crate::facts::{Facts, FileFormat};
use crate::{PictureError, limits};
use std::fs::File;
use std::io::BufReader;
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
}

pub fn open(path: &Path) -> Result<Opened, PictureError> {
    let file = File::open(path).map_err(PictureError::io(path))?;
    let have = file.metadata().map_err(PictureError::io(path))?.len();
    let failed = |e| failed(path, have, e);
    let mut decoder = Decoder::new(BufReader::new(file)).map_err(failed)?;
    let (width, height) = decoder.dimensions().map_err(failed)?;
    let (width, height) = limits::check(path, width as u64, height as u64)?;
    // One strip may hold the whole picture: 16 bit, four channels.
    let mut bounds = Limits::default();
    bounds.decoding_buffer_size = width as usize * height as usize * 8;
    bounds.intermediate_buffer_size = bounds.decoding_buffer_size;
    bounds.ifd_value_size = 16 << 20;
    let mut decoder = decoder.with_limits(bounds);

    let (bits, layout) = match decoder.colortype().map_err(failed)? {
        ColorType::Gray(bits @ (8 | 16)) => (bits, Layout::Grey { stride: 1 }),
        // Grey with opacity is told in either way.
        ColorType::GrayA(bits @ (8 | 16))
        | ColorType::Multiband { bit_depth: bits @ (8 | 16), num_samples: 2 } => {
            (bits, Layout::Grey { stride: 2 })
        }
        ColorType::RGB(bits @ (8 | 16)) => (bits, Layout::Rgb { stride: 3 }),
        ColorType::RGBA(bits @ (8 | 16)) => (bits, Layout::Rgb { stride: 4 }),
        other => {
            return Err(PictureError::unsupported(path, format!("a TIFF with samples {other:?}")));
        }
    };
    let stored: Option<u16> =
        decoder.find_tag_unsigned(Tag::PlanarConfiguration).map_err(failed)?;
    if stored == Some(2) && matches!(layout, Layout::Rgb { .. }) {
        return Err(PictureError::unsupported(path, "a TIFF with its colours stored apart"));
    }
    check_whole(path, have, &mut decoder)?;
    let mut facts = Facts::bare(FileFormat::Tiff, width, height, bits);
    read_facts(&mut decoder, &mut facts);
    let icc = decoder.get_tag_u8_vec(Tag::IccProfile).ok();
    let tiff = Tiff { path: path.to_owned(), decoder, width, height, bits, layout };
    Ok(Opened { facts, icc, decoder: Box::new(tiff) })
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
        if decoder.get_chunk_type() != ChunkType::Strip {
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
        let (chunk_width, chunk_height) = self.decoder.chunk_dimensions();
        let across = self.width.div_ceil(chunk_width);
        let mut band = Vec::new();
        let mut y = 0;
        while y < self.height {
            let tall = chunk_height.min(self.height - y);
            band.clear();
            if across == 1 {
                let data = self.chunk(y / chunk_height)?;
                if let (DecodingResult::U16(samples), Layout::Rgb { stride: 3 }) =
                    (&data, self.layout)
                    && samples.len() == self.width as usize * 3 * tall as usize
                {
                    rows(y, samples)?;
                    y += tall;
                    continue;
                }
                self.append(&data, 0..usize::MAX, &mut band);
            } else {
                let first = (y / chunk_height) * across;
                let mut parts = Vec::new();
                for index in first..first + across {
                    let wide = self.decoder.chunk_data_dimensions(index).0 as usize;
                    parts.push((wide * self.layout.stride(), self.chunk(index)?));
                }
                for row in 0..tall as usize {
                    for (wide, data) in &parts {
                        self.append(data, row * wide..(row + 1) * wide, &mut band);
                    }
                }
            }
            if band.len() != self.width as usize * 3 * tall as usize {
                return Err(PictureError::damaged(&self.path, "a strip of the wrong length"));
            }
            rows(y, &band)?;
            y += tall;
        }
        Ok(())
    }
}

impl Tiff {
    fn chunk(&mut self, index: u32) -> Result<DecodingResult, PictureError> {
        let have = std::fs::metadata(&self.path).map(|m| m.len()).unwrap_or(0);
        self.decoder.read_chunk(index).map_err(|e| failed(&self.path, have, e))
    }

    fn append(&self, data: &DecodingResult, range: std::ops::Range<usize>, out: &mut Vec<u16>) {
        let clip = |len: usize| range.start.min(len)..range.end.min(len);
        match data {
            DecodingResult::U8(v) => self.layout.append_bytes(&v[clip(v.len())], out),
            DecodingResult::U16(v) => self.layout.append(v[clip(v.len())].iter().copied(), out),
            _ => {}
        }
    }
}

fn failed(path: &Path, have: u64, error: TiffError) -> PictureError {
    match error {
        TiffError::IoError(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => {
            PictureError::Truncated { path: path.to_owned(), have, need: have + 1 }
        }
        TiffError::IoError(source) => PictureError::Io { path: path.to_owned(), source },
        TiffError::UnsupportedError(e) => {
            PictureError::unsupported(path, format!("this TIFF ({e})"))
        }
        e => PictureError::damaged(path, e),
    }
}
