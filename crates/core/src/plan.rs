//! The plan: every setting of every step, as one value.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a shoot is for; decides the plan's defaults.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Stars over a landscape, camera on a tripod.
    NightSky,
    /// One still scene in little light, camera on a tripod.
    LowLightBurst,
}

/// How the motion of the frames is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum AlignMode {
    /// On the stars, while the sky turns.
    Stars,
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
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct AlignPlan {
    /// How.
    pub mode: AlignMode,
}

/// Settings of the combine step.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct CombinePlan {
    /// How.
    pub method: Method,
    /// What happens to the edges.
    pub edges: Edges,
}

/// Every setting of every step. The same plan on the same files gives the same bytes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct Plan {
    /// Version of this form: 1.
    pub version: u32,
    /// What the shoot is for.
    pub kind: Kind,
    /// The align step.
    pub align: AlignPlan,
    /// The combine step.
    pub combine: CombinePlan,
}

impl Plan {
    /// The plan that a shoot of this kind begins with.
    pub fn of(kind: Kind) -> Self {
        let mode = match kind {
            Kind::NightSky => AlignMode::Stars,
            Kind::LowLightBurst => AlignMode::None,
        };
        Self {
            version: 1,
            kind,
            align: AlignPlan { mode },
            combine: CombinePlan { method: Method::Mean, edges: Edges::Trim },
        }
    }
}

/// A plan together with the frames it was carried out on, as saved beside each export.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct PlanRecord {
    /// The plan.
    pub plan: Plan,
    /// File name of the reference frame.
    pub reference: String,
    /// Every frame that was given to the run.
    pub frames: Vec<PlanFrame>,
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
    fn a_plan_survives_its_written_form() {
        let plan = Plan::of(Kind::NightSky);
        let text = serde_json::to_string(&plan).unwrap();
        assert!(text.contains(r#""kind":"night-sky","align":{"mode":"stars"}"#), "{text}");
        assert_eq!(serde_json::from_str::<Plan>(&text).unwrap(), plan);
    }
}
