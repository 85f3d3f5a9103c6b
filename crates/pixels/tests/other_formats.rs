//! OpenEXR, FITS, WebP and PNG as other programs write them: their light and colours, or a refusal by
//! name.

use exr::prelude::*;
use jade_pixels::facts::FileFormat;
use jade_pixels::read::PictureFile;
use std::path::Path;

/// Width and height of all pictures.
const SIZE: (u32, u32) = (5, 3);
const PIXELS: usize = 15;

/// Light of a channel at a pixel, from 0 to a little beyond white.
fn shade(pixel: usize, channel: usize) -> f32 {
    (pixel * 3 + channel) as f32 / 40.0
}

fn all_light() -> Vec<f32> {
    (0..PIXELS).flat_map(|p| [0, 1, 2].map(|c| shade(p, c))).collect()
}

struct Read {
    format: FileFormat,
    light: Vec<f32>,
    profile: Option<String>,
}

/// What is read of a file, or why it is refused.
fn read(path: &Path) -> core::result::Result<Read, String> {
    let file = PictureFile::open(path).map_err(|e| e.to_string())?;
    let facts = file.facts().clone();
    assert_eq!((facts.width, facts.height), SIZE);
    let mut light = vec![];
    let rows = file.light(&mut |_, rows| {
        light.extend_from_slice(rows);
        Ok(())
    });
    rows.map_err(|e| e.to_string())?;
    Ok(Read { format: facts.format, light, profile: facts.profile })
}

fn read_bytes(name: &str, bytes: &[u8]) -> core::result::Result<Read, String> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(name);
    std::fs::write(&path, bytes).unwrap();
    read(&path)
}

fn near(light: &[f32], wanted: &[f32], off: f32) {
    assert_eq!(light.len(), wanted.len());
    let worst = light.iter().zip(wanted).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(worst <= off, "{worst}: {light:?}");
}

fn at(pixel: Vec2<usize>) -> usize {
    pixel.y() * SIZE.0 as usize + pixel.x()
}

#[test]
fn openexr_is_linear_light_in_colour_and_in_grey() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("f1.exr");
    let size = (SIZE.0 as usize, SIZE.1 as usize);
    for compression in [Compression::Uncompressed, Compression::ZIP16, Compression::PIZ] {
        let rgb = SpecificChannels::rgb(|pixel| {
            (shade(at(pixel), 0), shade(at(pixel), 1), shade(at(pixel), 2))
        });
        let encoding = Encoding { compression, ..Encoding::default() };
        let layer = Layer::new(size, LayerAttributes::named("light"), encoding, rgb);
        Image::from_layer(layer).write().to_file(&path).unwrap();
        let colour = read(&path).unwrap();
        assert_eq!(colour.format, FileFormat::Exr);
        near(&colour.light, &all_light(), 0.0);
    }
    let grey = SpecificChannels::build()
        .with_channel("Y")
        .with_pixel_fn(|pixel: Vec2<usize>| (shade(at(pixel), 0),));
    Image::from_channels(size, grey).write().to_file(&path).unwrap();
    let wanted: Vec<f32> = (0..PIXELS).flat_map(|p| [shade(p, 0); 3]).collect();
    near(&read(&path).unwrap().light, &wanted, 0.0);
    // Neither colour nor grey.
    let depth = SpecificChannels::build()
        .with_channel("Z")
        .with_pixel_fn(|pixel: Vec2<usize>| (shade(at(pixel), 0),));
    Image::from_channels(size, depth).write().to_file(&path).unwrap();
    let said = read(&path).err().unwrap();
    assert!(said.contains("OpenEXR without channels R, G and B"), "{said}");
}

