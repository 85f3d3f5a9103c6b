//! Types of the API. Their TypeScript side is generated.

use jade_align::noise::PatchFigures;
use jade_engine::export::Colours;
use jade_pixels::facts::Facts;
use jade_plan::progress::Stage;
use jade_plan::report::Report;
use jade_plan::{FrameId, Kind, Plan};
use jade_survey::measures::Measures;
use jade_survey::sets::Purpose;
use serde::{Deserialize, Serialize};

/// How far a shoot has come.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum ShootState {
    /// No frames yet.
    Empty,
    /// Frames, but no result.
    Gathered,
    /// A run is queued or under way.
    Running,
    /// The last run ended without a result.
    Stopped,
    /// At least one result.
    Done,
}

/// A shoot as a card on the first page.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct ShootCard {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// What it is for.
    pub kind: Kind,
    /// How far it is.
    pub state: ShootState,
    /// Light frames.
    pub lights: u32,
    /// Number of dark frames.
    pub darks: u32,
    /// Number of results.
    pub results: u32,
    /// Milliseconds since 1970.
    pub touched: i64,
    /// Source of the picture to show, if there is one.
    pub picture: Option<String>,
    /// The picture's version; its address carries it.
    pub version: String,
}

/// A new shoot.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct NewShoot {
    /// Its name, 1 to 120 letters.
    pub name: String,
    /// What it is for.
    pub kind: Kind,
}

/// Changes of a shoot; what is absent stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[cfg_attr(feature = "types", ts(optional_fields))]
pub struct ShootChange {
    /// A new name.
    pub name: Option<String>,
    /// The settings to change, as an object of objects.
    #[cfg_attr(feature = "types", ts(optional, type = "object"))]
    pub plan: Option<serde_json::Value>,
    /// The values of all changed settings before the change. Where somebody else changed the shoot
    /// meanwhile, both changes are merged, or this one is refused if both concern one setting.
    #[cfg_attr(
        feature = "types",
        ts(
            optional,
            type = "{ name?: string; kind?: Kind; plan?: object; reference_id?: number | null; stacked_set?: number | null }"
        )
    )]
    pub was: Option<serde_json::Value>,
    /// Brings the plan that such a shoot begins with, prepare left as it was, unless one is given.
    pub kind: Option<Kind>,
    /// The reference frame; 0 lets the proposed one be taken.
    pub reference_id: Option<i64>,
    /// The set that is stacked; 0 lets all lights be.
    pub stacked_set: Option<i64>,
}

impl ShootChange {
    /// The names of the settings that it changes.
    pub fn names(&self) -> Vec<String> {
        let all = [
            ("name", self.name.is_some()),
            ("kind", self.kind.is_some()),
            ("plan", self.plan.is_some()),
            ("reference_id", self.reference_id.is_some()),
            ("stacked_set", self.stacked_set.is_some()),
        ];
        all.iter().filter(|(_, is)| *is).map(|(name, _)| (*name).to_owned()).collect()
    }
}

/// A shoot with everything in it.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Shoot {
    /// Its number.
    pub id: i64,
    /// Counts its changes; the same as its ETag.
    pub revision: i64,
    /// Its name.
    pub name: String,
    /// What it is for.
    pub kind: Kind,
    /// Its settings.
    pub plan: Plan,
    /// The chosen reference frame, if one was chosen.
    pub reference_id: Option<i64>,
    /// The frame that is proposed as the reference frame, once frames are measured.
    pub proposed_reference: Option<ProposedReference>,
    /// Its frames.
    pub frames: Vec<Frame>,
    /// The sets that have frames; those of frames in none are all others of their role.
    pub sets: Vec<FrameSet>,
    /// The set of lights that is stacked; all lights where there is none.
    pub stacked_set: Option<i64>,
    /// Doubts about frames that are used.
    pub doubts: Vec<Doubt>,
    /// What would spoil the stack, or should be known beforehand.
    pub checks: Vec<Check>,
    /// Where lights that are in no set seem to belong, once all are measured.
    pub proposed_sets: Vec<ProposedSet>,
    /// Another kind that the shoot seems to be.
    pub proposed_kind: Option<ProposedKind>,
    /// The folder from which frames are added as they are written.
    pub watched: Option<Watched>,
    /// What runs made of it, the newest first.
    pub results: Vec<ShootResult>,
    /// Its runs, the newest first.
    pub jobs: Vec<Job>,
    /// Its probes.
    pub probes: Vec<Probe>,
}

