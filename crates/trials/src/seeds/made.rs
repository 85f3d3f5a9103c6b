//! Files as seeds, and the pictures in them.

use jade_pixels::colour::Encoding;
use jade_pixels::facts::{Details, Facts, FileFormat};
use jade_pixels::write::{Picture, Taken, Target, write_picture};
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
pub const SIZE: (u32, u32) = (41, 29);
pub const PIXELS: usize = SIZE.0 as usize * SIZE.1 as usize;

/// A sample of a picture of soft shapes and some grain, 0 to 65535.
pub fn code(x: u32, y: u32, channel: u32) -> u16 {
    let wave = f64::from(x * (channel + 2) + y * 3) / 17.0;
    let grain = (x * 7919 + y * 104_729 + channel * 31) % 997;
    (32_000.0 + 24_000.0 * wave.sin() + f64::from(grain)) as u16
}

/// Interleaved samples of all pixels.
pub fn codes(channels: u32) -> Vec<u16> {
    let at = |i: u32| (i / channels % SIZE.0, i / channels / SIZE.0, i % channels);
    (0..PIXELS as u32 * channels).map(at).map(|(x, y, channel)| code(x, y, channel)).collect()
}

/// The picture as light, partly beyond white.
pub fn light() -> Vec<f32> {
    codes(3).iter().map(|code| f32::from(*code) / 50_000.0).collect()
}

pub fn facts(format: FileFormat) -> Facts {
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
pub fn written(write: impl FnOnce(&Path)) -> Vec<u8> {
    let folder = tempfile::tempdir().expect("there is room for a small folder");
    let path = folder.path().join("seed");
    write(&path);
    std::fs::read(&path).expect("the file was written")
}

/// A picture as this program writes it.
pub fn saved(target: Target, format: FileFormat) -> Vec<u8> {
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
