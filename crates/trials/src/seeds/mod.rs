//! Small whole files of every kind that the readers know, made here.

mod exr;
mod fits;
mod jpeg;
mod plan;
mod png;
mod tiff;
mod webp;

use crate::Reader;
use jade_combine::mask::Mask;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::{Details, Facts, FileFormat};
use jade_pixels::mosaic::{Mosaic, Pattern, Sensor};
use jade_pixels::write::{Picture, Taken, Target, write_mosaic, write_picture};
use std::ops::Range;
use std::path::Path;

/// A whole file.
#[derive(Debug, Clone)]
pub struct Seed {
    /// What is particular about it.
    pub name: &'static str,
    /// Its content.
    pub bytes: Vec<u8>,
    /// The bytes that a checksum in the file guards, so that every change to them can be seen.
    pub guarded: Range<usize>,
    /// The ending of its name.
    pub ending: &'static str,
}

/// Width and height of all pictures.
const SIZE: (u32, u32) = (41, 29);
const PIXELS: usize = SIZE.0 as usize * SIZE.1 as usize;

/// The whole files that a reader is tried with, the same every time.
pub fn seeds(reader: Reader) -> Vec<Seed> {
    match reader {
        Reader::Tiff => tiff::seeds(),
        Reader::Png => png::seeds(),
        Reader::Jpeg => jpeg::seeds(),
        Reader::Dng => vec![dng()],
        Reader::WebP => webp::seeds(),
        Reader::Exr => exr::seeds(),
        Reader::Fits => fits::seeds(),
        Reader::Plan => plan::seeds(),
        Reader::Mask => masks(),
    }
}

/// A sample of a picture of soft shapes and some grain, 0 to 65535.
fn code(x: u32, y: u32, channel: u32) -> u16 {
    let wave = f64::from(x * (channel + 2) + y * 3) / 17.0;
    let grain = (x * 7919 + y * 104_729 + channel * 31) % 997;
    (32_000.0 + 24_000.0 * wave.sin() + f64::from(grain)) as u16
}

/// Interleaved samples of all pixels.
fn codes(channels: u32) -> Vec<u16> {
    let at = |i: u32| (i / channels % SIZE.0, i / channels / SIZE.0, i % channels);
    (0..PIXELS as u32 * channels).map(at).map(|(x, y, channel)| code(x, y, channel)).collect()
}

/// The same as light, a little of it beyond white.
fn light() -> Vec<f32> {
    codes(3).iter().map(|code| f32::from(*code) / 50_000.0).collect()
}

fn facts(format: FileFormat) -> Facts {
    let model = Some("Salt pan camera".to_owned());
    Facts {
        details: Details { model, ..Details::default() },
        exposure_s: Some(8.0),
        iso: Some(6400),
        aperture: Some(2.0),
        focal_mm: Some(21.0),
        taken: Some("2026-03-14 22:10:05".to_owned()),
        camera: Some("Salt pan camera".to_owned()),
        lens: Some("Salt pan 21 mm".to_owned()),
        ..Facts::bare(format, SIZE.0, SIZE.1, 16)
    }
}

/// The bytes of a file that `write` writes.
fn written(write: impl FnOnce(&Path)) -> Vec<u8> {
    let folder = tempfile::tempdir().expect("there is room for a small folder");
    let path = folder.path().join("seed");
    write(&path);
    std::fs::read(&path).expect("the file was written")
}

/// A picture as this program writes it.
fn saved(target: Target, format: FileFormat) -> Vec<u8> {
    let facts = facts(format);
    let samples = codes(3);
    let picture = Picture {
        width: SIZE.0,
        height: SIZE.1,
        channels: 3,
        encoding: &Encoding::srgb(),
        taken: Some(Taken { facts: &facts, stack: None, place: true }),
    };
    written(|path| {
        write_picture(path, target, &picture, &mut |y, out| {
            let from = y as usize * SIZE.0 as usize * 3;
            out.copy_from_slice(&samples[from..from + out.len()]);
            Ok(())
        })
        .expect("a seed can be written");
    })
}

fn dng() -> Seed {
    let sensor = Sensor {
        pattern: Pattern::RGGB,
        black: [512.0; 4],
        white: 15_800.0,
        neutral: Some([0.5, 1.0, 0.625]),
        xyz_to_camera: Some([[0.9, -0.3, -0.1], [-0.4, 1.2, 0.2], [-0.1, 0.2, 0.6]]),
    };
    let (width, height) = (SIZE.0 & !1, SIZE.1 & !1);
    let codes = (0..width * height).map(|i| code(i % width, i / width, 1) / 5).collect();
    let mosaic = Mosaic { width, height, sensor, codes };
    let facts = Facts { width, height, ..facts(FileFormat::Raw) };
    let bytes = written(|path| write_mosaic(path, &mosaic, &facts).expect("a seed can be written"));
    Seed { name: "mosaic", bytes, guarded: 0..0, ending: "dng" }
}

fn masks() -> Vec<Seed> {
    let shares = (0..PIXELS as u32).map(|i| (code(i % SIZE.0, i / SIZE.0, 0) >> 8) as u8).collect();
    let mask = Mask::new(SIZE, shares);
    let of = |name, target, ending| {
        let bytes = written(|path| mask.write(path, target).expect("a seed can be written"));
        Seed { name, bytes, guarded: 0..0, ending }
    };
    vec![
        of("mask-png", Target::Png { wide: false }, "png"),
        of("mask-tiff", Target::Tiff { wide: true, deflate: true }, "tif"),
    ]
}
