//! PNGs of all kinds of pixels, and of all ways to tell their colours.

use super::made::{SIZE, Seed, codes, saved};
use flate2::Compression;
use flate2::write::ZlibEncoder;
use jade_pixels::facts::FileFormat;
use jade_pixels::write::Target;
use png::chunk::ChunkType;
use png::{BitDepth, ColorType, Encoder, ScaledFloat, SourceChromaticities};
use std::io::Write;

pub fn seeds() -> Vec<Seed> {
    let saved_png = |sixteen_bit| saved(Target::Png { sixteen_bit }, FileFormat::Png);
    let rgb: Vec<u8> = codes(3).iter().map(|code| (code >> 8) as u8).collect();
    let pairs: Vec<u8> = codes(2).iter().map(|code| (code >> 8) as u8).collect();
    let index: Vec<u8> = codes(1).iter().map(|code| (code >> 13) as u8).collect();
    let plain = |_: &mut Encoder<&mut Vec<u8>>| ();
    let palette = |encoder: &mut Encoder<&mut Vec<u8>>| {
        encoder.set_palette((0..24u8).map(|i| i * 10).collect::<Vec<u8>>());
    };
    let gamma = |encoder: &mut Encoder<&mut Vec<u8>>| {
        encoder.set_source_gamma(ScaledFloat::new(0.454_55));
        let (white, red, green, blue) = ((0.3127, 0.329), (0.64, 0.33), (0.21, 0.71), (0.15, 0.06));
        encoder.set_source_chromaticities(SourceChromaticities::new(white, red, green, blue));
    };
    let points: &[(ChunkType, &[u8])] = &[(ChunkType(*b"cICP"), &[12, 13, 0, 1])];
    let all = [
        ("own", saved_png(true)),
        ("own-8", saved_png(false)),
        ("grey-opacity", made(ColorType::GrayscaleAlpha, &pairs, plain, &[])),
        ("palette", made(ColorType::Indexed, &index, palette, &[])),
        ("gamma", made(ColorType::Rgb, &rgb, gamma, &[])),
        ("code-points", made(ColorType::Rgb, &rgb, plain, points)),
        ("interlaced", interlaced()),
    ];
    all.map(|(name, bytes)| Seed { name, guarded: 0..bytes.len(), bytes, ending: "png" }).into()
}

fn made(
    colour: ColorType,
    samples: &[u8],
    set: impl FnOnce(&mut Encoder<&mut Vec<u8>>),
    chunks: &[(ChunkType, &[u8])],
) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = Encoder::new(&mut bytes, SIZE.0, SIZE.1);
    encoder.set_color(colour);
    encoder.set_depth(BitDepth::Eight);
    set(&mut encoder);
    let mut writer = encoder.write_header().expect("memory has room");
    for (name, data) in chunks {
        writer.write_chunk(*name, data).expect("memory has room");
    }
    writer.write_image_data(samples).expect("memory has room");
    writer.finish().expect("memory has room");
    bytes
}

/// In the seven passes of Adam7, grey of 8 bit.
fn interlaced() -> Vec<u8> {
    let samples = codes(1);
    // First column and row of each pass, and the steps between them.
    let passes = [
        [0, 0, 8, 8],
        [4, 0, 8, 8],
        [0, 4, 4, 8],
        [2, 0, 4, 4],
        [0, 2, 2, 4],
        [1, 0, 2, 2],
        [0, 1, 1, 2],
    ];
    let mut rows = Vec::new();
    for [left, top, right, down] in passes {
        for y in (top..SIZE.1).step_by(down as usize) {
            rows.push(0);
            let row = (left..SIZE.0).step_by(right as usize);
            rows.extend(row.map(|x| (samples[(y * SIZE.0 + x) as usize] >> 8) as u8));
        }
    }
    let mut encoder = ZlibEncoder::new(Vec::new(), Compression::default());
    let data = encoder.write_all(&rows).and_then(|()| encoder.finish()).expect("memory has room");
    let mut header = [SIZE.0.to_be_bytes(), SIZE.1.to_be_bytes()].concat();
    header.extend([8, 0, 0, 0, 1]);
    let mut bytes = b"\x89PNG\r\n\x1a\n".to_vec();
    for (name, data) in [(b"IHDR", header), (b"IDAT", data), (b"IEND", vec![])] {
        bytes.extend((data.len() as u32).to_be_bytes());
        let mut sum = flate2::Crc::new();
        sum.update(name);
        sum.update(&data);
        bytes.extend(name);
        bytes.extend(data);
        bytes.extend(sum.sum().to_be_bytes());
    }
    bytes
}
