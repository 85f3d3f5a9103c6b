//! DNGs that hold no mosaic of two by two colours: light is made of them.
#![cfg(feature = "raw")]

use jade_pixels::read::PictureFile;
use std::fs::File;
use std::path::Path;
use tiff::encoder::{Rational, SRational, TiffEncoder};
use tiff::tags::Tag;

/// Width and height of all pictures.
const SIZE: (u32, u32) = (72, 60);
/// What the camera records of grey.
const NEUTRAL: [f64; 3] = [0.5, 1.0, 0.625];
const WHITE: u16 = 60_000;
/// Sensors whose colours repeat after six columns and six rows: 0 red, 1 green, 2 blue.
const SIX_BY_SIX: [[u8; 6]; 6] = [
    [1, 2, 1, 1, 0, 1],
    [0, 1, 0, 2, 1, 2],
    [1, 2, 1, 1, 0, 1],
    [1, 0, 1, 1, 2, 1],
    [2, 1, 2, 0, 1, 0],
    [1, 0, 1, 1, 2, 1],
];

/// The code of a colour of the camera for grey of this light.
fn code(light: f64, colour: usize) -> u16 {
    (light * NEUTRAL[colour] * f64::from(WHITE)).round() as u16
}

/// Writes samples as a DNG; `pattern` where they are a mosaic.
fn write(path: &Path, samples: &[u16], pattern: Option<[[u8; 6]; 6]>) {
    let mut encoder = TiffEncoder::new(File::create(path).unwrap()).unwrap();
    let mut directory = encoder.image_directory().unwrap();
    let at = directory.write_data(samples).unwrap() as u32;
    let tag = Tag::from_u16_exhaustive;
    let each = samples.len() as u32 / (SIZE.0 * SIZE.1);
    let photometric = if pattern.is_some() { 32_803 } else { 34_892 };
    for (number, value) in [(259, 1), (262, photometric), (274, 1), (277, each), (284, 1)] {
        directory.write_tag(tag(number), value as u16).unwrap();
    }
    directory.write_tag(tag(258), &vec![16u16; each as usize][..]).unwrap();
    directory.write_tag(tag(50_778), 21u16).unwrap();
    let length = samples.len() as u32 * 2;
    let white = u32::from(WHITE);
    for (number, value) in [
        (254, 0),
        (256, SIZE.0),
        (257, SIZE.1),
        (273, at),
        (278, SIZE.1),
        (279, length),
        (50_717, white),
    ] {
        directory.write_tag(tag(number), value).unwrap();
    }
    directory.write_tag(tag(50_706), &[1u8, 4, 0, 0][..]).unwrap();
    if let Some(pattern) = pattern {
        directory.write_tag(tag(33_421), &[6u16, 6][..]).unwrap();
        directory.write_tag(tag(33_422), pattern.as_flattened()).unwrap();
    }
    let neutral = NEUTRAL.map(|v| Rational { n: (v * 1000.0) as u32, d: 1000 });
    directory.write_tag(tag(50_728), &neutral[..]).unwrap();
    let matrix = [0.9, -0.3, -0.1, -0.4, 1.2, 0.2, -0.1, 0.2, 0.6];
    let matrix = matrix.map(|v: f64| SRational { n: (v * 1000.0).round() as i32, d: 1000 });
    directory.write_tag(tag(50_721), &matrix[..]).unwrap();
    directory.finish().unwrap();
}

fn light(path: &Path) -> Vec<f32> {
    let file = PictureFile::open(path).unwrap();
    assert_eq!((file.facts().width, file.facts().height), SIZE);
    assert!(file.sensor().is_none() && file.is_float());
    let mut all = vec![];
    file.light(&mut |_, rows| {
        all.extend_from_slice(rows);
        Ok(())
    })
    .unwrap();
    all
}

#[test]
fn grey_in_the_cameras_own_colours_is_grey_light() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("linear.dng");
    let shade = |pixel: u32| 0.05 + 0.9 * f64::from(pixel % SIZE.0) / f64::from(SIZE.0);
    let pixels = 0..SIZE.0 * SIZE.1;
    let samples: Vec<u16> =
        pixels.flat_map(|pixel| [0, 1, 2].map(|colour| code(shade(pixel), colour))).collect();
    write(&path, &samples, None);
    for (i, v) in light(&path).iter().enumerate() {
        let wanted = shade(i as u32 / 3);
        assert!((f64::from(*v) - wanted).abs() < 1e-3, "sample {i}: {v}, not {wanted}");
    }
}

#[test]
fn grey_under_six_by_six_colours_is_grey_light() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("six.dng");
    // One step from dark to light, far from which all is even.
    let shade = |x: u32| if x < SIZE.0 / 2 { 0.1 } else { 0.7 };
    let samples: Vec<u16> = (0..SIZE.0 * SIZE.1)
        .map(|pixel| {
            let (x, y) = (pixel % SIZE.0, pixel / SIZE.0);
            code(shade(x), SIX_BY_SIX[y as usize % 6][x as usize % 6].into())
        })
        .collect();
    write(&path, &samples, Some(SIX_BY_SIX));
    let light = light(&path);
    for y in 12..SIZE.1 - 12 {
        for x in (12..24).chain(SIZE.0 - 24..SIZE.0 - 12) {
            let at = (y * SIZE.0 + x) as usize * 3;
            let off = light[at..at + 3].iter().map(|v| (f64::from(*v) - shade(x)).abs());
            assert!(off.fold(0.0, f64::max) < 0.01, "{x}, {y}: {:?}", &light[at..at + 3]);
        }
    }
}
