//! The plan: every setting of every step, as one value.

use crate::CoreError;
use crate::finish::FinishPlan;
use crate::focus::FocusPlan;
use crate::prepare::{Denoise, Highlights, PreparePlan, Shows, WhiteBalance};
use crate::skyline::SkylinePlan;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a shoot is for; decides the plan's defaults.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Stars over a landscape, camera on a tripod.
    NightSky,
    /// Stars drawn into trails over a landscape, camera on a tripod.
    StarTrails,
    /// One still scene in little light, on a tripod or handheld.
    LowLightBurst,
    /// One scene through which things move that shall not be seen.
    ClearTheScene,
    /// One subject, of which each frame shows another plane sharp.
    FocusSweep,
}

/// How the motion of the frames is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum AlignMode {
    /// On the stars, while the sky turns.
    Stars,
    /// On the whole scene, for a camera that was held by hand or moved a little.
    Scene,
    /// Not at all: the frames lie on each other as they are.
    None,
}

/// How many samples become one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum Method {
    /// The average.
    Mean,
    /// The middle value; of an even number, the average of the middle two.
    Median,
    /// The average of what does not lie far from the median.
    Clipped,
    /// The lightest sample of each colour.
    Lightest,
    /// The darkest sample of each colour.
    Darkest,
    /// The standard deviation: a diagnostic that shows what moved and what is noisy.
    Spread,
}

/// What a frame's motion on the scene may be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum SceneModel {
    /// The simplest that explains what is seen.
    #[default]
    Auto,
    /// A shift.
    Shift,
    /// A shift, a turn and a scale.
    Similarity,
    /// A plane seen from elsewhere.
    Homography,
}

/// What happens to edges that not every frame covers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum Edges {
    /// Cut to what every used frame covers.
    Trim,
    /// Keep the reference frame's size; edges come from the frames that cover them.
    Keep,
    /// Keep the reference frame's size; where a frame ends, its outermost pixels go on, so that
    /// every place is made from the same number of frames.
    Fill,
}

/// Settings of the align step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct AlignPlan {
    /// How.
    pub mode: AlignMode,
    /// What a motion on the scene may be.
    #[serde(default)]
    pub model: SceneModel,
    /// Frames that are placed by hand.
    #[serde(default)]
    pub by_hand: Vec<HandPairs>,
}

/// Pairs of places set by hand for one frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct HandPairs {
    /// BLAKE3 of the frame's file, as hexadecimal digits.
    pub blake3: String,
    /// `[x, y, X, Y]`: a place in the frame and the same place in the reference frame, in pixels.
    pub pairs: Vec<[f64; 4]>,
}

/// What is otherwise for one frame, on purpose.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct FrameDifference {
    /// BLAKE3 of the frame's file, as hexadecimal digits.
    pub blake3: String,
    /// Its own settings.
    pub change: PrepareChange,
}

/// Settings of the prepare step that one frame has for itself; the others are the shoot's.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[serde(default)]
#[ts(optional_fields)]
pub struct PrepareChange {
    /// White balance.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub white_balance: Option<WhiteBalance>,
    /// What happens where a colour is full; raw frames only.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub highlights: Option<Highlights>,
    /// Exposure in stops, -5 to 5.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub gain_ev: Option<f32>,
    /// Noise reduction.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub denoise: Option<Denoise>,
}

impl PrepareChange {
    fn of(&self, prepare: PreparePlan) -> PreparePlan {
        PreparePlan {
            white_balance: self.white_balance.unwrap_or(prepare.white_balance),
            highlights: self.highlights.unwrap_or(prepare.highlights),
            gain_ev: self.gain_ev.unwrap_or(prepare.gain_ev),
            denoise: self.denoise.unwrap_or(prepare.denoise),
            ..prepare
        }
    }
}

/// Settings of the combine step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct CombinePlan {
    /// How.
    pub method: Method,
    /// Standard deviations from the median beyond which the clipped mean rejects a sample.
    #[serde(default = "usual_clip")]
    pub clip: f32,
    /// Bring frames to the reference frame's brightness first.
    #[serde(default)]
    pub level: bool,
    /// Let less noisy and sharper frames count more in a mean or clipped mean.
    #[serde(default)]
    pub weigh: bool,
    /// Fill the gaps that pauses between exposures leave in star trails; with the lightest of
    /// frames that are not aligned.
    #[serde(default)]
    pub fill_gaps: bool,
    /// What happens to the edges.
    pub edges: Edges,
}

/// Every setting of every step. The same plan on the same files gives the same bytes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Plan {
    /// Version of this form: 1.
    pub version: u32,
    /// What the shoot is for.
    pub kind: Kind,
    /// The prepare step.
    #[serde(default)]
    pub prepare: PreparePlan,
    /// What of it is otherwise for single frames.
    #[serde(default)]
    pub differences: Vec<FrameDifference>,
    /// The align step.
    pub align: AlignPlan,
    /// The skyline step.
    #[serde(default)]
    pub skyline: SkylinePlan,
    /// The combine step.
    pub combine: CombinePlan,
    /// How a focus sweep is merged, in place of combining.
    #[serde(default)]
    pub focus: FocusPlan,
    /// The finish step.
    #[serde(default)]
    pub finish: FinishPlan,
}

