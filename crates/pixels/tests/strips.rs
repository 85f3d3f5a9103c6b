//! TIFFs cut and coded in every way that is read strip by strip, built here byte by byte.

use flate2::Compression;
use flate2::write::ZlibEncoder;
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use proptest::prelude::*;
use std::io::Write;
use std::path::Path;

#[derive(Debug, Clone, Copy)]
struct Made {
    width: u32,
    height: u32,
    rows_per_strip: u32,
    /// 1 grey, 2 grey and opacity, 3 RGB, 4 RGB and opacity.
    channels: u32,
    sixteen_bit: bool,
    big_endian: bool,
    differences: bool,
    deflate: bool,
    /// How it lies, as the tag says it.
    orientation: u32,
}

impl Made {
    fn value(&self, x: u32, y: u32, c: u32) -> u16 {
        let value = (x * 2731 + y * 977 + c * 12007 + x * y * 31) as u16;
        if self.sixteen_bit { value } else { value >> 8 }
    }

    fn row(&self, y: u32) -> Vec<u8> {
        let mut bytes = Vec::new();
        for x in 0..self.width {
            for c in 0..self.channels {
                let left = match self.differences && x > 0 {
                    true => self.value(x - 1, y, c),
                    false => 0,
                };
                let sample = self.value(x, y, c).wrapping_sub(left);
                match (self.sixteen_bit, self.big_endian) {
                    (false, _) => bytes.push(sample as u8),
                    (true, true) => bytes.extend(sample.to_be_bytes()),
                    (true, false) => bytes.extend(sample.to_le_bytes()),
                }
            }
        }
        bytes
    }

    fn strips(&self) -> Vec<Vec<u8>> {
        let first = (0..self.height).step_by(self.rows_per_strip as usize);
        let strip = |y: u32| {
            let end = (y + self.rows_per_strip).min(self.height);
            let plain: Vec<u8> = (y..end).flat_map(|y| self.row(y)).collect();
            if !self.deflate {
                return plain;
            }
            let mut packed = ZlibEncoder::new(Vec::new(), Compression::new(4));
            packed.write_all(&plain).unwrap();
            packed.finish().unwrap()
        };
        first.map(strip).collect()
    }

    fn file(&self) -> Vec<u8> {
        let word = |v: u16| if self.big_endian { v.to_be_bytes() } else { v.to_le_bytes() };
        let long = |v: u32| if self.big_endian { v.to_be_bytes() } else { v.to_le_bytes() };
        let strips = self.strips();
        let mut bytes = if self.big_endian { b"MM".to_vec() } else { b"II".to_vec() };
        bytes.extend(word(42));
        bytes.extend(long(0));
        let mut offsets = Vec::new();
        for strip in &strips {
            offsets.push(bytes.len() as u32);
            bytes.extend(strip);
        }
        let mut put = |values: &[u32]| {
            let at = bytes.len() as u32;
            values.iter().for_each(|v| bytes.extend(long(*v)));
            at
        };
        let lengths: Vec<u32> = strips.iter().map(|s| s.len() as u32).collect();
        let (offsets_at, lengths_at) = (put(&offsets), put(&lengths));
        let bits_at = bytes.len() as u32;
        let bits = if self.sixteen_bit { 16 } else { 8 };
        (0..self.channels).for_each(|_| bytes.extend(word(bits)));
        let count = strips.len() as u32;
        let lists = |list: &[u32], at: u32| if count == 1 { list[0] } else { at };
        // Tag, type (3 short, 4 long), number of values, and the value or its place.
        let mut entries = vec![
            (256, 4, 1, self.width),
            (257, 4, 1, self.height),
            (258, 3, self.channels, if self.channels == 1 { bits as u32 } else { bits_at }),
            (259, 3, 1, if self.deflate { 8 } else { 1 }),
            (262, 3, 1, if self.channels > 2 { 2 } else { 1 }),
            (273, 4, count, lists(&offsets, offsets_at)),
            (274, 3, 1, self.orientation),
            (277, 3, 1, self.channels),
            (278, 4, 1, self.rows_per_strip),
            (279, 4, count, lists(&lengths, lengths_at)),
            (317, 3, 1, if self.differences { 2 } else { 1 }),
        ];
        if self.channels.is_multiple_of(2) {
            entries.push((338, 3, 1, 2));
        }
        let directory = (bytes.len() as u32).next_multiple_of(2);
        bytes.resize(directory as usize, 0);
        bytes[4..8].copy_from_slice(&long(directory));
        bytes.extend(word(entries.len() as u16));
        for (tag, kind, count, value) in entries {
            bytes.extend(word(tag));
            bytes.extend(word(kind));
            bytes.extend(long(count));
            // Two shorts fit beside each other in the entry itself.
            match (kind, count) {
                (3, 1) => bytes.extend(word(value as u16).into_iter().chain([0, 0])),
                (3, 2) => bytes.extend(word(bits).into_iter().chain(word(bits))),
                _ => bytes.extend(long(value)),
            }
        }
        bytes.extend(long(0));
        bytes
    }

