//! TIFFs: as this program writes them, and as others do.

use super::made::{PIXELS, SIZE, Seed, codes, light, saved, written};
use flate2::Compression as Deflate;
use flate2::write::ZlibEncoder;
use half::f16;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::FileFormat;
use jade_pixels::write::{Picture, Target, write_light};
use std::io::{Cursor, Write};
use tiff::encoder::colortype::{ColorType, Gray16, RGB16};
use tiff::encoder::{Compression, Predictor, TiffEncoder, TiffValue};

pub fn seeds() -> Vec<Seed> {
    let written =
        |sixteen_bit, deflate| saved(Target::Tiff { sixteen_bit, deflate }, FileFormat::Tiff);
    let words: Vec<u8> = codes(3).iter().flat_map(|code| code.to_le_bytes()).collect();
    let bytes: Vec<u8> = codes(3).iter().map(|code| (code >> 8) as u8).collect();
    let four: Vec<u8> = codes(4).iter().flat_map(|code| code.to_le_bytes()).collect();
    let halves: Vec<u8> = light().iter().flat_map(|v| f16::from_f32(*v).to_le_bytes()).collect();
    let doubles: Vec<u8> = light().iter().flat_map(|v| f64::from(*v).to_le_bytes()).collect();
    let zipped = || {
        let mut encoder = ZlibEncoder::new(Vec::new(), Deflate::default());
        encoder.write_all(&words).and_then(|()| encoder.finish()).expect("memory has room")
    };
    let zstd = zstd::stream::encode_all(words.as_slice(), 3).expect("memory has room");
    let plain = [
        ("plain", written(true, false)),
        ("plain-8", written(false, false)),
        ("lzw", packed::<RGB16>(Compression::Lzw, &codes(3))),
        ("packbits", packed::<RGB16>(Compression::Packbits, &codes(3))),
        ("grey", packed::<Gray16>(Compression::Uncompressed, &codes(1))),
        ("floats", floats()),
        ("halves", strip_file(&[(258, 16), (339, 3)], 3, halves)),
        ("doubles", strip_file(&[(258, 64), (339, 3)], 3, doubles)),
        ("four-samples", strip_file(&[(277, 4), (338, 2)], 4, four)),
        ("white-is-zero", strip_file(&[(258, 8), (262, 0), (277, 1)], 1, bytes[..PIXELS].to_vec())),
        ("large-offsets", large()),
        ("tiles", tiles()),
    ];
    let strip = zipped();
    let guarded = 8..8 + strip.len();
    let own_deflate = written(true, true);
    // Its strips lie before its profile, which is known by a mark in its middle.
    let mark = own_deflate.windows(4).position(|four| four == b"acsp").expect("it has a profile");
    let sums = [
        ("deflate", own_deflate, 8..mark - 36),
        ("deflate-strip", strip_file(&[(259, 8)], 3, strip), guarded),
    ];
    // Frames of this packing carry a checksum only on request.
    let unsummed = [("zstd", strip_file(&[(259, 50_000)], 3, zstd))];
    let open = plain.into_iter().chain(unsummed).map(|(name, bytes)| (name, bytes, 0..0));
    let seed = |(name, bytes, guarded)| Seed { name, bytes, guarded, ending: "tif" };
    open.chain(sums).map(seed).collect()
}

fn packed<C: ColorType>(compression: Compression, samples: &[C::Inner]) -> Vec<u8>
where
    [C::Inner]: TiffValue,
{
    let mut bytes = Cursor::new(Vec::new());
    let encoder = TiffEncoder::new(&mut bytes).expect("memory has room");
    let predictor = match compression {
        Compression::Lzw => Predictor::Horizontal,
        _ => Predictor::None,
    };
    let mut encoder = encoder.with_compression(compression).with_predictor(predictor);
    encoder.write_image::<C>(SIZE.0, SIZE.1, samples).expect("memory has room");
    bytes.into_inner()
}

/// With places of eight bytes.
fn large() -> Vec<u8> {
    let mut bytes = Cursor::new(Vec::new());
    let mut encoder = TiffEncoder::new_big(&mut bytes).expect("memory has room");
    encoder.write_image::<RGB16>(SIZE.0, SIZE.1, &codes(3)).expect("memory has room");
    bytes.into_inner()
}