/// What a frame is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum Role {
    /// A frame that is stacked.
    Light,
    /// With the lens cap on, exposed as the lights.
    Dark,
    /// Of an evenly lit surface.
    Flat,
    /// With the lens cap on, as short as can be.
    Bias,
}

impl Role {
    /// All of them, lights first.
    pub const ALL: [Self; 4] = [Self::Light, Self::Dark, Self::Flat, Self::Bias];
}

/// One frame of a shoot.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Frame {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// BLAKE3 of its content, as hexadecimal digits.
    pub blake3: FrameId,
    /// Changes when its pixels do, as by another treatment; the address of its picture carries it.
    pub version: String,
    /// Whether it stays in its own folder, rather than in the application's.
    pub linked: bool,
    /// Size of its file in bytes.
    pub bytes: i64,
    /// What it shows.
    pub role: Role,
    /// Facts from its file; `None` where it cannot be read.
    pub facts: Option<Facts>,
    /// Why it cannot be used.
    pub problem: Option<String>,
    /// Whether it is left out of runs.
    pub left_out: bool,
    /// The set that it is in.
    pub set_id: Option<i64>,
    /// Its measures, once there are any.
    pub measures: Option<Measures>,
}

/// A doubt about a frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Doubt {
    /// The frame, by its number.
    pub frame_id: i64,
    /// One sentence.
    pub reason: String,
}

/// A condition that would spoil a stack, or should be known beforehand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Check {
    /// One or two sentences.
    pub text: String,
    /// The frames that it is about; none where it is about all.
    pub frame_ids: Vec<i64>,
    /// Whether leaving them out would put it right.
    pub leave_out: bool,
    /// Whether one white balance for all would.
    pub balance: bool,
}

/// A frame proposed as the reference frame, and why.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct ProposedReference {
    /// The frame, by its number.
    pub frame_id: i64,
    /// One sentence.
    pub reason: String,
}

/// Frames taken alike for one purpose.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FrameSet {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// What it shows.
    pub role: Role,
}

/// Frames in no set that seem to belong together.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct ProposedSet {
    /// What the frames seem to be for.
    pub purpose: Purpose,
    /// What it shows.
    pub role: Role,
    /// Its name.
    pub name: String,
    /// The set that has others like them, if there is one.
    pub into: Option<i64>,
    /// The frames, by their numbers.
    pub frame_ids: Vec<i64>,
    /// Half a sentence.
    pub reason: String,
}

/// A kind that a shoot seems to be, other than its own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct ProposedKind {
    /// What it is for.
    pub kind: Kind,
    /// Half a sentence.
    pub reason: String,
}

/// Frames to be put into a set: into one that there is, or a new one.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Sort {
    /// Name of the set.
    pub name: String,
    /// What it shows.
    pub role: Role,
    /// A set to put them into, by its number, rather than a new one.
    pub into: Option<i64>,
    /// The frames, by their numbers.
    pub frame_ids: Vec<i64>,
}

/// Frames to be put into sets, all or none.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct SortFrames {
    /// The sets to make.
    pub sets: Vec<Sort>,
}

/// A new name for a set.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct SetChange {
    /// Its name.
    pub name: String,
}

/// The light that a raw frame was balanced for as shot.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FrameLight {
    /// Colour temperature in kelvin.
    pub kelvin: f32,
    /// Towards green above 0, towards magenta below.
    pub tint: f32,
}

/// Figures about a frame's colours.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FrameColour {
    /// Whether it is raw.
    pub raw: bool,
    /// The light it was balanced for as shot, where the file tells.
    pub light: Option<FrameLight>,
}

/// Light of a patch as shot: red, green, blue.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Grey {
    /// Its linear light as shot: red, green, blue.
    pub grey: [f32; 3],
}

/// The outcome of adding a file.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Added {
    /// Its name.
    pub name: String,
    /// The frame that was added, or is there already.
    pub frame: Option<Frame>,
    /// The name of the frame of this shoot that has the same content.
    pub same_as: Option<String>,
    /// Why the file could not be added at all.
    pub problem: Option<String>,
}

/// A folder on the server's machine whose pictures are to be added.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct AddFolder {
    /// A path on the machine of the server.
    pub path: String,
    /// What it shows.
    pub role: Role,
    /// Add what is written there later, too.
    #[serde(default)]
    pub watch: bool,
}

