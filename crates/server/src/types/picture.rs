//! Pictures that can be shown, and what is measured in them.

use jade_align::noise::PatchFigures;
use jade_plan::FrameId;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A picture that can be shown.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct PictureInfo {
    /// `frame-ID`, `calibrated-ID`, `original-ID`, `result-ID`, `placed-RESULT-FRAME`,
    /// `rejected-RESULT` or `coverage-RESULT`; two of them with `~` between for their difference.
    pub source: String,
    /// Changes when the pixels do.
    pub version: String,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Halved sizes that exist, the full one included.
    pub levels: u32,
    /// Left top in the reference frame in pixels.
    #[schema(value_type = (u32, u32))]
    pub origin: [u32; 2],
}

/// Number of pixels at each brightness.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Histogram {
    /// Pixels by even steps of sRGB's code: red, green and blue.
    #[schema(value_type = (Vec<u32>, Vec<u32>, Vec<u32>))]
    pub bins: [Vec<u32>; 3],
    /// Share of pixels with a colour at the white point.
    pub white: f32,
    /// Share of pixels without any light.
    pub black: f32,
}

/// A patch pinned on the picture, in pixels of the reference frame.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Probe {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// Left column in the reference frame, in pixels.
    pub x: u32,
    /// Top row in the reference frame, in pixels.
    pub y: u32,
    /// Side in pixels.
    pub size: u32,
}

/// A probe to pin, or a new place and name for one.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct NewProbe {
    /// Its name.
    pub name: String,
    /// Left column in the reference frame, in pixels.
    pub x: u32,
    /// Top row in the reference frame, in pixels.
    pub y: u32,
    /// Side of its square in pixels.
    pub size: u32,
}

/// Figures of a patch of a picture.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Measured {
    /// `None` when the picture does not reach there.
    pub figures: Option<PatchFigures>,
}

/// Sharpness of a frame of a sweep around a position.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SharpFrame {
    /// The frame, by its number.
    pub frame_id: i64,
    /// Name of its file.
    pub file: String,
    /// BLAKE3 of its file, as hexadecimal digits.
    pub blake3: FrameId,
    /// Energy of its fine detail against that of the sharpest frame there.
    pub sharp: f32,
}
