//! Every format written and read again, and files that are not what they seem.

mod directory;

use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::{Details, Facts, FileFormat, GpsEntry, GpsValue};
use jade_pixels::read::PictureFile;
use jade_pixels::write::{Picture, Taken, Target, encode_jpeg, write_picture};
use std::path::{Path, PathBuf};

const WIDTH: u32 = 300;
const HEIGHT: u32 = 257;

/// A smooth picture, so that JPEG can follow it closely.
fn value(x: u32, y: u32, channel: u32) -> u16 {
    (x * 150 + y * 70 + channel * 900) as u16
}

fn write(path: &Path, target: Target, facts: Option<&Facts>) {
    let encoding = Encoding::srgb();
    let taken = facts.map(|facts| Taken { facts, stack: None, place: true });
    let picture = Picture { width: WIDTH, height: HEIGHT, channels: 3, encoding: &encoding, taken };
    write_picture(path, target, &picture, &mut |first, rows| {
        for (i, sample) in rows.iter_mut().enumerate() {
            let pixel = i as u32 / 3;
            *sample = value(pixel % WIDTH, first + pixel / WIDTH, i as u32 % 3);
        }
        Ok(())
    })
    .unwrap();
}

fn read(path: &Path) -> Result<(Facts, Vec<u16>), PictureError> {
    let file = PictureFile::open(path)?;
    let facts = file.facts().clone();
    let mut samples = Vec::new();
    file.rows(&mut |y, rows| {
        assert_eq!(samples.len(), y as usize * facts.width as usize * 3, "rows in order");
        samples.extend_from_slice(rows);
        Ok(())
    })?;
    Ok((facts, samples))
}

fn worst(samples: &[u16]) -> u32 {
    let truth =
        (0..HEIGHT).flat_map(|y| (0..WIDTH).flat_map(move |x| (0..3).map(move |c| value(x, y, c))));
    samples.iter().zip(truth).map(|(a, b)| a.abs_diff(b) as u32).max().unwrap()
}

fn folder() -> (tempfile::TempDir, impl Fn(&str) -> PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let root = folder.path().to_owned();
    (folder, move |name: &str| root.join(name))
}

#[test]
fn each_format_reads_back_what_was_written() {
    let (_folder, file) = folder();
    let cases = [
        ("a.tif", Target::Tiff { sixteen_bit: true, deflate: false }, FileFormat::Tiff, 16, 0),
        ("b.tif", Target::Tiff { sixteen_bit: false, deflate: true }, FileFormat::Tiff, 8, 129),
        ("c.png", Target::Png { sixteen_bit: true }, FileFormat::Png, 16, 0),
        ("d.png", Target::Png { sixteen_bit: false }, FileFormat::Png, 8, 129),
        ("e.jpg", Target::Jpeg { quality: 98 }, FileFormat::Jpeg, 8, 257 * 6),
    ];
    for (name, target, format, bits, tolerance) in cases {
        write(&file(name), target, None);
        let (facts, samples) = read(&file(name)).unwrap();
        assert_eq!((facts.format, facts.width, facts.height), (format, WIDTH, HEIGHT), "{name}");
        assert_eq!(facts.bits, bits, "{name}");
        assert!(facts.profile.is_some(), "{name} carries its profile");
        assert!(worst(&samples) <= tolerance, "{name}: off by {}", worst(&samples));
    }
}

/// All that a camera and a person may have written into a file.
fn taken() -> Facts {
    let text = |text: &str| Some(text.to_owned());
    let gps = |tag, value| GpsEntry { tag, value };
    let details = Details {
        make: text("Müller 小米"),
        model: text("Simulated camera ä"),
        lens_make: text("Simulated"),
        artist: text("Anna Österreich"),
        copyright: text("© Anna Österreich"),
        description: text("A mast by a salt pan"),
        subsecond: text("042"),
        offset: text("+01:00"),
        per_inch: Some([300.0, 300.0]),
        gps: vec![
            gps(0, GpsValue::Bytes(vec![2, 3, 0, 0])),
            gps(1, GpsValue::Text("N".to_owned())),
            gps(2, GpsValue::Ratios(vec![[36, 1], [45, 1], [1234, 100]])),
            gps(3, GpsValue::Text("W".to_owned())),
            gps(4, GpsValue::Ratios(vec![[2, 1], [11, 1], [5, 1]])),
            gps(5, GpsValue::Bytes(vec![0])),
            gps(6, GpsValue::Ratios(vec![[12, 1]])),
            gps(27, GpsValue::Bytes(b"ASCII\0\0\0GPS".to_vec())),
        ],
    };
    Facts {
        exposure_s: Some(8.0),
        iso: Some(102_400),
        aperture: Some(2.8),
        focal_mm: Some(20.0),
        taken: text("2026-03-14 22:10:05"),
        camera: text("Müller 小米 Simulated camera ä"),
        lens: text("Simulated 20 mm f/2.8 é"),
        details,
        ..Facts::bare(FileFormat::Tiff, WIDTH, HEIGHT, 16)
    }
}