/// A folder from which frames are added as they are written.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Watched {
    /// A path on the machine of the server.
    pub path: String,
    /// What it shows.
    pub role: Role,
    /// Whether the folder is there now.
    pub there: bool,
}

/// Changes of one or more frames; what is absent stays.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[cfg_attr(feature = "types", ts(optional_fields))]
pub struct FramesChange {
    /// The frames, by their numbers.
    pub ids: Vec<i64>,
    /// Whether they are left out.
    pub left_out: Option<bool>,
    /// What they show.
    pub role: Option<Role>,
    /// The set they are put into, which says what they are for; 0 takes them out of theirs.
    pub set_id: Option<i64>,
    /// Keep them in spite of doubts.
    pub kept: Option<bool>,
}

/// A folder that can be looked into.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Folder {
    /// A path on the machine of the server.
    pub path: String,
    /// Its name alone.
    pub name: String,
    /// The folder above, unless that is out of bounds.
    pub above: Option<String>,
    /// Folders in it.
    pub folders: Vec<FolderEntry>,
    /// Names of the picture files in it.
    pub pictures: Vec<String>,
}

/// A folder in a folder.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FolderEntry {
    /// A path on the machine of the server.
    pub path: String,
    /// Its name.
    pub name: String,
}

/// State of a job.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum JobState {
    /// It waits for its turn.
    Queued,
    /// It is under way.
    Running,
    /// It made a result.
    Done,
    /// Something went wrong.
    Failed,
    /// A person stopped it.
    Cancelled,
    /// The server ended while it was running; it can go on.
    Interrupted,
}

/// One run of a plan.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Job {
    /// Its number.
    pub id: i64,
    /// The shoot, by its number.
    pub shoot_id: i64,
    /// How far it is.
    pub state: JobState,
    /// Its settings.
    pub plan: Plan,
    /// The stage that it is at.
    pub stage: Option<Stage>,
    /// Steps of that stage that are done.
    pub done: i64,
    /// Steps of that stage.
    pub total: i64,
    /// Expected seconds until the run ends, once they can be estimated.
    pub remaining_s: Option<f64>,
    /// What went wrong, as a sentence for the person.
    pub problem: Option<String>,
    /// When it was asked for, in milliseconds after the beginning of 1970.
    pub created: i64,
    /// When it ended, in milliseconds after the beginning of 1970.
    pub finished: Option<i64>,
}

/// One kept result.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct ShootResult {
    /// Its number.
    pub id: i64,
    /// Names its pixels; the address of its picture carries it.
    pub version: String,
    /// Its settings.
    pub plan: Plan,
    /// BLAKE3 of the frames that it was calibrated with.
    pub calibration: Vec<FrameId>,
    /// The reference frame, by its number.
    pub reference_id: i64,
    /// The report.
    pub report: Report,
    /// When it was made, in milliseconds after the beginning of 1970.
    pub made: i64,
    /// Files that were saved of it.
    pub exports: Vec<Export>,
}

/// A picture that can be shown.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
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
    pub origin: [u32; 2],
}

/// Number of pixels at each brightness.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Histogram {
    /// Pixels by even steps of sRGB's code: red, green and blue.
    pub bins: [Vec<u32>; 3],
    /// Share of pixels with a colour at the white point.
    pub white: f32,
    /// Share of pixels without any light.
    pub black: f32,
}

/// What a lens is measured from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum LensFrom {
    /// Distortion and lateral colour from the stars of the frames that are in.
    Stars,
    /// Shading from the flat frames.
    Flats,
}

/// A wish to find the lens.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct LensWish {
    /// What the lens is measured from.
    pub from: LensFrom,
}

/// A patch pinned on the picture, in pixels of the reference frame.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Probe {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// Left column.
    pub x: u32,
    /// Top row.
    pub y: u32,
    /// Side in pixels.
    pub size: u32,
}

/// A probe to pin, or a new place and name for one.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct NewProbe {
    /// Its name.
    pub name: String,
    /// Column of its middle in the reference frame, in pixels.
    pub x: u32,
    /// Row of its middle in the reference frame, in pixels.
    pub y: u32,
    /// Side of its square in pixels.
    pub size: u32,
}

/// Figures of a patch of a picture.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Measured {
    /// `None` when the picture does not reach there.
    pub figures: Option<PatchFigures>,
}

/// Sharpness of a frame of a sweep around a position.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
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