impl Plan {
    /// The plan that a shoot of this kind begins with.
    pub fn of(kind: Kind) -> Self {
        let (mode, method) = match kind {
            Kind::NightSky => (AlignMode::Stars, Method::Clipped),
            Kind::StarTrails => (AlignMode::None, Method::Lightest),
            Kind::LowLightBurst => (AlignMode::Scene, Method::Clipped),
            Kind::ClearTheScene => (AlignMode::Scene, Method::Median),
            Kind::FocusSweep => (AlignMode::Scene, Method::Mean),
        };
        Self {
            version: 1,
            kind,
            prepare: PreparePlan::default(),
            differences: vec![],
            align: AlignPlan { mode, model: SceneModel::Auto, by_hand: vec![] },
            skyline: SkylinePlan::default(),
            combine: CombinePlan {
                method,
                clip: usual_clip(),
                level: matches!(kind, Kind::LowLightBurst | Kind::ClearTheScene),
                weigh: false,
                fill_gaps: kind == Kind::StarTrails,
                edges: Edges::Trim,
            },
            focus: FocusPlan::default(),
            finish: FinishPlan::default(),
        }
    }

    /// The treatment of the frame whose file has this BLAKE3.
    pub fn prepare_of(&self, blake3: &str) -> PreparePlan {
        let own = self.differences.iter().filter(|own| own.blake3 == blake3);
        own.fold(self.prepare.clone(), |prepare, own| own.change.of(prepare))
    }

    /// Checks what a screen or a file may have set out of range.
    ///
    /// # Errors
    /// [`CoreError::Setting`] with one sentence for the person.
    pub fn check(&self) -> Result<(), CoreError> {
        self.check_version()?;
        self.prepare.check()?;
        // Each alone: a later difference of the same frame would hide what an earlier one holds.
        for own in &self.differences {
            own.change.of(self.prepare.clone()).check()?;
        }
        if !(0.5..=20.0).contains(&self.combine.clip) {
            return Err(CoreError::Setting(format!(
                "A clipped mean cannot reject beyond {} sigma; choose from 0.5 to 20.",
                self.combine.clip
            )));
        }
        self.skyline.check()?;
        if self.skyline.is_on() && self.align.mode != AlignMode::Stars {
            return Err(CoreError::Setting(
                "Sky and ground are kept apart where frames are aligned on the stars; choose that alignment, or no skyline.".to_owned(),
            ));
        }
        self.finish.check()?;
        if self.kind == Kind::FocusSweep {
            self.check_sweep()?;
        }
        let places = self.align.by_hand.iter().flat_map(|h| &h.pairs).flatten();
        if places.into_iter().any(|v| !v.is_finite()) {
            return Err(CoreError::Setting("A pair set by hand has no place.".to_owned()));
        }
        Ok(())
    }

    fn check_version(&self) -> Result<(), CoreError> {
        let what = match self.version {
            1 => return Ok(()),
            0 => "Plans begin with version 1, and this one says 0; it is damaged.".to_owned(),
            version => format!(
                "This plan is of version {version}, and this program carries out version 1; carry it out with the program that saved it."
            ),
        };
        Err(CoreError::Setting(what))
    }

    /// Refuses what is not for the frames of a focus sweep.
    fn check_sweep(&self) -> Result<(), CoreError> {
        self.focus.check()?;
        let what = if self.align.mode == AlignMode::Stars {
            "A focus sweep has no stars to be aligned on; align it on the scene, or not at all."
        } else if self.combine.edges == Edges::Keep {
            "Edges of a focus sweep are trimmed, or filled; choose one of these."
        } else if self.finish.is_on() {
            "A focus sweep has no sky to be finished; set sky glow and sky smoothing to 0."
        } else {
            return Ok(());
        };
        Err(CoreError::Setting(what.to_owned()))
    }
}

/// Standard deviations that a clipped mean allows when nothing else is asked for.
fn usual_clip() -> f32 {
    2.8
}

/// A plan together with the frames it was carried out on, as saved beside each export.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct PlanRecord {
    /// The plan.
    pub plan: Plan,
    /// File name of the reference frame.
    pub reference: String,
    /// BLAKE3 of its file; empty in plans that were saved before it was noted.
    #[serde(default)]
    pub reference_blake3: String,
    /// Every frame that was given to the run.
    pub frames: Vec<PlanFrame>,
    /// Frames or the picture that the ground came from, where those were others.
    #[serde(default)]
    pub ground: Vec<PlanFrame>,
    /// The frames that they were calibrated with.
    #[serde(default)]
    pub calibration: Vec<PlanCalibration>,
}

