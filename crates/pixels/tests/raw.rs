//! Mosaics through files.
#![cfg(feature = "raw")]

use jade_pixels::facts::{Details, Facts, FileFormat};
use jade_pixels::mosaic::{Mosaic, Pattern, Sensor};
use jade_pixels::read::{Orientation, PictureFile};
use jade_pixels::write::write_mosaic;
use std::path::Path;

fn mosaic() -> Mosaic {
    let (width, height) = (38, 26);
    let sensor = Sensor {
        pattern: Pattern::new([[1, 2], [0, 1]]).unwrap(),
        black: [500.0, 501.0, 502.5, 503.0],
        white: 15_000.0,
        neutral: Some([0.5, 1.0, 0.625]),
        xyz_to_camera: Some([[0.9, -0.3, -0.1], [-0.4, 1.2, 0.2], [-0.1, 0.2, 0.6]]),
    };
    let codes = (0..width * height).map(|i| (500 + i * 37 % 14_000) as u16).collect();
    Mosaic { width, height, sensor, codes }
}

fn facts() -> Facts {
    let model = Some("Simulated camera".to_owned());
    Facts {
        details: Details { model, ..Details::default() },
        exposure_s: Some(8.0),
        iso: Some(6400),
        aperture: Some(2.0),
        focal_mm: Some(21.0),
        taken: Some("2026-03-14 22:10:05".to_owned()),
        camera: Some("Simulated camera".to_owned()),
        lens: Some("Simulated 21 mm".to_owned()),
        ..Facts::bare(FileFormat::Raw, 38, 26, 16)
    }
}

fn write(folder: &Path) -> std::path::PathBuf {
    let path = folder.join("f01.dng");
    write_mosaic(&path, &mosaic(), &facts()).unwrap();
    path
}

#[test]
fn a_mosaic_and_its_facts_survive_a_dng() {
    let folder = tempfile::tempdir().unwrap();
    let file = PictureFile::open(&write(folder.path())).unwrap();
    assert_eq!(*file.facts(), Facts { neutral: Some([0.5, 1.0, 0.625]), ..facts() });
    assert_eq!(file.sensor(), Some(&mosaic().sensor));
    let (read, orientation) = file.mosaic().unwrap().unwrap();
    assert_eq!(orientation, Orientation::UPRIGHT);
    assert_eq!(read, mosaic());
}

#[test]
fn a_mosaic_has_no_rows_before_it_is_developed() {
    let folder = tempfile::tempdir().unwrap();
    let file = PictureFile::open(&write(folder.path())).unwrap();
    let error = file.rows(&mut |_, _| Ok(())).unwrap_err();
    assert!(error.to_string().starts_with("f01.dng: "), "{error}");
}

/// The raw library takes memory for as many pixels as any of the directories announces.
#[test]
fn a_raw_picture_without_end_is_refused_before_memory_is_taken_for_it() {
    let folder = tempfile::tempdir().unwrap();
    let path = write(folder.path());
    let whole = std::fs::read(&path).unwrap();
    // Width, height, and samples of each pixel, as entries of one whole number.
    for tag in [256u16, 257, 277] {
        let mut places = 0;
        for at in (0..whole.len() - 12).step_by(2) {
            let [kind, count] = [at + 2, at + 4].map(|i| u32::from(whole[i]));
            if whole[at..at + 2] != tag.to_le_bytes() || ![3, 4].contains(&kind) || count != 1 {
                continue;
            }
            places += 1;
            let mut bytes = whole.clone();
            bytes[at + 2] = 4;
            bytes[at + 8..at + 12].copy_from_slice(&0x0fff_ffffu32.to_le_bytes());
            std::fs::write(&path, bytes).unwrap();
            let said = PictureFile::open(&path).err().unwrap().to_string();
            assert!(said.starts_with("f01.dng: "), "{said}");
        }
        assert!(places > 0, "tag {tag}");
    }
}

