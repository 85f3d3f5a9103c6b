//! JPEG files.

use super::exif::{self, Look};
use super::picture::{Fill, Picture, narrow};
use crate::PictureError;
use jpeg_encoder::{ColorType, Density, Encoder, EncodingError, SamplingFactor};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;

/// What a JPEG contains besides the picture.
struct About<'a> {
    icc: &'a [u8],
    exif: Vec<u8>,
    per_inch: Option<[f64; 2]>,
}

pub fn write(
    path: &Path,
    file: &mut File,
    quality: u8,
    picture: &Picture,
    fill: Fill,
) -> Result<(), PictureError> {
    if picture.width.max(picture.height) > 65535 {
        return Err(PictureError::unsupported(path, "a JPEG wider or taller than 65535 pixels"));
    }
    let mut bytes =
        Vec::with_capacity(picture.width as usize * picture.height as usize * picture.channels);
    picture.bands(fill, |band| {
        bytes.extend(narrow(band));
        Ok(())
    })?;
    let size = (picture.width as u16, picture.height as u16);
    let look = Look {
        width: picture.width,
        height: picture.height,
        srgb: picture.encoding.is_srgb(),
        jpeg: true,
    };
    let about = (picture.channels == 3).then(|| {
        let tags = exif::tags(picture.taken, look);
        let per_inch = picture.taken.and_then(|taken| taken.facts.details.per_inch);
        About { icc: picture.encoding.icc(), exif: exif::block(&tags), per_inch }
    });
    put(BufWriter::new(file), size, picture.channels, &bytes, quality, about).map_err(|e| match e {
        EncodingError::IoError(reason) => PictureError::Io { path: path.to_owned(), reason },
        e => PictureError::damaged(path, e),
    })
}

/// A small JPEG in memory, of interleaved 8-bit sRGB pixels.
///
/// `rgb` holds `width * height * 3` bytes; `quality` is in 1..=100.
pub fn encode(width: u16, height: u16, rgb: &[u8], quality: u8) -> Vec<u8> {
    let mut out = Vec::new();
    put(&mut out, (width, height), 3, rgb, quality, None).expect("writing to memory");
    out
}

fn put<W: Write>(
    writer: W,
    (width, height): (u16, u16),
    channels: usize,
    bytes: &[u8],
    quality: u8,
    about: Option<About>,
) -> Result<(), EncodingError> {
    let mut encoder = Encoder::new(writer, quality);
    encoder.set_sampling_factor(SamplingFactor::F_1_1);
    if let Some(About { icc, exif, per_inch }) = about {
        let [x, y] = per_inch.unwrap_or([72.0; 2]).map(|v| v.round().clamp(1.0, 65_535.0) as u16);
        encoder.set_density(Density::Inch { x, y });
        // Longer blocks do not fit into a segment.
        if exif.len() < 65_000 {
            encoder.add_app_segment(1, &[b"Exif\0\0", exif.as_slice()].concat())?;
        }
        encoder.add_icc_profile(icc)?;
    }
    let colour = if channels == 3 { ColorType::Rgb } else { ColorType::Luma };
    encoder.encode(bytes, width, height, colour)
}
