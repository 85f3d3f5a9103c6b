use super::orientation::Orientation;
use super::{Decode, Layout, Opened, Rows, exif};
use crate::facts::{Facts, FileFormat};
use crate::{PictureError, limits};
use std::fs::File;
use std::io::BufReader;
use std::path::{Path, PathBuf};
use zune_jpeg::JpegDecoder;
use zune_jpeg::zune_core::bytestream::{ZByteReaderTrait, ZCursor};
use zune_jpeg::zune_core::colorspace::ColorSpace;
use zune_jpeg::zune_core::options::DecoderOptions;

struct Jpeg {
    path: PathBuf,
    width: usize,
}

/// A decoder of what `source` holds.
fn decoder<T: ZByteReaderTrait>(source: T) -> JpegDecoder<T> {
    let options = DecoderOptions::default()
        .set_max_width(limits::MAX_SIDE as usize)
        .set_max_height(limits::MAX_SIDE as usize)
        .set_strict_mode(true)
        .jpeg_set_out_colorspace(ColorSpace::RGB);
    JpegDecoder::new_with_options(source, options)
}

pub fn open(path: &Path) -> Result<Opened, PictureError> {
    let file = BufReader::new(File::open(path).map_err(PictureError::io(path))?);
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
        return Err(PictureError::unsupported(path, "a JPEG in CMYK"));
    }
    let mut facts = Facts::bare(FileFormat::Jpeg, width, height, 8);
    let orientation = match decoder.exif() {
        Some(block) => exif::apply(block, &mut facts),
        None => Orientation::UPRIGHT,
    };
    let icc = decoder.icc_profile();
    let jpeg = Jpeg { path: path.to_owned(), width: width as usize };
    Ok(Opened { facts, icc, orientation, decoder: Box::new(jpeg) })
}

impl Decode for Jpeg {
    fn rows(self: Box<Self>, tall: u32, rows: Rows) -> Result<(), PictureError> {
        // Bits are read faster from memory than through a buffer.
        let file = std::fs::read(&self.path).map_err(PictureError::io(&self.path))?;
        let bytes = decoder(ZCursor::new(file))
            .decode()
            .map_err(|e| PictureError::damaged(&self.path, format!("{e:?}")))?;
        let layout = Layout::Rgb { stride: 3 };
        let mut band = Vec::new();
        let tops = (0u32..).step_by(tall as usize);
        for (y, source) in tops.zip(bytes.chunks(self.width * 3 * tall as usize)) {
            band.clear();
            layout.append_bytes(source, &mut band);
            rows(y, &band)?;
        }
        Ok(())
    }
}