/// The raw library follows directories for as long as they lead on, and keeps all their values.
#[test]
fn directories_without_end_are_refused_before_they_are_followed() {
    let folder = tempfile::tempdir().unwrap();
    let path = write(folder.path());
    let whole = std::fs::read(&path).unwrap();
    let first = u32::from_le_bytes(whole[4..8].try_into().unwrap());
    let begin = first as usize + 2;
    let entries = usize::from(u16::from_le_bytes([whole[begin - 2], whole[begin - 1]]));
    let end = begin + 12 * entries;
    let said = |bytes: &[u8]| {
        std::fs::write(&path, bytes).unwrap();
        PictureFile::open(&path).err().map(|error| error.to_string()).unwrap_or_default()
    };
    let with = |at: usize, numbers: &[u32]| {
        let mut bytes = whole.clone();
        for (i, number) in numbers.iter().enumerate() {
            bytes[at + 4 * i..at + 4 * i + 4].copy_from_slice(&number.to_le_bytes());
        }
        bytes
    };
    assert_eq!(said(&whole), "");
    // Some writers end the file behind the last entry, without a place of the next directory.
    let mut last = whole.clone();
    last[4..8].copy_from_slice(&(whole.len() as u32).to_le_bytes());
    last.extend_from_slice(&whole[begin - 2..end]);
    assert_eq!(said(&last), "");
    let circle = said(&with(end, &[first]));
    assert!(circle.contains("lead in a circle"), "{circle}");
    // The last entry's values; what follows it would be looked for behind them.
    let beyond = said(&with(end - 8, &[0x10_0000]));
    assert!(beyond.contains("lie beyond its end"), "{beyond}");
    // Four entries hold the same bytes, which are all of the file.
    let mut bytes = whole.clone();
    for i in 0..4 {
        let at = begin + 12 * (entries - 5 + i);
        bytes[at + 2..at + 4].copy_from_slice(&1u16.to_le_bytes());
        bytes[at + 4..at + 8].copy_from_slice(&(whole.len() as u32).to_le_bytes());
        bytes[at + 8..at + 12].fill(0);
    }
    let more = said(&bytes);
    assert!(more.contains("announces more than it holds"), "{more}");
    // A directory for every two bytes of the file, behind its end.
    let places: Vec<u32> = (0..2000).map(|i| whole.len() as u32 + 4 + 2 * i).collect();
    let mut bytes = whole.clone();
    let at = begin + 12 * (entries - 2);
    bytes[at..at + 4].copy_from_slice(&[0x4a, 0x01, 4, 0]);
    bytes[at + 4..at + 8].copy_from_slice(&(places.len() as u32).to_le_bytes());
    bytes[at + 8..at + 12].copy_from_slice(&(whole.len() as u32).to_le_bytes());
    bytes.extend(places.iter().flat_map(|place| place.to_le_bytes()));
    let many = said(&bytes);
    assert!(many.contains("directories without end"), "{many}");
}

/// Cut at any place, or with any byte another, a file is read or refused by name; nothing else.
#[test]
fn a_broken_dng_is_refused_by_its_name() {
    let folder = tempfile::tempdir().unwrap();
    let whole = std::fs::read(write(folder.path())).unwrap();
    let path = folder.path().join("broken.dng");
    let read = |bytes: &[u8]| {
        std::fs::write(&path, bytes).unwrap();
        PictureFile::open(&path).and_then(|file| match file.sensor() {
            Some(_) => file.mosaic().map(drop),
            None => file.rows(&mut |_, _| Ok(())),
        })
    };
    let samples: Vec<u8> = mosaic().codes.iter().flat_map(|code| code.to_le_bytes()).collect();
    let end =
        whole.windows(samples.len()).position(|bytes| bytes == samples).unwrap() + samples.len();
    for cut in (0..whole.len()).step_by(23) {
        match read(&whole[..cut]) {
            // Without all that is told about the camera, but with all samples, it can be read.
            Ok(()) => assert!(cut >= end, "cut after {cut} of {end} bytes"),
            Err(error) => assert!(error.to_string().starts_with("broken.dng: "), "{error}"),
        }
    }
    for place in 0..whole.len() {
        let mut bytes = whole.clone();
        bytes[place] ^= 0x5a;
        if let Err(error) = read(&bytes) {
            assert!(error.to_string().starts_with("broken.dng: "), "{error}");
        }
    }
}
