//! The part of the sensor that makes the picture.

use rawler::RawImage;
use rawler::formats::tiff::IFD;
use rawler::tags::{DngTag, TiffCommonTag};

/// A part of the sensor: left, top, width, height.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Crop(pub [usize; 4]);

impl Crop {
    /// The part of the sensor that a camera's picture shows.
    pub fn of(image: &RawImage) -> Self {
        match image.crop_area.or(image.active_area).filter(|area| !area.is_empty()) {
            Some(area) => Self([area.x(), area.y(), area.width(), area.height()]),
            None => Self([0, 0, image.width, image.height]),
        }
    }

    /// The crop from a DNG's directory.
    pub fn of_dng(raw: &IFD) -> Self {
        let size = |tag| number(raw, tag).unwrap_or(0);
        let (width, height) = (size(TiffCommonTag::ImageWidth), size(TiffCommonTag::ImageLength));
        let values = |tag: DngTag, count: usize| {
            let entry = raw.get_entry(tag)?;
            (entry.count() as usize >= count).then(|| (0..count).map(|i| entry.force_usize(i)))
        };
        let [top, left, bottom, right] = match values(DngTag::ActiveArea, 4) {
            Some(mut area) => [(); 4].map(|()| area.next().unwrap_or(0)),
            None => [0, 0, height, width],
        };
        match (values(DngTag::DefaultCropOrigin, 2), values(DngTag::DefaultCropSize, 2)) {
            (Some(mut at), Some(mut size)) => {
                let next = |values: &mut dyn Iterator<Item = usize>| values.next().unwrap_or(0);
                let (x, y) = (next(&mut at), next(&mut at));
                Self([left + x, top + y, next(&mut size), next(&mut size)])
            }
            _ => Self([left, top, right.saturating_sub(left), bottom.saturating_sub(top)]),
        }
    }
}

/// The first value of an entry, if there is one.
pub fn number(directory: &IFD, tag: TiffCommonTag) -> Option<usize> {
    directory.get_entry(tag).filter(|entry| entry.count() > 0).map(|entry| entry.force_usize(0))
}
