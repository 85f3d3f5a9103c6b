//! JPEG files.

mod bits;
mod whole;

use super::decode::{Colours, Decode, Opened};
use super::exif;
use super::layout::Layout;
use super::rows::Rows;
use crate::facts::{Facts, FileFormat};
use crate::{PictureError, limits, regular};
use std::io::{BufReader, Read};
use std::path::{Path, PathBuf};
use whole::Damage;
use zune_jpeg::JpegDecoder;
use zune_jpeg::zune_core::bytestream::{ZByteReaderTrait, ZCursor};
use zune_jpeg::zune_core::colorspace::ColorSpace;
use zune_jpeg::zune_core::options::DecoderOptions;

struct Jpeg {
    path: PathBuf,
    width: usize,
}

/// A decoder of the data in `source`.
fn decoder<T: ZByteReaderTrait>(source: T) -> JpegDecoder<T> {
    let options = DecoderOptions::default()
        .set_max_width(limits::MAX_SIDE as usize)
        .set_max_height(limits::MAX_SIDE as usize)
        .set_strict_mode(true)
        .jpeg_set_out_colorspace(ColorSpace::RGB);
    JpegDecoder::new_with_options(source, options)
}

pub fn open(path: &Path) -> Result<Opened, PictureError> {
    let file = BufReader::new(regular::open(path)?);
    let mut decoder = decoder(file);
    decoder.decode_headers().map_err(|e| match e {
        zune_jpeg::errors::DecodeErrors::LargeDimensions(_) => PictureError::TooLarge {
            path: path.to_owned(),
            width: 65535,
            height: 65535,
            limit_mp: limits::MAX_PIXELS / 1_000_000,
        },
        e => PictureError::damaged(path, format!("{e:?}")),
    })?;
    let info = decoder.info().ok_or_else(|| PictureError::damaged(path, "no header"))?;
    let (width, height) = limits::check(path, info.width as u64, info.height as u64)?;
    if decoder.input_colorspace().is_some_and(|c| matches!(c, ColorSpace::CMYK | ColorSpace::YCCK))
    {
        let remedy = "convert it to RGB";
        return Err(PictureError::unsupported_so(path, "a JPEG in CMYK", remedy));
    }
    let mut facts = Facts::bare(FileFormat::Jpeg, width, height, 8);
    let said = match decoder.exif() {
        Some(block) => exif::of_block(block, &mut facts),
        None => exif::ExifHints::NOTHING,
    };
    let colours = Colours::of(decoder.icc_profile(), said.encoding);
    let jpeg = Jpeg { path: path.to_owned(), width: width as usize };
    Ok(Opened { facts, colours, orientation: said.orientation, decoder: Box::new(jpeg) })
}

/// The samples of a whole JPEG in memory, as TIFF strips contain it: as stored, or with YCbCr
/// converted to red, green and blue.
///
/// # Errors
/// [`PictureError::Damaged`].
pub fn samples(path: &Path, bytes: &[u8], ycbcr: bool) -> Result<Vec<u8>, PictureError> {
    whole::check(bytes).map_err(|damage| PictureError::damaged(path, damage.what))?;
    let mut decoder = decoder(ZCursor::new(bytes));
    let failed = |e| PictureError::damaged(path, format!("{e:?}"));
    decoder.decode_headers().map_err(failed)?;
    let stored = decoder.input_colorspace().unwrap_or(ColorSpace::RGB);
    let wanted = if ycbcr { ColorSpace::RGB } else { stored };
    let options = decoder.options().jpeg_set_out_colorspace(wanted);
    decoder.set_options(options);
    decoder.decode().map_err(failed)
}

impl Jpeg {
    fn damaged(&self, damage: &Damage) -> PictureError {
        let Damage { what, good, certain, height } = *damage;
        let most = if certain { "only the first" } else { "at most the first" };
        let reason = match good {
            None => what.to_owned(),
            Some(good) => format!("{what}; {most} {good} of its {height} rows are good"),
        };
        PictureError::damaged(&self.path, reason)
    }
}

impl Decode for Jpeg {
    fn rows(self: Box<Self>, height: u32, rows: Rows) -> Result<(), PictureError> {
        // Bits are read faster from memory than through a buffer.
        let mut file = Vec::new();
        let io = PictureError::io(&self.path);
        regular::open(&self.path)?.read_to_end(&mut file).map_err(io)?;
        // The decoder goes on over much damaged data, so the file is checked first.
        let decode = || decoder(ZCursor::new(&file)).decode();
        let (bytes, whole) = rayon::join(decode, || whole::check(&file));
        whole.map_err(|damage| self.damaged(&damage))?;
        let bytes = bytes.map_err(|e| PictureError::damaged(&self.path, format!("{e:?}")))?;
        let layout = Layout::Rgb { stride: 3 };
        let mut band = Vec::new();
        let tops = (0u32..).step_by(height as usize);
        for (y, source) in tops.zip(bytes.chunks(self.width * 3 * height as usize)) {
            band.clear();
            layout.append_bytes(source, &mut band);
            rows(y, &band)?;
        }
        Ok(())
    }
}
