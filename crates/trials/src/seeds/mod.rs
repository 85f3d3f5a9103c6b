//! Small whole files of every kind that the readers know, made here.

mod exr;
mod fits;
mod jpeg;
mod made;
mod plan;
mod png;
mod tiff;
mod webp;

pub use made::Seed;

use crate::reader::Reader;
use jade_combine::mask::Mask;
use jade_pixels::facts::{Facts, FileFormat};
use jade_pixels::mosaic::{Mosaic, Pattern, Sensor};
use jade_pixels::write::{Target, write_mosaic};
use made::{PIXELS, SIZE, code, facts, written};

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
        of("mask-png", Target::Png { sixteen_bit: false }, "png"),
        of("mask-tiff", Target::Tiff { sixteen_bit: true, deflate: true }, "tif"),
    ]
}
