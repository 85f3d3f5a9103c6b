//! The plan: every setting of every step, as one value.

use crate::align::{AlignMode, AlignPlan, SceneModel};
use crate::combine::{CombinePlan, Edges, Method, usual_clip};
use crate::error::CoreError;
use crate::finish::FinishPlan;
use crate::focus::FocusPlan;
use crate::kind::Kind;
use crate::prepare::{FrameDifference, PreparePlan};
use crate::skyline::SkylinePlan;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

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

    pub(crate) fn check_version(&self) -> Result<(), CoreError> {
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::prepare::{Denoise, PrepareChange};

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
