//! TIFFs of all common kinds of samples and packing, as other programs write them.

mod directory;

use jade_pixels::read::PictureFile;
use std::fs::File;
use std::path::Path;
use tiff::encoder::colortype::{self, ColorType};
use tiff::encoder::{Compression, DeflateLevel, Predictor, TiffEncoder, TiffValue};

const SIZE: (u32, u32) = (70, 53);

/// Light between -0.1 and 2, not the same in any two pixels near each other.
fn light(i: usize) -> f64 {
    (i * 7919 % 2111) as f64 / 1000.0 - 0.1
}

fn write<C: ColorType>(path: &Path, compression: Compression, samples: &[C::Inner])
where
    [C::Inner]: TiffValue,
{
    let encoder = TiffEncoder::new(File::create(path).unwrap()).unwrap();
    let mut encoder = encoder.with_compression(compression);
    if !matches!(compression, Compression::Uncompressed) {
        encoder = encoder.with_predictor(Predictor::Horizontal);
    }
    let mut encoder = match C::SAMPLE_FORMAT[0] {
        tiff::tags::SampleFormat::IEEEFP => encoder.with_predictor(Predictor::None),
        _ => encoder,
    };
    encoder.write_image::<C>(SIZE.0, SIZE.1, samples).unwrap();
}

const PACKINGS: [(&str, Compression); 4] = [
    ("plain", Compression::Uncompressed),
    ("LZW", Compression::Lzw),
    ("deflate", Compression::Deflate(DeflateLevel::Balanced)),
    ("packed bits", Compression::Packbits),
];

fn codes(path: &Path) -> Vec<u16> {
    let mut all = Vec::new();
    PictureFile::open(path)
        .unwrap()
        .rows(&mut |_, rows| {
            all.extend_from_slice(rows);
            Ok(())
        })
        .unwrap();
    all
}

fn floats(path: &Path) -> Vec<f32> {
    let mut all = Vec::new();
    PictureFile::open(path)
        .unwrap()
        .light(&mut |_, rows| {
            all.extend_from_slice(rows);
            Ok(())
        })
        .unwrap();
    all
}

#[test]
fn whole_numbers_are_read_in_every_packing() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("w.tif");
    let pixels = (SIZE.0 * SIZE.1) as usize;
    let code = |i: usize| (i * 40_503 % 65_536) as u16;
    for (name, packing) in PACKINGS {
        let rgb: Vec<u16> = (0..pixels * 3).map(code).collect();
        write::<colortype::RGB16>(&path, packing, &rgb);
        assert_eq!(codes(&path), rgb, "{name}");
        // Opacity is passed over.
        let rgba: Vec<u16> = (0..pixels * 4).map(code).collect();
        write::<colortype::RGBA16>(&path, packing, &rgba);
        let seen = rgba.chunks(4).flat_map(|p| p[..3].to_vec());
        assert_eq!(codes(&path), seen.collect::<Vec<_>>(), "{name}");
        let grey: Vec<u8> = (0..pixels).map(|i| code(i) as u8).collect();
        write::<colortype::Gray8>(&path, packing, &grey);
        let seen = grey.iter().flat_map(|v| [u16::from(*v) * 257; 3]);
        assert_eq!(codes(&path), seen.collect::<Vec<_>>(), "{name}");
        // The finest of 32 bits is beyond what a code can say.
        let fine: Vec<u32> = (0..pixels * 3).map(|i| u32::from(code(i)) << 16 | 77).collect();
        write::<colortype::RGB32>(&path, packing, &fine);
        assert_eq!(codes(&path), rgb, "{name}");
    }
}

#[test]
fn floating_point_light_is_kept_beyond_white_in_every_packing() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("f.tif");
    let pixels = (SIZE.0 * SIZE.1) as usize;
    for (name, packing) in PACKINGS {
        let rgb: Vec<f32> = (0..pixels * 3).map(|i| light(i) as f32).collect();
        write::<colortype::RGB32Float>(&path, packing, &rgb);
        let off = floats(&path).iter().zip(&rgb).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(off < 1e-6, "{name}: {off}");
        let facts = PictureFile::open(&path).unwrap().facts().clone();
        assert!(facts.float && facts.bits == 32, "{facts:?}");
        let grey: Vec<f64> = (0..pixels).map(light).collect();
        write::<colortype::Gray64Float>(&path, packing, &grey);
        for (pixel, value) in floats(&path).chunks(3).zip(&grey) {
            assert!(pixel.iter().all(|v| (*v as f64 - value).abs() < 1e-6), "{pixel:?} {value}");
        }
    }
}

#[test]
fn floating_point_light_as_codes_ends_at_black_and_white() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("c.tif");
    let pixels = (SIZE.0 * SIZE.1) as usize;
    let mut rgb: Vec<f32> = (0..pixels * 3).map(|i| light(i) as f32).collect();
    rgb[7] = f32::NAN;
    write::<colortype::RGB32Float>(&path, Compression::Uncompressed, &rgb);
    rgb[7] = 0.0;
    for (code, light) in codes(&path).iter().zip(&rgb) {
        let expected = (light.clamp(0.0, 1.0) * 65_535.0).round();
        assert!((f32::from(*code) - expected).abs() <= 1.0, "{code} for {light}");
    }
}

/// A plain 16-bit RGB TIFF of 16 x 16 tiles.
fn tiled(value: impl Fn(u32, u32, u32) -> u16) -> Vec<u8> {
    const SIDE: u32 = 16;
    let (across, down) = (SIZE.0.div_ceil(SIDE), SIZE.1.div_ceil(SIDE));
    let mut bytes = b"II*\0\0\0\0\0".to_vec();
    let mut places = Vec::new();
    for tile in 0..across * down {
        places.push(bytes.len() as u32);
        for y in 0..SIDE {
            for x in 0..SIDE {
                let (x, y) = (tile % across * SIDE + x, tile / across * SIDE + y);
                bytes.extend((0..3).flat_map(|c| value(x, y, c).to_le_bytes()));
            }
        }
    }
    let mut list = |values: &[u32]| {
        let at = bytes.len() as u32;
        bytes.extend(values.iter().flat_map(|v| v.to_le_bytes()));
        at
    };
    let at = list(&places);
    let length = list(&vec![SIDE * SIDE * 6; places.len()]);
    let bits = list(&[16 | 16 << 16, 16]);
    let count = places.len() as u32;
    let entries: [(u16, u16, u32, u32); 10] = [
        (256, 4, 1, SIZE.0),
        (257, 4, 1, SIZE.1),
        (258, 3, 3, bits),
        (259, 3, 1, 1),
        (262, 3, 1, 2),
        (277, 3, 1, 3),
        (322, 4, 1, SIDE),
        (323, 4, 1, SIDE),
        (324, 4, count, at),
        (325, 4, count, length),
    ];
    let at_directory = bytes.len() as u32;
    bytes[4..8].copy_from_slice(&at_directory.to_le_bytes());
    bytes.extend(directory::of(&entries));
    bytes
}

#[test]
fn tiles_are_put_together() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("t.tif");
    let value = |x: u32, y: u32, c: u32| (x * 701 + y * 331 + c * 17) as u16;
    std::fs::write(&path, tiled(value)).unwrap();
    for (i, code) in codes(&path).into_iter().enumerate() {
        let pixel = i as u32 / 3;
        assert_eq!(code, value(pixel % SIZE.0, pixel / SIZE.0, i as u32 % 3), "sample {i}");
    }
}
