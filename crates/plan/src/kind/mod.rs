//! Kinds of shoots. Each kind is one file here: its default plan, its stages, the settings that
//! make sense for it, and the steps that a page shows. To add a kind, add a variant of [`Kind`], a
//! file, and a line in [`KINDS`]; no other code asks which kind a shoot is.

mod clear_the_scene;
mod focus_sweep;
mod low_light_burst;
pub(crate) mod name;
mod night_sky;
mod rules;
mod star_trails;

pub use name::Kind;
pub use rules::{KindRules, PictureChange, PictureSource, Step};

/// All kinds, in the order in which they are offered.
pub static KINDS: [KindRules; 5] = [
    night_sky::RULES,
    star_trails::RULES,
    low_light_burst::RULES,
    clear_the_scene::RULES,
    focus_sweep::RULES,
];

impl Kind {
    /// The rules of this kind.
    pub fn rules(self) -> &'static KindRules {
        KINDS.iter().find(|rules| rules.kind == self).expect("every kind stands in the list")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::Plan;

    #[test]
    fn every_kind_begins_with_a_plan_that_makes_sense_for_it() {
        for rules in &KINDS {
            let plan = Plan::of(rules.kind);
            plan.check().unwrap();
            assert_eq!(plan.kind, rules.kind);
            assert!(rules.align.contains(&plan.align.mode), "{}", rules.name);
            assert!(rules.edges.contains(&plan.combine.edges), "{}", rules.name);
            assert!(rules.about.ends_with('.') && !rules.steps.is_empty());
        }
    }

    #[test]
    fn kinds_are_written_by_their_names() {
        let text = serde_json::to_value(Kind::FocusSweep.rules()).unwrap();
        assert_eq!(text["kind"], "focus-sweep");
        assert_eq!(
            text["steps"],
            serde_json::json!(["frames", "prepare", "align", "combine", "export"])
        );
    }
}