#[test]
fn every_format_keeps_how_it_was_taken_in_all_letters() {
    let (_folder, file) = folder();
    let facts = taken();
    let targets = [
        ("a.tif", Target::Tiff { sixteen_bit: true, deflate: false }),
        ("b.tif", Target::Tiff { sixteen_bit: false, deflate: true }),
        ("c.png", Target::Png { sixteen_bit: true }),
        ("d.jpg", Target::Jpeg { quality: 90 }),
    ];
    for (name, target) in targets {
        write(&file(name), target, Some(&facts));
        let (read, _) = read(&file(name)).unwrap();
        let Facts { format, bits, .. } = read;
        assert_eq!(
            Facts { profile: None, ..read },
            Facts { format, bits, ..facts.clone() },
            "{name}"
        );
    }
}

#[test]
fn the_place_is_left_out_where_that_is_wanted() {
    let (_folder, file) = folder();
    let (facts, encoding) = (taken(), Encoding::srgb());
    let taken = Some(Taken { facts: &facts, stack: None, place: false });
    let picture = Picture { width: 8, height: 8, channels: 3, encoding: &encoding, taken };
    for (name, target) in [
        ("a.tif", Target::Tiff { sixteen_bit: true, deflate: false }),
        ("b.jpg", Target::Jpeg { quality: 90 }),
    ] {
        write_picture(&file(name), target, &picture, &mut |_, _| Ok(())).unwrap();
        let (read, _) = read(&file(name)).unwrap();
        assert!(read.details.gps.is_empty() && read.details.artist == facts.details.artist);
    }
}

/// A JPEG with an EXIF block that says how it lies.
fn turned_jpeg(path: &Path, orientation: u8) {
    let pixels: Vec<u8> = (0..HEIGHT)
        .flat_map(|y| {
            (0..WIDTH).flat_map(move |x| (0..3).map(move |c| (value(x, y, c) >> 8) as u8))
        })
        .collect();
    let bytes = encode_jpeg(WIDTH as u16, HEIGHT as u16, &pixels, 98);
    let mut block = b"Exif\0\0II*\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0".to_vec();
    block.extend([orientation, 0, 0, 0, 0, 0, 0, 0]);
    let length = (block.len() as u16 + 2).to_be_bytes();
    let turned = [&bytes[..2], &[0xff, 0xe1], &length, &block, &bytes[2..]].concat();
    std::fs::write(path, turned).unwrap();
}

#[test]
fn a_jpeg_of_a_camera_held_upright_is_read_upright() {
    let (_folder, file) = folder();
    // The camera lay on its right side, on its left side, and on its head.
    for orientation in [6, 8, 3] {
        turned_jpeg(&file("t.jpg"), orientation);
        let (facts, samples) = read(&file("t.jpg")).unwrap();
        let size = if orientation == 3 { (WIDTH, HEIGHT) } else { (HEIGHT, WIDTH) };
        assert_eq!((facts.width, facts.height), size);
        let at = |x: u32, y: u32| samples[((y * size.0 + x) * 3) as usize];
        // The stored left top corner, and the one to its right.
        let (first, next) = match orientation {
            6 => ((HEIGHT - 1, 0), (HEIGHT - 1, WIDTH - 1)),
            8 => ((0, WIDTH - 1), (0, 0)),
            _ => ((WIDTH - 1, HEIGHT - 1), (0, HEIGHT - 1)),
        };
        for ((x, y), stored) in [(first, value(0, 0, 0)), (next, value(WIDTH - 1, 0, 0))] {
            assert!(at(x, y).abs_diff(stored) < 257 * 6, "{orientation}: {} {stored}", at(x, y));
        }
    }
}

#[test]
fn the_content_counts_and_not_the_name() {
    let (_folder, file) = folder();
    write(&file("a.png"), Target::Png { sixteen_bit: true }, None);
    std::fs::rename(file("a.png"), file("a.tif")).unwrap();
    assert_eq!(read(&file("a.tif")).unwrap().0.format, FileFormat::Png);
}

