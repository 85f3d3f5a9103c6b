//! What a run tells in figures.

use crate::frame_id::FrameId;
use jade_optics::camera::Lens;
use jade_optics::motion::Motion;
use serde::{Deserialize, Serialize};

/// The report of a run, as `--report` writes it.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Report {
    /// Version of this form: 1.
    pub version: u32,
    /// File name of the reference frame.
    pub reference: String,
    /// What names the content of that file.
    #[serde(default)]
    pub reference_content: FrameId,
    /// Width and height of the result in pixels.
    pub size: [u32; 2],
    /// The result's top-left pixel in the reference frame.
    pub origin: [u32; 2],
    /// Every frame that was given, in order.
    pub frames: Vec<FrameReport>,
    /// Noise of the reference frame against the result, when it could be measured.
    pub noise: Option<NoiseGain>,
    /// Noise that is left when only so many frames are combined, the reference frame first.
    #[serde(default)]
    pub noise_by_frames: Vec<NoisePoint>,
    /// Median full width at half maximum, in the result, of the stars that measure well in the
    /// reference frame, in pixels.
    pub star_width_px: Option<f32>,
    /// What came of keeping sky and ground apart.
    #[serde(default)]
    pub skyline: Option<SkylineReport>,
    /// What was found in the frames of a focus sweep.
    #[serde(default)]
    pub focus: Option<FocusReport>,
    /// What came of finishing.
    #[serde(default)]
    pub finish: Option<FinishReport>,
    /// How long the frames were exposed.
    #[serde(default)]
    pub exposures: Option<ExposureReport>,
    /// The lens that was found, when the camera model was used.
    #[cfg_attr(
        feature = "types",
        ts(type = "{ focal_px: number; centre: [number, number]; k1: number; k2: number } | null")
    )]
    pub lens: Option<Lens>,
    /// Time of each stage that was carried out.
    pub stages: Vec<StageTime>,
    /// The process's largest resident memory so far in MiB.
    pub peak_memory_mib: u64,
}

impl Report {
    /// What is reported of the frame of this content. Reports that were written before frames were
    /// named by their content find it by the name of its file.
    pub fn frame(&self, id: &FrameId, name: &str) -> Option<&FrameReport> {
        match self.frames.iter().any(|own| own.content.is_known()) {
            true => self.frames.iter().find(|own| own.content == *id),
            false => self.frames.iter().find(|own| own.file == name),
        }
    }
}

/// How long frames were exposed, in seconds: of all that were given, and of those that were used.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct ExposureReport {
    /// All together.
    pub total_s: [f64; 2],
    /// The longest one.
    pub longest_s: [f64; 2],
    /// The shortest one.
    pub shortest_s: [f64; 2],
}

/// Sky and ground that were combined apart.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct SkylineReport {
    /// Share of the result that is sky.
    pub sky: f32,
    /// Frames that the ground was made from.
    pub ground_frames: u32,
    /// Noise of the reference frame's ground against the result's; `noise` of the report is the
    /// sky's. None where the ground came from elsewhere.
    pub ground_noise: Option<NoiseGain>,
    /// What brought red, green and blue of the ground to the brightness of the sky's frames.
    pub ground_gain: [f32; 3],
    /// Frames of the ground that were left out, and why.
    pub left_out: Vec<(String, String)>,
}

/// The frames of a focus sweep that were merged.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FocusReport {
    /// File names of the frames that could be read in the order of focus, from near to far where
    /// alignment tells it.
    pub order: Vec<String>,
    /// What names the content of each of them.
    #[serde(default)]
    pub contents: Vec<FrameId>,
    /// From each of them to the next.
    pub steps: Vec<FocusStep>,
    /// For each of them, the share of the picture in which it is the sharpest.
    pub shares: Vec<f32>,
    /// What is to be doubted, a sentence each: planes that are missing or shown twice, patches that are
    /// left out.
    pub doubts: Vec<String>,
    /// Places where a single frame shows something else than those beside it.
    #[serde(default)]
    pub moved: Vec<MovedPlace>,
    /// Share of the picture for which it is told which frame is sharp there.
    pub told: f32,
    /// Share of the picture that lies where a plane is missing, and is sharp in no frame.
    #[serde(default)]
    pub between: f32,
}

