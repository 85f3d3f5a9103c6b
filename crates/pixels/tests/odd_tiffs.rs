//! TIFFs of other makers: read as they are meant, or refused by the name of what is not understood.

mod directory;

use jade_pixels::read::PictureFile;
use std::io::Write;
use std::path::Path;

/// Width and height of all pictures here.
const SIZE: (u32, u32) = (37, 21);
const PIXELS: usize = (SIZE.0 * SIZE.1) as usize;

/// A TIFF to be written: entries beside those that say where its one strip is, and the strip.
struct Tiff {
    entries: Vec<(u16, u16, u32, u32)>,
    strip: Vec<u8>,
}

impl Tiff {
    /// A picture of `samples` samples of `bits` bits for each pixel.
    fn new(samples: u32, bits: u32, photometric: u32, strip: Vec<u8>) -> Self {
        let entries = vec![
            (256, 4, 1, SIZE.0),
            (257, 4, 1, SIZE.1),
            // All samples are alike, so that one number says it.
            (258, 3, 1, bits),
            (259, 3, 1, 1),
            (262, 3, 1, photometric),
            (277, 3, 1, samples),
            (278, 4, 1, SIZE.1),
        ];
        Self { entries, strip }
    }

    fn with(mut self, tag: u16, kind: u16, value: u32) -> Self {
        self.entries.retain(|entry| entry.0 != tag);
        self.entries.push((tag, kind, 1, value));
        self
    }

    /// The same with its strip packed.
    fn packed(mut self, compression: u32, strip: Vec<u8>) -> Self {
        self.strip = strip;
        self.with(259, 3, compression)
    }
}

/// A file of pictures, one after the other.
fn file(pictures: &[Tiff]) -> Vec<u8> {
    let mut bytes = b"II*\0\0\0\0\0".to_vec();
    let mut link = 4;
    for picture in pictures {
        let at = bytes.len() as u32;
        bytes.extend(&picture.strip);
        let mut entries = picture.entries.clone();
        entries.push((273, 4, 1, at));
        entries.push((279, 4, 1, picture.strip.len() as u32));
        entries.sort();
        let here = (bytes.len() as u32).to_le_bytes();
        bytes[link..link + 4].copy_from_slice(&here);
        bytes.extend(directory::of(&entries));
        link = bytes.len() - 4;
    }
    bytes
}

fn codes(bytes: &[u8]) -> Result<Vec<u16>, String> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("f1.tif");
    std::fs::write(&path, bytes).unwrap();
    let mut all = vec![];
    let file = PictureFile::open(&path).map_err(|e| e.to_string())?;
    let rows = file.rows(&mut |_, some| {
        all.extend_from_slice(some);
        Ok(())
    });
    rows.map(|()| all).map_err(|e| e.to_string())
}

fn light(path: &Path, bytes: &[u8]) -> Vec<f32> {
    std::fs::write(path, bytes).unwrap();
    let mut all = vec![];
    PictureFile::open(path)
        .unwrap()
        .light(&mut |_, some| {
            all.extend_from_slice(some);
            Ok(())
        })
        .unwrap();
    all
}

fn code(i: usize) -> u16 {
    (i * 40_503 % 65_536) as u16
}

/// Interleaved samples of 16 bit.
fn words(samples: usize) -> Vec<u8> {
    (0..PIXELS * samples).flat_map(|i| code(i).to_le_bytes()).collect()
}

/// The first three of so many samples of each pixel.
fn first_three(samples: usize) -> Vec<u16> {
    (0..PIXELS).flat_map(|p| (0..3).map(move |c| code(p * samples + c))).collect()
}

#[test]
fn samples_beyond_colours_are_passed_over_whatever_they_are() {
    // No meaning told, opacity, both, and five samples with nothing said of the last two.
    for (samples, kinds) in [(4, Some(0)), (4, Some(2)), (5, Some(2)), (5, None)] {
        let mut tiff = Tiff::new(samples, 16, 2, words(samples as usize));
        if let Some(kind) = kinds {
            tiff = tiff.with(338, 3, kind);
        }
        assert_eq!(codes(&file(&[tiff])).unwrap(), first_three(samples as usize), "{samples}");
    }
    // Packed, with differences to the left neighbour of every sample.
    let mut differences = vec![];
    for row in 0..SIZE.1 as usize {
        for i in 0..SIZE.0 as usize * 5 {
            let at = row * SIZE.0 as usize * 5 + i;
            let left = if i < 5 { 0 } else { code(at - 5) };
            differences.extend(code(at).wrapping_sub(left).to_le_bytes());
        }
    }
    let mut lzw = weezl::encode::Encoder::with_tiff_size_switch(weezl::BitOrder::Msb, 8);
    let packed = lzw.encode(&differences).unwrap();
    let tiff = Tiff::new(5, 16, 2, vec![]).packed(5, packed).with(317, 3, 2);
    assert_eq!(codes(&file(&[tiff])).unwrap(), first_three(5));
}