/// A damaged chunk is an error of this file, and never ends the program.
#[test]
fn damaged_openexr_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("f1.exr");
    let size = (SIZE.0 as usize, SIZE.1 as usize);
    let rgb = SpecificChannels::rgb(|pixel| (shade(at(pixel), 0), 0.5f32, 0.25f32));
    let encoding = Encoding { compression: Compression::PIZ, ..Encoding::default() };
    let layer = Layer::new(size, LayerAttributes::named("light"), encoding, rgb);
    Image::from_layer(layer).write().to_file(&path).unwrap();
    let whole = std::fs::read(&path).unwrap();
    let mut refused = 0;
    for place in 0..whole.len() {
        let mut bytes = whole.clone();
        bytes[place] = !bytes[place];
        std::fs::write(&path, bytes).unwrap();
        let read = PictureFile::open(&path).and_then(|file| file.light(&mut |_, _| Ok(())));
        if let Err(error) = read {
            assert!(error.to_string().starts_with("f1.exr: "), "{error}");
            refused += 1;
        }
    }
    assert!(refused > whole.len() / 4, "{refused} of {}", whole.len());
}

/// A FITS file of cards and numbers.
fn fits(cards: &[(&str, &str)], numbers: &[u8]) -> Vec<u8> {
    let mut bytes: Vec<u8> = cards
        .iter()
        .flat_map(|(key, value)| format!("{:80}", format!("{key:8}= {value:>20}")).into_bytes())
        .collect();
    bytes.extend(format!("{:80}", "END").bytes());
    bytes.resize(2880, b' ');
    bytes.extend(numbers);
    bytes.resize(bytes.len().next_multiple_of(2880), 0);
    bytes
}

fn cards<'a>(bits: &'a str, planes: &'a str) -> Vec<(&'a str, &'a str)> {
    let mut all = vec![("SIMPLE", "T"), ("BITPIX", bits)];
    all.push(("NAXIS", if planes == "1" { "2" } else { "3" }));
    all.extend([("NAXIS1", "5"), ("NAXIS2", "3")]);
    if planes != "1" {
        all.push(("NAXIS3", planes));
    }
    all
}

/// Plane after plane, the lowest row first.
fn planes<T>(to: impl Fn(f32) -> T) -> Vec<T> {
    let pixel = |i: usize| (SIZE.1 as usize - 1 - i / 5) * 5 + i % 5;
    (0..3).flat_map(|c| (0..PIXELS).map(move |i| shade(pixel(i), c))).map(to).collect()
}

#[test]
fn fits_is_linear_light_from_below() {
    let floats = planes(f32::to_be_bytes).concat();
    let colour = read_bytes("f1.fits", &fits(&cards("-32", "3"), &floats)).unwrap();
    assert_eq!(colour.format, FileFormat::Fits);
    near(&colour.light, &all_light(), 0.0);
    // Words with a sign, and their offset.
    let words = planes(|v| (((v * 20_000.0) as i32 - 32_768) as i16).to_be_bytes()).concat();
    let mut with_offset = cards("16", "3");
    with_offset.extend([("BSCALE", "1"), ("BZERO", "32768")]);
    let wanted: Vec<f32> = all_light().iter().map(|v| v * 20_000.0 / 65_535.0).collect();
    near(&read_bytes("f1.fits", &fits(&with_offset, &words)).unwrap().light, &wanted, 2e-5);
    // From above, where the file says so.
    let mut from_above = cards("-32", "1");
    from_above.push(("ROWORDER", "'TOP-DOWN'"));
    let rows: Vec<u8> = (0..PIXELS).flat_map(|p| shade(p, 0).to_be_bytes()).collect();
    let wanted: Vec<f32> = (0..PIXELS).flat_map(|p| [shade(p, 0); 3]).collect();
    near(&read_bytes("f1.fits", &fits(&from_above, &rows)).unwrap().light, &wanted, 0.0);
}

#[test]
fn fits_of_other_numbers_are_refused_by_name() {
    let numbers = [0; 1000];
    let refused = |cards: &[(&str, &str)]| read_bytes("f1.fits", &fits(cards, &numbers)).err();
    let said = refused(&cards("32", "1")).unwrap();
    assert!(said.contains("numbers other than 8 or 16 bit"), "{said}");
    let mut mosaic = cards("8", "1");
    mosaic.push(("BAYERPAT", "'RGGB    '"));
    assert!(refused(&mosaic).unwrap().contains("a sensor's mosaic"));
    // It announces more than it holds.
    let mut large = cards("-32", "1");
    large[3] = ("NAXIS1", "9000");
    let said = refused(&large).unwrap();
    assert!(said.contains("is cut short"), "{said}");
}

