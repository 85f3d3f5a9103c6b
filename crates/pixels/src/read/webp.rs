//! WebP files of one picture, 8 bit.

use super::decode::{Colours, Decode, Opened};
use super::exif;
use super::guarded::guarded;
use super::layout::Layout;
use super::rows::Rows;
use crate::facts::{Facts, FileFormat};
use crate::{PictureError, limits, regular};
use image_webp::{DecodingError, WebPDecoder};
use std::fs::File;
use std::io::{BufReader, Read};
use std::path::{Path, PathBuf};

struct WebP {
    path: PathBuf,
    width: usize,
}

type Decoder = WebPDecoder<BufReader<File>>;

fn decoder(path: &Path) -> Result<Decoder, PictureError> {
    let file = BufReader::new(regular::open(path)?);
    guarded(path, || WebPDecoder::new(file).map_err(|e| failed(path, e)))
}

pub fn open(path: &Path) -> Result<Opened, PictureError> {
    check_length(path)?;
    let mut decoder = decoder(path)?;
    let (width, height) = decoder.dimensions();
    let (width, height) = limits::check(path, width.into(), height.into())?;
    if decoder.is_animated() {
        return Err(PictureError::unsupported(path, "a moving WebP"));
    }
    let mut facts = Facts::bare(FileFormat::WebP, width, height, 8);
    let (icc, block) = guarded(path, || {
        // Metadata beside the picture is optional.
        Ok((decoder.icc_profile().unwrap_or(None), decoder.exif_metadata().unwrap_or(None)))
    })?;
    let said = block.map_or(exif::ExifHints::NOTHING, |block| exif::of_block(&block, &mut facts));
    let colours = Colours::of(icc, said.encoding);
    let webp = WebP { path: path.to_owned(), width: width as usize };
    Ok(Opened { facts, colours, orientation: said.orientation, decoder: Box::new(webp) })
}

/// Checks that the file is as long as its container announces: the decoder would fill in missing
/// data.
fn check_length(path: &Path) -> Result<(), PictureError> {
    let io = PictureError::io(path);
    let mut file = regular::open(path)?;
    let mut begin = [0; 8];
    file.read_exact(&mut begin).map_err(&io)?;
    let [.., a, b, c, d] = begin;
    let need = 8 + u64::from(u32::from_le_bytes([a, b, c, d]));
    let have = file.metadata().map_err(&io)?.len();
    match have < need {
        true => Err(PictureError::Truncated { path: path.to_owned(), have, need }),
        false => Ok(()),
    }
}

impl Decode for WebP {
    fn rows(self: Box<Self>, height: u32, rows: Rows) -> Result<(), PictureError> {
        let mut decoder = decoder(&self.path)?;
        let layout = Layout::Rgb { stride: if decoder.has_alpha() { 4 } else { 3 } };
        let size = decoder.output_buffer_size();
        let size = size.ok_or_else(|| PictureError::damaged(&self.path, "impossible size"))?;
        let mut samples = vec![0; size];
        guarded(&self.path, || {
            decoder.read_image(&mut samples).map_err(|e| failed(&self.path, e))
        })?;
        let mut band = Vec::new();
        let tops = (0u32..).step_by(height as usize);
        for (y, source) in tops.zip(samples.chunks(self.width * layout.stride() * height as usize))
        {
            band.clear();
            layout.append_bytes(source, &mut band);
            rows(y, &band)?;
        }
        Ok(())
    }
}

fn failed(path: &Path, error: DecodingError) -> PictureError {
    match error {
        DecodingError::IoError(error) if error.kind() != std::io::ErrorKind::UnexpectedEof => {
            PictureError::io(path)(error)
        }
        error => PictureError::damaged(path, error),
    }
}
