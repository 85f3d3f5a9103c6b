use super::{Fill, Picture, narrow};
use crate::PictureError;
use png::{BitDepth, ColorType, Compression, Encoder, EncodingError, Info};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;

pub fn write(
    path: &Path,
    file: &mut File,
    wide: bool,
    picture: &Picture,
    fill: Fill,
) -> Result<(), PictureError> {
    let failed = |e: EncodingError| match e {
        EncodingError::IoError(reason) => PictureError::Io { path: path.to_owned(), reason },
        e => PictureError::damaged(path, e),
    };
    let mut info = Info::with_size(picture.width, picture.height);
    info.bit_depth = if wide { BitDepth::Sixteen } else { BitDepth::Eight };
    info.color_type = if picture.channels == 3 { ColorType::Rgb } else { ColorType::Grayscale };
    if picture.channels == 3 {
        info.icc_profile = Some(picture.encoding.icc().into());
    }
    let mut encoder = Encoder::with_info(BufWriter::new(file), info).map_err(failed)?;
    encoder.set_compression(Compression::Fast);
    let mut writer = encoder.write_header().map_err(failed)?;
    let mut stream = writer.stream_writer().map_err(failed)?;
    picture.bands(fill, |band| {
        let bytes: Vec<u8> = match wide {
            true => band.iter().flat_map(|v| v.to_be_bytes()).collect(),
            false => narrow(band),
        };
        stream.write_all(&bytes).map_err(PictureError::io(path))
    })?;
    stream.finish().map_err(failed)?;
    writer.finish().map_err(failed)
}