#[test]
fn webp_is_read_and_never_filled_up() {
    let samples: Vec<u8> = (0..PIXELS * 3).map(|i| (i * 5) as u8).collect();
    let mut bytes = vec![];
    image_webp::WebPEncoder::new(&mut bytes)
        .encode(&samples, SIZE.0, SIZE.1, image_webp::ColorType::Rgb8)
        .unwrap();
    let read = read_bytes("f1.webp", &bytes).unwrap();
    assert_eq!(read.format, FileFormat::WebP);
    let wanted: Vec<f32> = samples.iter().map(|v| of_srgb(f32::from(*v) / 255.0)).collect();
    near(&read.light, &wanted, 1e-4);
    for cut in 12..bytes.len() {
        let said = read_bytes("f1.webp", &bytes[..cut]).err();
        assert!(said.is_some_and(|said| said.starts_with("f1.webp: ")), "cut after {cut}");
    }
}

fn of_srgb(v: f32) -> f32 {
    if v <= 0.04045 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
}

/// A PNG of grey samples that all are `code`, with one more chunk.
fn png(code: u8, name: &[u8; 4], data: &[u8]) -> Vec<u8> {
    let mut bytes = vec![];
    let mut encoder = png::Encoder::new(&mut bytes, SIZE.0, SIZE.1);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_depth(png::BitDepth::Eight);
    let mut writer = encoder.write_header().unwrap();
    writer.write_chunk(png::chunk::ChunkType(*name), data).unwrap();
    writer.write_image_data(&[code; PIXELS * 3]).unwrap();
    writer.finish().unwrap();
    bytes
}

#[test]
fn png_tells_its_colours_in_all_ways_of_the_standard() {
    let half = |name: &[u8; 4], data: &[u8]| read_bytes("f1.png", &png(128, name, data));
    let code = 128.0 / 255.0;
    // Code points: sRGB's curve with P3's primaries, and no curve at all.
    let p3 = half(b"cICP", &[12, 13, 0, 1]).unwrap();
    assert_eq!(p3.profile.as_deref(), Some("P3 primaries"));
    near(&p3.light[..1], &[of_srgb(code)], 1e-4);
    near(&half(b"cICP", &[1, 8, 0, 1]).unwrap().light[..1], &[code], 1e-3);
    let said = half(b"cICP", &[9, 16, 0, 1]).err().unwrap();
    assert!(said.contains("high dynamic range"), "{said}");
    // A gamma of its own: 1, and 1/2.2.
    near(&half(b"gAMA", &100_000u32.to_be_bytes()).unwrap().light[..1], &[code], 1e-3);
    let power = half(b"gAMA", &45_455u32.to_be_bytes()).unwrap();
    near(&power.light[..1], &[code.powf(2.2)], 1e-3);
}

/// What tells the colours must not be passed over because it is damaged.
#[test]
fn png_with_a_damaged_gamma_is_refused() {
    let mut bytes = png(128, b"gAMA", &100_000u32.to_be_bytes());
    let place = bytes.windows(4).position(|four| four == b"gAMA").unwrap();
    bytes[place + 6] ^= 1;
    let said = read_bytes("f1.png", &bytes).err().unwrap();
    assert!(said.contains("does not match its checksum"), "{said}");
}

#[test]
fn other_formats_are_refused_by_name_with_what_to_do() {
    let known: [(&[u8], &str); 7] = [
        (b"\0\0\0\x18ftypheic\0\0\0\0", "HEIC"),
        (b"\0\0\0\x18ftypavif\0\0\0\0", "AVIF"),
        (b"\0\0\0\x0cJXL \r\n\x87\n\0\0\0\0", "JPEG XL"),
        (b"\0\0\0\x0cjP  \r\n\x87\n\0\0\0\0", "JPEG 2000"),
        (b"GIF89a\x05\0\x03\0\0\0\0\0\0\0", "GIF"),
        (b"BM\0\0\0\0\0\0\0\0\0\0\0\0\0\0", "BMP"),
        (b"%PDF-1.7\n\0\0\0\0\0\0\0", "PDF"),
    ];
    for (bytes, name) in known {
        let said = read_bytes("f1.tif", bytes).err().unwrap();
        assert!(said.contains(name) && said.contains("; "), "{name}: {said}");
    }
}
