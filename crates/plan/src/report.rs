//! Figures about a run.

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
    /// The reference frame.
    #[serde(default)]
    pub reference_content: FrameId,
    /// Width and height of the result in pixels.
    pub size: [u32; 2],
    /// The result's top-left pixel in the reference frame.
    pub origin: [u32; 2],
    /// Every frame that was given, in order.
    pub frames: Vec<FrameReport>,
    /// Noise of the reference frame and of the result, where it could be measured.
    pub noise: Option<NoiseGain>,
    /// Noise of growing numbers of combined frames, the reference frame first.
    #[serde(default)]
    pub noise_by_frames: Vec<NoisePoint>,
    /// Median full width at half maximum in the result, in pixels, of the stars that measure well
    /// in the reference frame.
    pub star_width_px: Option<f32>,
    /// Figures about sky and ground, where they were kept apart.
    #[serde(default)]
    pub skyline: Option<SkylineReport>,
    /// Figures about a focus sweep.
    #[serde(default)]
    pub focus: Option<FocusReport>,
    /// Figures about finishing.
    #[serde(default)]
    pub finish: Option<FinishReport>,
    /// Exposure times of the frames.
    #[serde(default)]
    pub exposures: Option<ExposureReport>,
    /// The lens that was found, where the camera model was used.
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
    /// The report of a frame. Reports that were written before frames were named by their content
    /// find it by the name of its file.
    pub fn frame(&self, id: &FrameId, name: &str) -> Option<&FrameReport> {
        match self.frames.iter().any(|own| own.content.is_known()) {
            true => self.frames.iter().find(|own| own.content == *id),
            false => self.frames.iter().find(|own| own.file == name),
        }
    }
}

/// Exposure times in seconds, `[of all given frames, of the used frames]`.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct ExposureReport {
    /// Sum.
    pub total_s: [f64; 2],
    /// Longest.
    pub longest_s: [f64; 2],
    /// Shortest.
    pub shortest_s: [f64; 2],
}

/// Figures about sky and ground that were combined apart.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct SkylineReport {
    /// Share of the result that is sky.
    pub sky: f32,
    /// Frames that the ground was made from.
    pub ground_frames: u32,
    /// Noise of the ground, in the reference frame and in the result; `noise` of the report is that
    /// of the sky. `None` where the ground came from elsewhere.
    pub ground_noise: Option<NoiseGain>,
    /// Factors that brought the ground's red, green and blue to the brightness of the sky's frames.
    pub ground_gain: [f32; 3],
    /// Frames of the ground that were left out, each with the reason.
    pub left_out: Vec<(String, String)>,
}

/// Figures about the frames of a focus sweep.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FocusReport {
    /// File names of the readable frames in the order of focus; from near to far where alignment
    /// shows the direction.
    pub order: Vec<String>,
    /// The frames in that order.
    #[serde(default)]
    pub contents: Vec<FrameId>,
    /// Steps from each frame in that order to the next.
    pub steps: Vec<FocusStep>,
    /// For each frame in that order, the share of the picture in which it is the sharpest.
    pub shares: Vec<f32>,
    /// Sentences about what to check: planes that are missing or shown twice, patches that are left
    /// out.
    pub doubts: Vec<String>,
    /// Places where one frame shows something else than its neighbours.
    #[serde(default)]
    pub moved: Vec<MovedPlace>,
    /// Share of the picture in which it is known which frame is the sharpest.
    pub told: f32,
    /// Share of the picture that lies where a plane is missing, and is sharp in no frame.
    #[serde(default)]
    pub between: f32,
}

/// A place where something moved in one frame of a focus sweep, or came and stayed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct MovedPlace {
    /// File name of the frame, or of the first frame that shows it.
    pub file: String,
    /// That frame.
    #[serde(default)]
    pub content: FrameId,
    /// Middle of the place in the reference frame, in pixels.
    pub at: [f64; 2],
    /// Radius of the place, in pixels.
    pub radius_px: f64,
}

/// The step from one frame of a focus sweep to the next.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FocusStep {
    /// How far the focus moved; 1 is the usual step.
    pub length: f32,
    /// Whether a plane is missing between the two frames.
    pub wide: bool,
    /// Whether both frames show the same plane.
    pub double: bool,
}

/// Figures about a finished sky; noise elsewhere in the report is that before finishing.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FinishReport {
    /// Unevenness of the sky before and after. It is the difference between the 95th and the 5th
    /// percentile of the medians of small squares, as a share of the median. `None` where no sky
    /// glow was taken off.
    pub uneven: Option<[f32; 2]>,
    /// Standard deviation of the sky's noise before and after, in linear light. `None` where it was
    /// not smoothed, or no patch is even enough.
    pub noise: Option<[f32; 2]>,
}

/// The noise that a number of combined frames leaves.
#[derive(Debug, Clone, Copy, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct NoisePoint {
    /// Number of frames.
    pub frames: u32,
    /// Measured standard deviation, in linear light.
    pub noise: f32,
    /// Standard deviation expected from one frame's noise and the method.
    pub expected: f32,
}

/// One frame in a [`Report`].
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FrameReport {
    /// File name.
    pub file: String,
    /// The frame.
    #[serde(default)]
    pub content: FrameId,
    /// Whether it went into the result.
    pub used: bool,
    /// Why it did not go into the result: one sentence.
    pub reason: Option<String>,
    /// Model of its motion: `still`, `shift`, `similarity`, `homography` or `camera`.
    pub model: Option<String>,
    /// Its motion in full.
    #[cfg_attr(feature = "types", ts(type = "unknown"))]
    #[serde(default)]
    pub motion: Option<Motion>,
    /// The homography from the frame to the reference frame that comes nearest to its motion, row
    /// by row.
    pub to_reference: Option<[[f64; 3]; 3]>,
    /// Its motion, sampled: `[x, y, X, Y]` from frame to reference frame, in pixels.
    pub grid: Vec<[f64; 4]>,
    /// Root mean square distance of the matched stars in pixels, weighted by how well their centres
    /// are known.
    pub rms_px: Option<f64>,
    /// Stars matched with the reference frame.
    pub matched: Option<usize>,
    /// Stars found.
    pub stars: Option<usize>,
    /// Median full width at half maximum of its stars, in pixels.
    pub star_width_px: Option<f32>,
    /// Median level of its background in linear light (white is 1).
    pub sky_level: Option<f32>,
    /// Its weight in the result.
    pub weight: f32,
    /// Whether it was placed by pairs set by hand.
    #[serde(default)]
    pub by_hand: bool,
    /// Factor and offset that brought its green to the reference frame's brightness.
    #[serde(default)]
    pub level: Option<[f32; 2]>,
    /// Share of its samples that the clipped mean rejected.
    #[serde(default)]
    pub rejected: Option<f32>,
    /// Residuals of up to 80 matches spread over the picture: `[X, Y, dX, dY]`, the place in the
    /// reference frame and the offset of the matched place, in pixels.
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

/// Noise of one frame and of the result.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct NoiseGain {
    /// Standard deviation in the reference frame, in linear light.
    pub single: f32,
    /// Standard deviation in the result at the same places.
    pub result: f32,
    /// `single / result`.
    pub gain: f32,
    /// The gain that the method reaches at best with this many frames.
    pub ideal_gain: f32,
}
