//! The plan: every setting of every step, as one value.

use crate::align::{AlignMode, AlignPlan, SceneModel};
use crate::combine::{CombinePlan, Edges, Method, usual_clip};
use crate::error::CoreError;
use crate::finish::FinishPlan;
use crate::focus::FocusPlan;
use crate::frame_id::FrameId;
use crate::kind::name::Kind;
use crate::prepare::{FrameDifference, PreparePlan};
use crate::skyline::SkylinePlan;
use serde::{Deserialize, Serialize};

/// Every setting of every step. The same plan on the same files gives the same bytes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Plan {
    /// Version of this form: 1.
    pub version: u32,
    /// The kind of the shoot.
    pub kind: Kind,
    /// The prepare step.
    #[serde(default)]
    pub prepare: PreparePlan,
    /// Settings of the prepare step that differ for single frames.
    #[serde(default)]
    pub differences: Vec<FrameDifference>,
    /// The align step.
    pub align: AlignPlan,
    /// The skyline step.
    #[serde(default)]
    pub skyline: SkylinePlan,
    /// The combine step.
    pub combine: CombinePlan,
    /// How a focus sweep is merged; used by kinds that merge frames.
    #[serde(default)]
    pub focus: FocusPlan,
    /// The finish step.
    #[serde(default)]
    pub finish: FinishPlan,
}

impl Plan {
    /// The default settings of all steps, with a way to align and a method to combine.
    pub(crate) fn with(kind: Kind, mode: AlignMode, method: Method) -> Self {
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
                level: false,
                weigh: false,
                fill_gaps: false,
                edges: Edges::Trim,
            },
            focus: FocusPlan::default(),
            finish: FinishPlan::default(),
        }
    }

    /// The treatment of a frame.
    pub fn prepare_of(&self, id: &FrameId) -> PreparePlan {
        let matching = self.differences.iter().filter(|difference| difference.blake3 == *id);
        matching.fold(self.prepare.clone(), |prepare, difference| difference.change.of(prepare))
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
}