#[test]
fn cut_files_of_each_format_are_refused() {
    let (_folder, file) = folder();
    let cases = [
        ("a.tif", Target::Tiff { sixteen_bit: true, deflate: false }),
        ("c.png", Target::Png { sixteen_bit: true }),
        ("e.jpg", Target::Jpeg { quality: 90 }),
    ];
    for (name, target) in cases {
        write(&file(name), target, None);
        let bytes = std::fs::read(file(name)).unwrap();
        for keep in [bytes.len() / 2, bytes.len() / 20, 9] {
            std::fs::write(file(name), &bytes[..keep]).unwrap();
            let error = read(&file(name)).unwrap_err().to_string();
            assert!(error.starts_with(name), "{error}");
            assert_eq!(error.matches(". ").count(), 0, "one sentence: {error}");
        }
    }
}

#[test]
fn text_and_empty_files_are_told_apart() {
    let (_folder, file) = folder();
    std::fs::write(file("note.tif"), "the moon sets at four").unwrap();
    let error = PictureFile::open(&file("note.tif")).err().unwrap().to_string();
    assert!(error.contains("note.tif: this is not a camera raw"), "{error}");
    assert!(error.contains("the moon sets at"), "{error}");
    std::fs::write(file("none.tif"), "").unwrap();
    let error = PictureFile::open(&file("none.tif")).err().unwrap().to_string();
    assert!(error.contains("it is empty"), "{error}");
}

/// A TIFF header without pixels: 16-bit RGB of the given size, one strip.
fn bare_tiff(side: u32) -> Vec<u8> {
    let entries: [(u16, u16, u32, u32); 8] = [
        (256, 4, 1, side),
        (257, 4, 1, side),
        (258, 3, 1, 16),
        (262, 3, 1, 1),
        (273, 4, 1, 8),
        (277, 3, 1, 1),
        (278, 4, 1, side),
        (279, 4, 1, 64),
    ];
    let mut bytes = b"II*\0\x08\0\0\0".to_vec();
    bytes.extend(directory::of(&entries));
    bytes
}

#[test]
fn absurd_headers_are_refused_before_memory_is_taken() {
    let (_folder, file) = folder();
    std::fs::write(file("vast.tif"), bare_tiff(60_000)).unwrap();
    let error = PictureFile::open(&file("vast.tif")).err().unwrap();
    assert!(matches!(error, PictureError::TooLarge { width: 60_000, .. }), "{error}");
    assert!(error.to_string().contains("60000 x 60000"), "{error}");

    write(&file("vast.png"), Target::Png { sixteen_bit: false }, None);
    let mut bytes = std::fs::read(file("vast.png")).unwrap();
    bytes[16..24].copy_from_slice(&[0, 0, 0xea, 0x60, 0, 0, 0xea, 0x60]);
    // The header's checksum covers the size.
    let crc = crc32(&bytes[12..29]);
    bytes[29..33].copy_from_slice(&crc.to_be_bytes());
    std::fs::write(file("vast.png"), bytes).unwrap();
    let error = PictureFile::open(&file("vast.png")).err().unwrap();
    assert!(matches!(error, PictureError::TooLarge { .. }), "{error}");
}

fn crc32(bytes: &[u8]) -> u32 {
    !bytes.iter().fold(!0u32, |crc, &byte| {
        (0..8)
            .fold(crc ^ byte as u32, |c, _| if c & 1 == 1 { c >> 1 ^ 0xedb8_8320 } else { c >> 1 })
    })
}

#[test]
fn a_failed_write_leaves_the_old_file_and_nothing_else() {
    let (folder, file) = folder();
    std::fs::write(file("keep.tif"), "old").unwrap();
    let encoding = Encoding::srgb();
    let picture =
        Picture { width: WIDTH, height: HEIGHT, channels: 3, encoding: &encoding, taken: None };
    let result = write_picture(
        &file("keep.tif"),
        Target::Tiff { sixteen_bit: true, deflate: false },
        &picture,
        &mut |y, _| {
            if y > 0 { Err(PictureError::Cancelled) } else { Ok(()) }
        },
    );
    assert!(matches!(result, Err(PictureError::Cancelled)));
    assert_eq!(std::fs::read(file("keep.tif")).unwrap(), b"old");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
}

#[test]
fn decode_to_tiles_keeps_every_sample() {
    let (folder, file) = folder();
    write(&file("a.tif"), Target::Tiff { sixteen_bit: true, deflate: false }, None);
    let mut seen = 0;
    let tiles = PictureFile::open(&file("a.tif"))
        .unwrap()
        .decode_to(&folder.path().join("a.tiles"), &mut |_, rows| {
            seen += rows.len();
            Ok(())
        })
        .unwrap();
    let whole = jade_pixels::tiled::Region { x: 0, y: 0, width: WIDTH, height: HEIGHT };
    let samples = tiles.read_region(whole).unwrap();
    assert_eq!(worst(&samples), 0);
    assert_eq!(seen, samples.len());
}