    /// What is read: brought upright, grey becomes three colours, 8 bits are widened.
    fn truth(&self) -> Vec<u16> {
        let mut samples = Vec::new();
        // On which side of the seen picture the first stored row and column lie.
        let (row, column) = [
            ("top", "left"),
            ("top", "right"),
            ("bottom", "right"),
            ("bottom", "left"),
            ("left", "top"),
            ("right", "top"),
            ("right", "bottom"),
            ("left", "bottom"),
        ][self.orientation as usize - 1];
        let (columns, rows) = match row {
            "top" | "bottom" => (self.width, self.height),
            _ => (self.height, self.width),
        };
        for seen_y in 0..rows {
            for seen_x in 0..columns {
                // How far from a side.
                let from = |side: &str| match side {
                    "top" => seen_y,
                    "bottom" => rows - 1 - seen_y,
                    "left" => seen_x,
                    _ => columns - 1 - seen_x,
                };
                let (x, y) = (from(column), from(row));
                for c in 0..3 {
                    let value = self.value(x, y, if self.channels > 2 { c } else { 0 });
                    samples.push(if self.sixteen_bit { value } else { value * 257 });
                }
            }
        }
        samples
    }
}

fn read(path: &Path) -> Result<Vec<u16>, PictureError> {
    let mut samples = Vec::new();
    PictureFile::open(path)?.rows(&mut |_, rows| {
        samples.extend_from_slice(rows);
        Ok(())
    })?;
    Ok(samples)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(160))]
    #[test]
    fn every_way_of_cutting_and_coding_reads_the_same(
        (width, height, rows_per_strip) in (1u32..70, 1u32..300, 1u32..320),
        channels in 1u32..5,
        [sixteen_bit, big_endian, differences, deflate] in any::<[bool; 4]>(),
        orientation in prop_oneof![3 => Just(1u32), 2 => 2u32..9],
    ) {
        let made = Made {
            width, height, rows_per_strip, channels, sixteen_bit, big_endian, differences, deflate,
            orientation,
        };
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("made.tif");
        std::fs::write(&path, made.file()).unwrap();
        prop_assert!(read(&path).unwrap() == made.truth(), "{:?}", made);
    }
}

const PACKED: Made = Made {
    width: 60,
    height: 200,
    rows_per_strip: 50,
    channels: 3,
    sixteen_bit: true,
    big_endian: false,
    differences: true,
    deflate: true,
    orientation: 1,
};

#[test]
fn spoiled_strips_are_told_and_give_no_picture() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("spoiled.tif");
    let good = PACKED.file();
    let strips = PACKED.strips();
    let second = 8 + strips[0].len();
    for (name, spoil) in [
        ("its header", second..second + 2),
        ("its data", second + 40..second + 400),
        ("its checksum", second + strips[1].len() - 4..second + strips[1].len()),
    ] {
        let mut bytes = good.clone();
        bytes[spoil].iter_mut().for_each(|b| *b ^= 0x5a);
        std::fs::write(&path, bytes).unwrap();
        let error = read(&path).err().unwrap_or_else(|| panic!("{name} is spoiled")).to_string();
        assert!(error.contains("spoiled.tif: the picture data are damaged"), "{error}");
    }
}

#[test]
fn a_strip_that_holds_too_little_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("short.tif");
    // The header speaks of more rows than were packed.
    let mut bytes = PACKED.file();
    let directory = u32::from_le_bytes(bytes[4..8].try_into().unwrap()) as usize;
    let height = directory + 2 + 12 + 8;
    bytes[height..height + 4].copy_from_slice(&190u32.to_le_bytes());
    let rows = directory + 2 + 8 * 12 + 8;
    bytes[rows..rows + 4].copy_from_slice(&60u32.to_le_bytes());
    std::fs::write(&path, bytes).unwrap();
    let error = read(&path).err().unwrap().to_string();
    assert!(error.contains("a strip of the wrong length"), "{error}");
}
