//! PNG files.

use super::decode::{Colours, Decode, Opened};
use super::exif;
use super::layout::Layout;
use super::rows::Rows;
use crate::colour::Encoding;
use crate::facts::{Facts, FileFormat};
use crate::{PictureError, limits, regular};
use png::{
    BitDepth, ColorType, DecodeOptions, Decoder, DecodingError, Info, Reader, Transformations, Unit,
};
use std::fs::File;
use std::io::{BufReader, ErrorKind};
use std::path::{Path, PathBuf};

struct Png {
    path: PathBuf,
    reader: Reader<BufReader<File>>,
    width: u32,
    sixteen_bit: bool,
    layout: Layout,
}

pub fn open(path: &Path) -> Result<Opened, PictureError> {
    let file = BufReader::new(regular::open(path)?);
    // A damaged chunk about colours must be an error, because the colours would be wrong without
    // it.
    let mut options = DecodeOptions::default();
    options.set_skip_ancillary_crc_failures(false);
    let mut decoder = Decoder::new_with_options(file, options);
    decoder.set_transformations(Transformations::EXPAND);
    let header = decoder.read_header_info().map_err(|e| failed(path, e))?;
    let (width, height) = limits::check(path, header.width as u64, header.height as u64)?;
    let reader = decoder.read_info().map_err(|e| failed(path, e))?;
    let (colour, depth) = reader.output_color_type();
    let layout = match colour {
        ColorType::Grayscale => Layout::Grey { stride: 1 },
        ColorType::GrayscaleAlpha => Layout::Grey { stride: 2 },
        ColorType::Rgb => Layout::Rgb { stride: 3 },
        ColorType::Rgba => Layout::Rgb { stride: 4 },
        ColorType::Indexed => return Err(PictureError::unsupported(path, "a PNG with a palette")),
    };
    let sixteen_bit = depth == BitDepth::Sixteen;
    let mut facts = Facts::bare(FileFormat::Png, width, height, if sixteen_bit { 16 } else { 8 });
    let info = reader.info();
    let said = match &info.exif_metadata {
        Some(block) => exif::of_block(block, &mut facts),
        None => exif::ExifHints::NOTHING,
    };
    let colours = colours(path, info, said.encoding)?;
    if let (None, Some(size)) = (facts.details.per_inch, info.pixel_dims) {
        // The chunk counts pixels per metre.
        let inch = |per_metre: u32| f64::from(per_metre) * 0.0254;
        facts.details.per_inch =
            (size.unit == Unit::Meter).then(|| [inch(size.xppu), inch(size.yppu)]);
    }
    Ok(Opened {
        facts,
        colours,
        orientation: said.orientation,
        decoder: Box::new(Png { path: path.to_owned(), reader, width, sixteen_bit, layout }),
    })
}

/// The colours, by the first entry present of: code points, a profile, sRGB, and primaries with a
/// gamma, in the order of the standard (PNG 3, section 4.3).
fn colours(path: &Path, info: &Info, by_exif: Option<Encoding>) -> Result<Colours, PictureError> {
    if let Some(points) = info.coding_independent_code_points {
        let numbers =
            [points.color_primaries, points.transfer_function, points.matrix_coefficients];
        let full = points.is_video_full_range_image;
        return Ok(Colours::Encoding(Encoding::of_code_points(path, numbers, full)?));
    }
    if let Some(icc) = &info.icc_profile {
        return Ok(Colours::Icc(icc.to_vec()));
    }
    if info.srgb.is_some() {
        return Ok(Colours::Encoding(Encoding::srgb()));
    }
    // Without a gamma, primaries are not enough.
    let Some(gamma) = info.gama_chunk else { return Ok(Colours::of(None, by_exif)) };
    let primaries = info.chrm_chunk.map(|chroma| {
        [chroma.red, chroma.green, chroma.blue, chroma.white]
            .map(|(x, y)| [x.into_value(), y.into_value()])
    });
    let power = 1.0 / gamma.into_value();
    Ok(Colours::Encoding(Encoding::of_primaries(path, primaries, power)?))
}

impl Png {
    fn append(&self, source: &[u8], out: &mut Vec<u16>) {
        if self.sixteen_bit {
            let pairs = source.chunks_exact(2).map(|b| u16::from_be_bytes([b[0], b[1]]));
            self.layout.append(pairs, out);
        } else {
            self.layout.append_bytes(source, out);
        }
    }
}

impl Decode for Png {
    fn rows(mut self: Box<Self>, _: u32, rows: Rows) -> Result<(), PictureError> {
        let path = self.path.clone();
        let mut out = Vec::new();
        if self.reader.info().interlaced {
            let size = self.reader.output_buffer_size();
            let size = size.ok_or_else(|| PictureError::damaged(&path, "impossible size"))?;
            let mut whole = vec![0; size];
            self.reader.next_frame(&mut whole).map_err(|e| failed(&path, e))?;
            let bytes =
                self.layout.stride() * self.width as usize * (1 + self.sixteen_bit as usize);
            for (y, source) in whole.chunks_exact(bytes).enumerate() {
                out.clear();
                self.append(source, &mut out);
                rows(y as u32, &out)?;
            }
            return Ok(());
        }
        for y in 0.. {
            let source = match self.reader.next_row().map_err(|e| failed(&path, e))? {
                Some(row) => row.data().to_vec(),
                None => break,
            };
            out.clear();
            self.append(&source, &mut out);
            rows(y, &out)?;
        }
        Ok(())
    }
}

fn failed(path: &Path, error: DecodingError) -> PictureError {
    let have = std::fs::metadata(path).map(|m| m.len()).unwrap_or(0);
    match error {
        DecodingError::IoError(e) if e.kind() == ErrorKind::UnexpectedEof => {
            PictureError::Truncated { path: path.to_owned(), have, need: have + 1 }
        }
        DecodingError::IoError(reason) => PictureError::Io { path: path.to_owned(), reason },
        e => match e.to_string() {
            sum if sum.starts_with("CRC error") => {
                PictureError::damaged(path, "a part of it does not match its checksum")
            }
            part if part.contains("ChunkType") => {
                PictureError::damaged(path, "a part of it is none that a PNG has")
            }
            other => PictureError::damaged(path, other),
        },
    }
}