fn floats() -> Vec<u8> {
    let light = light();
    let (width, height) = SIZE;
    let encoding = Encoding::srgb();
    let picture = Picture { width, height, channels: 3, encoding: &encoding, taken: None };
    written(|path| {
        write_light(path, &picture, &mut |y, out| {
            let from = y as usize * width as usize * 3;
            out.copy_from_slice(&light[from..from + out.len()]);
            Ok(())
        })
        .expect("a seed can be written");
    })
}

/// A directory of entries of tag, type (3 short, 4 long), number of values, and the value or its
/// place; no other directory follows.
fn directory(mut entries: Vec<(u16, u16, u32, u32)>) -> Vec<u8> {
    entries.sort_unstable();
    let mut bytes = (entries.len() as u16).to_le_bytes().to_vec();
    for (tag, kind, count, value) in entries {
        bytes.extend(tag.to_le_bytes());
        bytes.extend(kind.to_le_bytes());
        bytes.extend(count.to_le_bytes());
        bytes.extend(value.to_le_bytes());
    }
    bytes.extend([0; 4]);
    bytes
}

/// Entries of a picture of three samples of 16 bit, some of them otherwise.
fn entries(otherwise: &[(u16, u32)]) -> Vec<(u16, u16, u32, u32)> {
    let usual = [(258, 16), (259, 1), (262, 2), (277, 3)];
    let others = otherwise.iter().copied();
    let kept = usual.into_iter().filter(|(tag, _)| otherwise.iter().all(|other| other.0 != *tag));
    let short = kept.chain(others).map(|(tag, value)| (tag, 3, 1, value));
    [(256, 4, 1, SIZE.0), (257, 4, 1, SIZE.1)].into_iter().chain(short).collect()
}

/// One strip with a directory after it.
fn strip_file(otherwise: &[(u16, u32)], samples: u32, strip: Vec<u8>) -> Vec<u8> {
    let mut entries = entries(otherwise);
    entries.extend([(273, 4, 1, 8), (278, 4, 1, SIZE.1), (279, 4, 1, strip.len() as u32)]);
    debug_assert!(otherwise.iter().all(|entry| entry.0 != 277 || entry.1 == samples));
    let mut bytes = b"II*\0".to_vec();
    bytes.extend((8 + strip.len() as u32).to_le_bytes());
    bytes.extend(strip);
    bytes.extend(directory(entries));
    bytes
}

/// Tiles of 16 x 16 pixels.
fn tiles() -> Vec<u8> {
    const SIDE: u32 = 16;
    let samples = codes(3);
    let (across, down) = (SIZE.0.div_ceil(SIDE), SIZE.1.div_ceil(SIDE));
    let mut bytes = b"II*\0\0\0\0\0".to_vec();
    let mut places = vec![];
    for tile in 0..across * down {
        places.push(bytes.len() as u32);
        let (left, top) = (tile % across * SIDE, tile / across * SIDE);
        for i in 0..SIDE * SIDE * 3 {
            let (x, y) = (left + i / 3 % SIDE, top + i / 3 / SIDE);
            let inside = x < SIZE.0 && y < SIZE.1;
            let at = ((y * SIZE.0 + x) * 3 + i % 3) as usize;
            bytes.extend(if inside { samples[at] } else { 0 }.to_le_bytes());
        }
    }
    let lists = bytes.len() as u32;
    bytes.extend(places.iter().flat_map(|place| place.to_le_bytes()));
    bytes.extend(places.iter().flat_map(|_| (SIDE * SIDE * 6).to_le_bytes()));
    let count = places.len() as u32;
    let mut entries = entries(&[(322, SIDE), (323, SIDE)]);
    entries.extend([(324, 4, count, lists), (325, 4, count, lists + 4 * count)]);
    let here = (bytes.len() as u32).to_le_bytes();
    bytes[4..8].copy_from_slice(&here);
    bytes.extend(directory(entries));
    bytes
}