/// Without a profile, EXIF alone may say that the colours are those of A98 RGB (DCF 2.0, "R03").
#[test]
fn colours_that_exif_alone_names_are_taken_as_these() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("f1.tif");
    let named = |rule: &[u8; 4]| {
        // The two directories lie behind the pixels; the first one leads to the second.
        let mut strip = words(3);
        let exif = 8 + strip.len() as u32;
        let rules = exif + 18;
        strip.extend(directory::of(&[(0xa005, 4, 1, rules)]));
        strip.extend(directory::of(&[(1, 2, 4, u32::from_le_bytes(*rule))]));
        std::fs::write(&path, file(&[Tiff::new(3, 16, 2, strip).with(34_665, 4, exif)])).unwrap();
        PictureFile::open(&path).unwrap().encoding().name().to_owned()
    };
    assert_eq!(named(b"R03\0"), "A98 RGB");
    assert_eq!(named(b"R98\0"), "sRGB");
}

#[test]
fn grey_of_which_zero_is_white_is_turned_round() {
    let grey: Vec<u8> = (0..PIXELS).map(|i| code(i) as u8).collect();
    let seen: Vec<u16> = grey.iter().flat_map(|v| [65_535 - u16::from(*v) * 257; 3]).collect();
    assert_eq!(codes(&file(&[Tiff::new(1, 8, 0, grey)])).unwrap(), seen);
}

#[test]
fn bits_in_reverse_order_are_put_in_order() {
    let reversed: Vec<u8> = words(3).iter().map(|byte| byte.reverse_bits()).collect();
    let tiff = Tiff::new(3, 16, 2, reversed).with(266, 3, 2);
    assert_eq!(codes(&file(&[tiff])).unwrap(), first_three(3));
}

#[test]
fn colours_that_lie_apart_are_put_together() {
    let plane = |c: usize| (0..PIXELS).flat_map(move |p| code(p * 3 + c).to_le_bytes());
    let strips: Vec<u8> = (0..3).flat_map(plane).collect();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("f1.tif");
    let mut bytes = b"II*\0\0\0\0\0".to_vec();
    bytes.extend(&strips);
    let list = bytes.len() as u32;
    let length = PIXELS as u32 * 2;
    bytes.extend(
        [8, 8 + length, 8 + 2 * length, length, length, length]
            .iter()
            .flat_map(|v: &u32| v.to_le_bytes()),
    );
    let mut entries = Tiff::new(3, 16, 2, vec![]).with(284, 3, 2).entries;
    entries.push((273, 4, 3, list));
    entries.push((279, 4, 3, list + 12));
    entries.sort();
    let here = (bytes.len() as u32).to_le_bytes();
    bytes[4..8].copy_from_slice(&here);
    bytes.extend(directory::of(&entries));
    std::fs::write(&path, &bytes).unwrap();
    assert_eq!(codes(&bytes).unwrap(), first_three(3));
}

#[test]
fn floating_point_numbers_of_all_sizes_are_read_from_one_strip() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("f1.tif");
    let value = |i: usize| f64::from(code(i)) / 40_000.0;
    let near = |light: &[f32], off: f64| {
        let worst = light.iter().enumerate().map(|(i, v)| (f64::from(*v) - value(i)).abs());
        assert!(worst.fold(0.0, f64::max) < off);
    };
    let doubles: Vec<u8> = (0..PIXELS * 3).flat_map(|i| value(i).to_le_bytes()).collect();
    near(&light(&path, &file(&[Tiff::new(3, 64, 2, doubles).with(339, 3, 3)])), 1e-6);
    let halves = (0..PIXELS * 3).flat_map(|i| half::f16::from_f64(value(i)).to_le_bytes());
    near(&light(&path, &file(&[Tiff::new(3, 16, 2, halves.collect()).with(339, 3, 3)])), 1e-3);
    // The predictor of floating-point numbers: bytes by weight, each less the one before.
    let mut packed = vec![];
    for row in 0..SIZE.1 as usize {
        let count = SIZE.0 as usize * 3;
        let numbers: Vec<[u8; 4]> =
            (0..count).map(|i| (value(row * count + i) as f32).to_be_bytes()).collect();
        let bytes: Vec<u8> = (0..4).flat_map(|b| numbers.iter().map(move |n| n[b])).collect();
        packed.extend(
            (0..bytes.len()).map(|i| bytes[i].wrapping_sub(if i < 3 { 0 } else { bytes[i - 3] })),
        );
    }
    let tiff = Tiff::new(3, 32, 2, packed).with(339, 3, 3).with(317, 3, 3);
    near(&light(&path, &file(&[tiff])), 1e-6);
}

