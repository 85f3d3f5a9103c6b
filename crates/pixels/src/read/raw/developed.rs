//! Light of raw files without a 2 x 2 mosaic: other mosaics, which the library demosaics, and
//! pictures in camera colours, such as linear DNGs.
//!
//! It is balanced by the camera's white balance, in sRGB's primaries; colours beyond those are
//! below 0.

use super::colours::{neutral, xyz_to_camera};
use super::crop::Crop;
use crate::PictureError;
use crate::mosaic::{Pattern, Sensor};
use rawler::formats::tiff::IFD;
use rawler::imgop::sensor::xtrans::markesteijn::XTransMarkesteijnDemosaic;
use rawler::imgop::sensor::{Demosaic, SensorType};
use rawler::imgop::{Dim2, Point, Rect};
use rawler::pixarray::PixF32;
use rawler::rawimage::{RawImage, RawPhotometricInterpretation};
use rawler::tags::TiffCommonTag;
use rayon::prelude::*;
use std::path::Path;

/// Whether an image can be developed to light.
pub fn can_make(image: &RawImage) -> bool {
    match &image.photometric {
        RawPhotometricInterpretation::Cfa(config) => {
            image.cpp == 1 && config.sensor == SensorType::Xtrans && config.cfa.is_rgb()
        }
        RawPhotometricInterpretation::LinearRaw | RawPhotometricInterpretation::BlackIsZero => {
            matches!(image.cpp, 1 | 3)
        }
    }
}

/// Whether the mosaic of a DNG repeats after six columns and six rows.
pub fn is_six_by_six(raw: &IFD) -> bool {
    let repeat = raw.get_entry(TiffCommonTag::CFARepeatPatternDim);
    repeat
        .is_some_and(|pattern| pattern.count() == 2 && (0..2).all(|i| pattern.force_usize(i) == 6))
}

/// Interleaved linear light of a part of an image.
///
/// # Errors
/// [`PictureError::Unsupported`] if it cannot be developed, [`PictureError::Damaged`] if sizes do
/// not agree.
pub fn light(path: &Path, image: RawImage, crop: Crop) -> Result<Vec<f32>, PictureError> {
    if !can_make(&image) {
        let what = "this arrangement of a sensor's colours";
        return Err(PictureError::unsupported_so(path, what, "develop it, and give the TIFF"));
    }
    let Crop([left, top, width, height]) = crop;
    let (all_wide, all_high, cpp) = (image.width, image.height, image.cpp);
    let mut samples = image.data.as_f32().into_owned();
    let agrees = samples.len() == all_wide * all_high * cpp;
    if !agrees || left + width > all_wide || top + height > all_high {
        return Err(PictureError::damaged(path, "its sizes do not agree"));
    }
    scale(&mut samples, &image);
    let pixels: Vec<[f32; 3]> = match &image.photometric {
        RawPhotometricInterpretation::Cfa(config) => {
            let whole = Rect::new(Point::new(0, 0), Dim2::new(all_wide, all_high));
            let mosaic = PixF32::new_with(samples, all_wide, all_high);
            let method = XTransMarkesteijnDemosaic::new_pass_1();
            method.demosaic(&mosaic, &config.cfa, &config.colors, whole).data
        }
        _ if cpp == 1 => samples.into_iter().map(|v| [v; 3]).collect(),
        _ => samples.as_chunks::<3>().0.to_vec(),
    };
    let turn = turn(
        &image,
        cpp == 1 && !matches!(image.photometric, RawPhotometricInterpretation::Cfa(_)),
    );
    let rows = pixels.par_chunks_exact(all_wide).skip(top).take(height);
    Ok(rows.flat_map_iter(|row| row[left..left + width].iter().flat_map(|p| turn(*p))).collect())
}

/// Scales samples to 0 without light and 1 at a full photosite. Noise below black stays, so that
/// the mean of dark frames is right.
fn scale(samples: &mut [f32], image: &RawImage) {
    let (black, white) = (image.blacklevel.as_vec(), image.whitelevel.as_vec());
    let mean = black.iter().sum::<f32>() / black.len().max(1) as f32;
    let of = |levels: &[f32], channel: usize, usual: f32| match levels.len() == image.cpp {
        true => levels[channel],
        false => usual,
    };
    let first = white.first().copied().unwrap_or(65_535.0);
    for pixel in samples.chunks_exact_mut(image.cpp) {
        for (channel, v) in pixel.iter_mut().enumerate() {
            let (black, white) = (of(&black, channel, mean), of(&white, channel, first));
            *v = (*v - black) / (white - black).max(f32::MIN_POSITIVE);
        }
    }
}

/// Converts camera colours to linear sRGB; grey stays grey.
fn turn(image: &RawImage, grey: bool) -> impl Fn([f32; 3]) -> [f32; 3] + Sync + use<> {
    let neutral = neutral(image).unwrap_or([1.0; 3]);
    let most = neutral.iter().fold(0.0f32, |most, v| most.max(*v));
    // The colour that fills first stays unchanged and the others are scaled up, so that full
    // photosites become white.
    let balance = neutral.map(|v| most / v);
    let (pattern, black, white) = (Pattern::RGGB, [0.0; 4], 1.0);
    let sensor =
        Sensor { pattern, black, white, neutral: None, xyz_to_camera: xyz_to_camera(image) };
    let matrix = sensor.balanced_to_srgb();
    move |pixel| {
        if grey {
            return pixel;
        }
        let balanced = [0, 1, 2].map(|c| (pixel[c] * balance[c]).min(1.0));
        matrix.map(|row| row[0] * balanced[0] + row[1] * balanced[1] + row[2] * balanced[2])
    }
}
