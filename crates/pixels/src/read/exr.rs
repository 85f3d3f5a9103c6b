//! OpenEXR files: linear light as floating-point numbers, in one flat layer.

use super::decode::{Colours, Decode, Opened};
use super::guarded::guarded;
use super::orientation::Orientation;
use super::rows::{LightRows, Rows};
use crate::colour::Encoding;
use crate::facts::{Facts, FileFormat};
use crate::tiled::SIDE;
use crate::{PictureError, limits, regular};
use exr::meta::MetaData;
use exr::meta::header::Header;
use exr::prelude::*;
use std::io::{BufReader, ErrorKind};
use std::path::{Path, PathBuf};

struct Exr {
    path: PathBuf,
    width: usize,
    pixels: u64,
    grey: bool,
}

pub fn open(path: &Path) -> core::result::Result<Opened, PictureError> {
    let file = regular::open(path)?;
    let meta = guarded(path, || {
        MetaData::read_from_buffered(BufReader::new(file), false).map_err(|e| failed(path, e))
    })?;
    let refuse = |what: &str, remedy| PictureError::unsupported_so(path, what, remedy);
    let flat = "export it as a flat picture of one layer";
    if meta.headers.iter().any(|header| header.deep) {
        return Err(refuse("deep OpenEXR", flat));
    }
    let [header] = meta.headers.as_slice() else {
        return Err(refuse("an OpenEXR file of several layers", flat));
    };
    let has = |name: &str| {
        header.channels.list.iter().any(|channel| channel.name.eq_case_insensitive(name))
    };
    let colours = ["R", "G", "B"].iter().all(|name| has(name));
    let grey = !colours && has("Y") && !has("RY") && !has("BY");
    if !colours && !grey {
        return Err(refuse("OpenEXR without channels R, G and B, or Y alone,", flat));
    }
    if header.channels.list.iter().any(|channel| channel.sampling != Vec2(1, 1)) {
        return Err(refuse("OpenEXR with channels of different sizes", flat));
    }
    let Vec2(width, height) = header.layer_size;
    let (width, height) = limits::check(path, width as u64, height as u64)?;
    let encoding = encoding(path, header)?;
    let facts = facts(header, (width, height));
    let pixels = u64::from(width) * u64::from(height);
    let decoder = Box::new(Exr { path: path.to_owned(), width: width as usize, pixels, grey });
    let colours = Colours::Encoding(encoding);
    Ok(Opened { facts, colours, orientation: Orientation::UPRIGHT, decoder })
}

fn encoding(path: &Path, header: &Header) -> core::result::Result<Encoding, PictureError> {
    let Some(points) = header.shared_attributes.chromaticities else {
        return Ok(Encoding::linear_srgb());
    };
    let point = |Vec2(x, y): Vec2<f32>| [x, y];
    let all = [points.red, points.green, points.blue, points.white].map(point);
    Encoding::of_primaries(path, Some(all), 1.0)
}

fn facts(header: &Header, (width, height): (u32, u32)) -> Facts {
    let bits = header.channels.list.iter().map(|channel| match channel.sample_type {
        SampleType::F16 => 16,
        SampleType::F32 | SampleType::U32 => 32,
    });
    let attributes = &header.own_attributes;
    let bare = Facts::bare(FileFormat::Exr, width, height, bits.max().unwrap_or(32));
    let number = |value: Option<f32>| value.map(f64::from).filter(|v| v.is_finite() && *v > 0.0);
    let taken =
        attributes.capture_date.as_ref().and_then(|text| Facts::time_from_exif(&text.to_string()));
    Facts {
        float: true,
        exposure_s: number(attributes.exposure),
        aperture: number(attributes.aperture),
        iso: number(attributes.iso_speed).map(|iso| iso as u32),
        taken,
        ..bare
    }
}

impl Exr {
    /// Interleaved linear red, green and blue of all rows.
    fn light(&self) -> core::result::Result<Vec<f32>, PictureError> {
        let (path, width) = (&self.path, self.width);
        let file = regular::open(path)?;
        let empty = |size: Vec2<usize>, _: &_| vec![0.0f32; size.area() * 3];
        let layer = read().no_deep_data().largest_resolution_level();
        // The library decodes on this thread alone: a panic over a damaged file on another thread
        // would end the program.
        guarded(path, || {
            let light = match self.grey {
                false => {
                    let put =
                        move |light: &mut Vec<f32>, at: Vec2<usize>, (r, g, b): (f32, f32, f32)| {
                            let place = (at.y() * width + at.x()) * 3;
                            light[place..place + 3].copy_from_slice(&[r, g, b]);
                        };
                    let image = layer
                        .rgb_channels(|size, _: &_| empty(size, &()), put)
                        .first_valid_layer()
                        .all_attributes()
                        .non_parallel()
                        .from_buffered(BufReader::new(file));
                    image.map_err(|e| failed(path, e))?.layer_data.channel_data.pixels
                }
                true => {
                    let put = move |light: &mut Vec<f32>, at: Vec2<usize>, (y,): (f32,)| {
                        let place = (at.y() * width + at.x()) * 3;
                        light[place..place + 3].fill(y);
                    };
                    let image = layer
                        .specific_channels()
                        .required("Y")
                        .collect_pixels(|size, _: &_| empty(size, &()), put)
                        .first_valid_layer()
                        .all_attributes()
                        .non_parallel()
                        .from_buffered(BufReader::new(file));
                    image.map_err(|e| failed(path, e))?.layer_data.channel_data.pixels
                }
            };
            Ok(light)
        })
    }
}

impl Decode for Exr {
    fn rows(self: Box<Self>, _: u32, _: Rows) -> core::result::Result<(), PictureError> {
        Ok(())
    }

    fn is_float(&self) -> bool {
        true
    }

    fn decoding_bytes(&mut self) -> Option<u64> {
        Some(self.pixels * 12)
    }

    fn floats(self: Box<Self>, rows: LightRows) -> core::result::Result<(), PictureError> {
        let light = self.light()?;
        let band = self.width * 3 * SIDE as usize;
        for (i, band) in light.chunks(band).enumerate() {
            rows(i as u32 * SIDE, band)?;
        }
        Ok(())
    }
}

fn failed(path: &Path, error: exr::error::Error) -> PictureError {
    match error {
        exr::error::Error::NotSupported(what) => {
            PictureError::unsupported(path, format!("this OpenEXR file ({what})"))
        }
        // An offset beyond the file's end is damage too.
        exr::error::Error::Io(error)
            if !matches!(error.kind(), ErrorKind::UnexpectedEof | ErrorKind::InvalidInput) =>
        {
            PictureError::io(path)(error)
        }
        error => PictureError::damaged(path, error),
    }
}