/// Why settings cannot be understood, as a part of a sentence: a reader repeats what it found, however
/// long that is.
pub fn in_brief(error: &serde_json::Error) -> String {
    const LONGEST: usize = 160;
    let said = error.to_string();
    match said.char_indices().nth(LONGEST) {
        Some((end, _)) => {
            let (line, column) = (error.line(), error.column());
            format!("{}... at line {line} column {column}", &said[..end])
        }
        None => said,
    }
}

impl PlanRecord {
    /// A plan from its written form.
    ///
    /// # Errors
    /// [`CoreError::Setting`] for what is no plan, or one of a later version.
    pub fn from_json(text: &str) -> Result<Self, CoreError> {
        let record: Self = serde_json::from_str(text).map_err(|error| {
            let said = in_brief(&error);
            CoreError::Setting(format!(
                "This is no plan of Jade Stack, or it is damaged ({said}); take it again from beside its result."
            ))
        })?;
        let named = record.frames.iter().chain(&record.ground);
        // No file system has longer ones.
        if named.into_iter().any(|frame| frame.file.len() > 1024) {
            return Err(CoreError::Setting(
                "This plan names a file that cannot be, by too many letters; it is damaged."
                    .to_owned(),
            ));
        }
        record.plan.check_version()?;
        Ok(record)
    }
}

/// One frame for calibration in a [`PlanRecord`].
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct PlanCalibration {
    /// What it shows.
    pub shows: Shows,
    /// The frame.
    #[serde(flatten)]
    pub frame: PlanFrame,
}

/// One frame in a [`PlanRecord`].
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct PlanFrame {
    /// File name.
    pub file: String,
    /// BLAKE3 of the file's content, as hexadecimal digits.
    pub blake3: String,
    /// Whether it went into the result.
    pub used: bool,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_no_plan_is_refused_in_few_words() {
        let text = format!("{{\"plan\":{{\"kind\":\"{}\"}}}}", "x".repeat(100_000));
        let said = PlanRecord::from_json(&text).unwrap_err().to_string();
        assert!(said.starts_with("This is no plan of Jade Stack") && said.len() < 300, "{said}");
        assert!(said.contains("column 100018"), "{said}");
    }

    #[test]
    fn a_plan_survives_its_written_form() {
        let plan = Plan::of(Kind::NightSky);
        let text = serde_json::to_string(&plan).unwrap();
        assert!(text.contains(r#""kind":"night-sky","prepare":{"white_balance":{"by":"as-shot"}"#));
        assert!(text.contains(r#""align":{"mode":"stars""#), "{text}");
        assert_eq!(serde_json::from_str::<Plan>(&text).unwrap(), plan);
    }

    #[test]
    fn a_plan_written_before_there_were_more_settings_is_read() {
        let text = r#"{"version":1,"kind":"night-sky","align":{"mode":"stars"},"combine":{"method":"mean","edges":"keep"}}"#;
        let plan: Plan = serde_json::from_str(text).unwrap();
        assert_eq!((plan.combine.clip, plan.combine.level), (usual_clip(), false));
        plan.check().unwrap();
    }

    #[test]
    fn single_frames_differ_by_what_is_theirs() {
        let mut plan = Plan::of(Kind::NightSky);
        plan.prepare.gain_ev = 0.5;
        let denoise = Denoise { luminance: 0.4, colour: 0.8 };
        let change = PrepareChange { denoise: Some(denoise), ..PrepareChange::default() };
        plan.differences = vec![FrameDifference { blake3: "a1".to_owned(), change }];
        let own = plan.prepare_of("a1");
        assert_eq!((own.gain_ev, own.denoise), (0.5, denoise));
        assert_eq!(plan.prepare_of("b2"), plan.prepare);
        let text = serde_json::to_string(&plan.differences).unwrap();
        assert_eq!(
            text,
            r#"[{"blake3":"a1","change":{"denoise":{"luminance":0.4,"colour":0.8}}}]"#
        );
        plan.differences[0].change.gain_ev = Some(9.0);
        assert!(plan.check().is_err());
        // Another one of the same frame does not hide it.
        let mut other = plan.differences[0].clone();
        other.change.gain_ev = Some(1.0);
        plan.differences[0].change.gain_ev = Some(f32::INFINITY);
        plan.differences.push(other);
        assert!(plan.check().is_err());
    }

    #[test]
    fn a_sweep_has_neither_stars_nor_sky() {
        let plan = Plan::of(Kind::FocusSweep);
        plan.check().unwrap();
        let refused = |change: &dyn Fn(&mut Plan)| {
            let mut other = plan.clone();
            change(&mut other);
            other.check().unwrap_err().to_string()
        };
        assert!(refused(&|plan| plan.align.mode = AlignMode::Stars).contains("no stars"));
        assert!(refused(&|plan| plan.combine.edges = Edges::Keep).contains("trimmed, or filled"));
        assert!(refused(&|plan| plan.finish.glow = 0.5).contains("no sky"));
    }

    #[test]
    fn settings_out_of_range_are_refused() {
        for clip in [0.0, f32::NAN, 1e9] {
            let mut plan = Plan::of(Kind::NightSky);
            plan.combine.clip = clip;
            assert!(plan.check().is_err(), "{clip}");
        }
    }
}