/// A place where something moved in one frame of a focus sweep, or came to stay.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct MovedPlace {
    /// File name of the frame, or of the first that shows it.
    pub file: String,
    /// What names the content of that frame.
    #[serde(default)]
    pub content: FrameId,
    /// The middle of the place in the reference frame, in pixels.
    pub at: [f64; 2],
    /// How far it reaches from there, in pixels.
    pub radius_px: f64,
}

/// From one frame of a focus sweep to the next.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FocusStep {
    /// How far the focus moved, against the usual step.
    pub length: f32,
    /// Whether a plane is missing between the two.
    pub wide: bool,
    /// Whether both show the same plane.
    pub double: bool,
}

/// A sky that was finished; the noise elsewhere in the report is that before it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FinishReport {
    /// How uneven the sky is, before and after: how far apart the light is that a twentieth of it
    /// exceeds and that which a twentieth stays below, by medians of small squares, as a share of the
    /// middle one. None where no glow was taken off.
    pub uneven: Option<[f32; 2]>,
    /// Sigma of its noise before and after, in linear light. None where it was not smoothed, or shows
    /// no even patch.
    pub noise: Option<[f32; 2]>,
}

/// How much noise a number of frames leaves.
#[derive(Debug, Clone, Copy, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct NoisePoint {
    /// Number of frames.
    pub frames: u32,
    /// Measured sigma in linear light.
    pub noise: f32,
    /// Sigma that one frame's noise and the method lead to expect.
    pub expected: f32,
}

/// One frame in a [`Report`].
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FrameReport {
    /// File name.
    pub file: String,
    /// What names its content: BLAKE3 of its file as hexadecimal digits, or, in a run of the command
    /// line that needs none, its whole path.
    #[serde(default)]
    pub content: FrameId,
    /// Whether it went into the result.
    pub used: bool,
    /// Why it did not.
    pub reason: Option<String>,
    /// Model of its motion: `still`, `shift`, `similarity`, `homography` or `camera`.
    pub model: Option<String>,
    /// Its motion in full.
    #[cfg_attr(feature = "types", ts(type = "unknown"))]
    #[serde(default)]
    pub motion: Option<Motion>,
    /// Positions of the frame to positions of the reference frame: the nearest homography, rows.
    pub to_reference: Option<[[f64; 3]; 3]>,
    /// The full model, sampled: `[x, y, X, Y]` from frame to reference frame.
    pub grid: Vec<[f64; 4]>,
    /// Root mean square distance of the matched stars in pixels, each weighted by how well its
    /// centre is known.
    pub rms_px: Option<f64>,
    /// Stars matched with the reference frame.
    pub matched: Option<usize>,
    /// Stars found.
    pub stars: Option<usize>,
    /// Median full width at half maximum of its stars in pixels.
    pub star_width_px: Option<f32>,
    /// Median level of its background in linear light (white is 1).
    pub sky_level: Option<f32>,
    /// Its weight in the result.
    pub weight: f32,
    /// Whether it was placed by pairs set by hand.
    #[serde(default)]
    pub by_hand: bool,
    /// What brought its green to the reference frame's brightness: factor and offset.
    #[serde(default)]
    pub level: Option<[f32; 2]>,
    /// Share of its samples that a clipped mean rejected.
    #[serde(default)]
    pub rejected: Option<f32>,
    /// Residuals of up to 80 matches spread over the picture: `[X, Y, dX, dY]`, the place in the
    /// reference frame and how far the matched place lies off, in pixels.
    #[serde(default)]
    pub residuals: Vec<[f32; 4]>,
}

/// Time that a stage took.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct StageTime {
    /// The stage's name.
    pub name: String,
    /// Seconds.
    pub seconds: f64,
}

/// Noise of one frame against noise of the result.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct NoiseGain {
    /// Sigma of the reference frame, linear light.
    pub single: f32,
    /// Sigma of the result at the same places.
    pub result: f32,
    /// One over the other.
    pub gain: f32,
    /// What the method gives at best for this many frames.
    pub ideal_gain: f32,
}