#[test]
fn light_beyond_all_measure_is_refused() {
    let mut numbers = vec![0.25f32; PIXELS * 3];
    numbers[77] = 3e36;
    let strip = numbers.iter().flat_map(|v| v.to_le_bytes()).collect();
    let said = codes(&file(&[Tiff::new(3, 32, 2, strip).with(339, 3, 3)])).unwrap_err();
    assert!(said.contains("light of 3e36"), "{said}");
}

#[test]
fn zstandard_is_unpacked() {
    let packed = zstd::encode_all(words(3).as_slice(), 3).unwrap();
    let tiff = Tiff::new(3, 16, 2, vec![]).packed(50_000, packed.clone());
    assert_eq!(codes(&file(&[tiff])).unwrap(), first_three(3));
    let spoiled = Tiff::new(3, 16, 2, vec![]).packed(50_000, packed[..packed.len() / 2].to_vec());
    assert!(codes(&file(&[spoiled])).unwrap_err().contains("damaged"));
}

#[test]
fn packed_bits_are_unpacked() {
    let mut packed = vec![];
    for chunk in words(3).chunks(100) {
        packed.push(chunk.len() as u8 - 1);
        packed.write_all(chunk).unwrap();
    }
    let tiff = Tiff::new(3, 16, 2, vec![]).packed(32_773, packed);
    assert_eq!(codes(&file(&[tiff])).unwrap(), first_three(3));
}

#[test]
fn what_is_not_understood_is_refused_by_its_name() {
    let rgb = || Tiff::new(3, 8, 2, vec![0; PIXELS * 3]);
    let cases = [
        (rgb().with(262, 3, 6), "YCbCr"),
        (rgb().with(262, 3, 8), "Lab"),
        (Tiff::new(4, 8, 5, vec![0; PIXELS * 4]), "CMYK"),
        (Tiff::new(1, 8, 3, vec![0; PIXELS]), "palette"),
        (rgb().with(259, 3, 34_925), "LZMA"),
        (rgb().with(259, 3, 34_887), "LERC"),
        (rgb().with(259, 3, 50_001), "WebP"),
        (rgb().with(259, 3, 6), "JPEG of the old kind"),
        (rgb().with(317, 3, 7), "predictor 7"),
        (rgb().with(258, 3, 12), "12 bit"),
        (rgb().with(339, 3, 2), "numbers with a sign"),
        (rgb().with(339, 3, 4), "samples of kind 4"),
        (rgb().with(284, 3, 9), "arranged as 9"),
    ];
    for (tiff, name) in cases {
        let said = codes(&file(&[tiff])).unwrap_err();
        assert!(said.starts_with("f1.tif: ") && said.contains(name), "{name}: {said}");
        assert!(!said.contains("card"), "it is whole: {said}");
    }
}

#[test]
fn the_picture_itself_is_read_and_not_its_preview() {
    let preview = || {
        let mut tiff = Tiff::new(3, 8, 2, vec![9; 4 * 3 * 3]).with(256, 4, 4).with(257, 4, 3);
        tiff = tiff.with(278, 4, 3);
        tiff
    };
    let whole = || Tiff::new(3, 16, 2, words(3));
    // Said to be one, in either way, or just small.
    for preview in [preview().with(254, 4, 1), preview().with(255, 3, 2), preview()] {
        assert_eq!(codes(&file(&[preview, whole()])).unwrap(), first_three(3));
    }
    let mask = Tiff::new(1, 8, 4, vec![0; PIXELS]).with(254, 4, 4);
    assert_eq!(codes(&file(&[whole(), mask])).unwrap(), first_three(3));
    let said = codes(&file(&[whole(), whole()])).unwrap_err();
    assert!(said.contains("a TIFF of 2 pictures"), "{said}");
    let said = codes(&file(&[preview().with(254, 4, 1)])).unwrap_err();
    assert!(said.contains("only previews"), "{said}");
}

#[test]
fn a_directory_that_leads_back_to_itself_ends() {
    let mut bytes = file(&[Tiff::new(3, 16, 2, words(3))]);
    let first = bytes[4..8].to_vec();
    let end = bytes.len() - 4;
    bytes[end..].copy_from_slice(&first);
    assert_eq!(codes(&bytes).unwrap(), first_three(3));
}