/// Pairs of places set by hand, to be tried: `[x, y, X, Y]` in the frame and in the reference frame.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct HandTry {
    /// The pairs.
    pub pairs: Vec<[f64; 4]>,
}

/// The motion that pairs set by hand define.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct HandFound {
    /// `shift`, `similarity` or `homography`; `None` while the pairs tell no motion.
    pub model: Option<String>,
    /// Distance of each pair under that motion, in pixels.
    pub off_px: Vec<f64>,
    /// Root of the mean of their squares, in pixels.
    pub rms_px: f64,
}

/// A file form that results are saved in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum ExportFormat {
    /// TIFF of 16 bit.
    Tiff16,
    /// TIFF of 32-bit floats: linear light, highlights beyond white included.
    Tiff32f,
    /// PNG of 16 bit.
    Png16,
    /// JPEG.
    Jpeg,
    /// Of a result with its sky and ground apart, the share of sky: grey PNG of 16 bit.
    Mask,
    /// Of a merged sweep, the depth map: grey PNG of 16 bit.
    FocusMap,
    /// Of a merged sweep, its frames one after the other: a small moving PNG.
    Moving,
}

/// A wish for a file.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[cfg_attr(feature = "types", ts(optional_fields))]
pub struct NewExport {
    /// The form.
    pub format: ExportFormat,
    /// The colours of a picture.
    #[serde(default)]
    #[cfg_attr(feature = "types", ts(optional, as = "Option<Colours>"))]
    pub colours: Colours,
    /// Whether to say where the frames were taken.
    #[serde(default = "yes")]
    #[cfg_attr(feature = "types", ts(optional, as = "Option<bool>"))]
    pub place: bool,
}

fn yes() -> bool {
    true
}

/// A saved file with its plan beside it.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Export {
    /// Its number.
    pub id: i64,
    /// Name of the file.
    pub file: String,
    /// Name of the file with its plan.
    pub plan_file: String,
    /// The folder on the server's machine.
    pub folder: String,
    /// Size of its file in bytes.
    pub bytes: i64,
    /// When it was made, in milliseconds after the beginning of 1970.
    pub made: i64,
}

/// Events that the server sends to pages.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(tag = "type", rename_all = "lowercase")]
#[allow(clippy::large_enum_variant, reason = "events are few, and most of them are jobs")]
pub enum Event {
    /// All unfinished jobs, sent first.
    Present {
        /// All runs that are queued or under way.
        jobs: Vec<Job>,
    },
    /// A job moved on.
    Job {
        /// The run as it is now.
        job: Job,
    },
    /// Something in a shoot changed.
    Shoot {
        /// The shoot, by its number.
        id: i64,
    },
    /// Finding something in a shoot's frames moved on: its skyline, or the order of a sweep.
    Finding {
        /// The shoot, by its number.
        shoot_id: i64,
        /// The stage that it is at.
        stage: Option<Stage>,
        /// Steps of that stage that are done.
        #[cfg_attr(feature = "types", ts(type = "number"))]
        done: i64,
        /// Steps of that stage.
        #[cfg_attr(feature = "types", ts(type = "number"))]
        total: i64,
    },
    /// Saving a result moved on.
    Saving {
        /// The result, by its number.
        result_id: i64,
        /// `None` when it ended.
        stage: Option<Stage>,
        /// Steps of that stage that are done.
        done: i64,
        /// Steps of that stage.
        total: i64,
        /// Expected seconds until this stage ends, once they can be estimated.
        remaining_s: Option<f64>,
    },
}

/// A shoot's skyline as it is now.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct SkylineSeen {
    /// Changes whenever the mask does.
    pub version: String,
    /// Share of the reference frame that is sky.
    pub sky: f32,
    /// Share of it that may be either.
    pub unsure: f32,
    /// Frames that it was found in; 0 for a mask that was loaded.
    pub frames: u32,
    /// Places along the skyline: `[x, y, unsure]`, in pixels, and 0 to 1.
    pub places: Vec<[f32; 3]>,
}

/// A refusal.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[cfg_attr(feature = "types", ts(optional_fields))]
pub struct Problem {
    /// What is wrong and what to do, as one sentence.
    pub problem: String,
    /// Settings that somebody else changed at the same time.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[cfg_attr(feature = "types", ts(optional, as = "Option<Vec<String>>"))]
    pub clash: Vec<String>,
}
