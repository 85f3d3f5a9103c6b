//! PNG files, moving ones too.

use super::exif::{self, Look};
use super::picture::{Fill, Picture, narrow};
use crate::PictureError;
use png::{BitDepth, ColorType, Compression, Encoder, EncodingError, Info, PixelDimensions, Unit};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;

pub fn write(
    path: &Path,
    file: &mut File,
    sixteen_bit: bool,
    picture: &Picture,
    fill: Fill,
) -> Result<(), PictureError> {
    let failed = |e: EncodingError| match e {
        EncodingError::IoError(reason) => PictureError::Io { path: path.to_owned(), reason },
        e => PictureError::damaged(path, e),
    };
    let mut info = Info::with_size(picture.width, picture.height);
    info.bit_depth = if sixteen_bit { BitDepth::Sixteen } else { BitDepth::Eight };
    info.color_type = if picture.channels == 3 { ColorType::Rgb } else { ColorType::Grayscale };
    if picture.channels == 3 {
        let (width, height) = (picture.width, picture.height);
        let look = Look { width, height, srgb: picture.encoding.is_srgb(), jpeg: false };
        info.icc_profile = Some(picture.encoding.icc().into());
        info.exif_metadata = Some(exif::block(&exif::tags(picture.taken, look)).into());
        let per_inch = picture.taken.and_then(|taken| taken.facts.details.per_inch);
        info.pixel_dims = per_inch.map(|per_inch| {
            let [xppu, yppu] = per_inch.map(|v| (v / 0.0254).round() as u32);
            PixelDimensions { xppu, yppu, unit: Unit::Meter }
        });
    }
    let mut encoder = Encoder::with_info(BufWriter::new(file), info).map_err(failed)?;
    encoder.set_compression(Compression::Fast);
    let mut writer = encoder.write_header().map_err(failed)?;
    let mut stream = writer.stream_writer().map_err(failed)?;
    picture.bands(fill, |band| {
        let bytes: Vec<u8> = match sixteen_bit {
            true => band.iter().flat_map(|v| v.to_be_bytes()).collect(),
            false => narrow(band),
        };
        stream.write_all(&bytes).map_err(PictureError::io(path))
    })?;
    stream.finish().map_err(failed)?;
    writer.finish().map_err(failed)
}

/// Gives the next frame of a moving picture: 8-bit sRGB, interleaved.
pub type NextFrame<'a> = &'a mut dyn FnMut() -> Result<Vec<u8>, PictureError>;

/// Writes an animated PNG (APNG) of `count` frames of this size in a loop, each shown for a time in
/// milliseconds.
///
/// # Errors
/// [`PictureError::Io`], or what `next` returned; nothing is left behind then.
pub fn write_moving(
    path: &Path,
    (width, height): (u32, u32),
    (count, millis): (u32, u16),
    next: NextFrame,
) -> Result<(), PictureError> {
    super::whole::write_whole(path, |file| {
        let failed = |e: EncodingError| match e {
            EncodingError::IoError(reason) => PictureError::Io { path: path.to_owned(), reason },
            e => PictureError::damaged(path, e),
        };
        let mut encoder = Encoder::new(BufWriter::new(file), width, height);
        encoder.set_color(ColorType::Rgb);
        encoder.set_compression(Compression::Fast);
        encoder.set_animated(count, 0).map_err(failed)?;
        encoder.set_frame_delay(millis, 1000).map_err(failed)?;
        let mut writer = encoder.write_header().map_err(failed)?;
        for _ in 0..count {
            writer.write_image_data(&next()?).map_err(failed)?;
        }
        writer.finish().map_err(failed)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_moving_picture_has_its_frames_and_is_there_whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("moving.png");
        let mut grey = 0;
        let mut next = || {
            grey += 50;
            Ok(vec![grey; 4 * 3 * 3])
        };
        write_moving(&path, (4, 3), (3, 120), &mut next).unwrap();
        let file = std::io::BufReader::new(File::open(&path).unwrap());
        let mut reader = png::Decoder::new(file).read_info().unwrap();
        let control = reader.info().animation_control.unwrap();
        assert_eq!((control.num_frames, control.num_plays), (3, 0));
        let mut out = vec![0; reader.output_buffer_size().unwrap()];
        for shade in [50, 100, 150] {
            reader.next_frame(&mut out).unwrap();
            assert!(out.iter().all(|v| *v == shade));
        }
        let other = folder.path().join("none.png");
        let stopped = write_moving(&other, (4, 3), (2, 120), &mut || Err(PictureError::Cancelled));
        assert!(stopped.is_err() && !other.exists());
    }
}
