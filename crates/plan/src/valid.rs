//! Default plans, and which plans can be carried out.

use crate::align::AlignMode;
use crate::error::CoreError;
use crate::kind::Kind;
use crate::plan::Plan;

impl Plan {
    /// The default plan of a kind.
    pub fn of(kind: Kind) -> Self {
        (kind.rules().plan)()
    }

    /// Checks that all settings are in range and make sense for the kind.
    ///
    /// # Errors
    /// [`CoreError::Value`] with one sentence for the person.
    pub fn check(&self) -> Result<(), CoreError> {
        self.check_version()?;
        self.prepare.check()?;
        // Each difference is checked alone, as a later one of the same frame could hide an earlier
        // one.
        for difference in &self.differences {
            difference.change.of(self.prepare.clone()).check()?;
        }
        if !(0.5..=20.0).contains(&self.combine.clip) {
            return Err(CoreError::value(
                "combine.clip",
                format!(
                    "A clipped mean cannot reject beyond {} sigma; choose from 0.5 to 20.",
                    self.combine.clip
                ),
            ));
        }
        self.skyline.check()?;
        if self.skyline.is_on() && self.align.mode != AlignMode::Stars {
            return Err(CoreError::value(
                "align.mode",
                "Sky and ground are kept apart where frames are aligned on the stars; choose that alignment, or no skyline.",
            ));
        }
        self.finish.check()?;
        (self.kind.rules().check)(self)?;
        let places = self.align.by_hand.iter().flat_map(|h| &h.pairs).flatten();
        if places.into_iter().any(|v| !v.is_finite()) {
            return Err(CoreError::value("align.by_hand", "A pair set by hand has no place."));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::combine::{Edges, usual_clip};
    use crate::prepare::FrameDifference;
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
        plan.differences = vec![FrameDifference { blake3: "a1".into(), change }];
        let treated = plan.prepare_of(&"a1".into());
        assert_eq!((treated.gain_ev, treated.denoise), (0.5, denoise));
        assert_eq!(plan.prepare_of(&"b2".into()), plan.prepare);
        let text = serde_json::to_string(&plan.differences).unwrap();
        assert_eq!(
            text,
            r#"[{"blake3":"a1","change":{"denoise":{"luminance":0.4,"colour":0.8}}}]"#
        );
        plan.differences[0].change.gain_ev = Some(9.0);
        assert!(plan.check().is_err());
        // A second difference of the same frame does not hide the first.
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
