//! Settings of merging a focus sweep.

use crate::error::CoreError;
use crate::frame_id::FrameId;
use jade_optics::brush::Brush;
use serde::{Deserialize, Serialize};

/// How the frames of a sweep are merged.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum MergeMethod {
    /// For hairs and bristles: each scale of detail is taken from the frames that are sharp in it.
    #[default]
    #[serde(rename = "fine")]
    Pyramid,
    /// For smooth surfaces: each place is taken as a whole from the frames that are sharp in it.
    #[serde(rename = "smooth")]
    DepthMap,
}

/// Whose pixels a patch is painted with.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "by", rename_all = "lowercase")]
pub enum PatchFrom {
    /// Those of one frame, as it lies on the reference frame.
    Frame {
        /// The frame.
        blake3: FrameId,
    },
    /// Those of the same sweep merged by another method. The plan's own method wipes out other
    /// patches.
    Way {
        /// The method.
        way: MergeMethod,
    },
}

/// A stroke over a merged sweep.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Patch {
    /// Whose pixels it is painted with.
    pub from: PatchFrom,
    /// `[x, y, radius]` along the stroke, in pixels of the reference frame.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<(f32, f32, f32)>))]
    pub points: Vec<[f32; 3]>,
    /// Share of the radius over which the stroke fades out, 0 to 1.
    #[serde(default)]
    pub soft: f32,
}

impl Patch {
    /// The stroke's brush.
    pub fn brush(&self) -> Brush<'_> {
        Brush { points: &self.points, soft: self.soft }
    }
}

/// Settings of merging a focus sweep.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct FocusPlan {
    /// The method.
    pub way: MergeMethod,
    /// Strokes over the merged sweep, the first of them lowest.
    pub patches: Vec<Patch>,
}

impl FocusPlan {
    /// Checks that all settings are in range.
    ///
    /// # Errors
    /// [`CoreError::Value`] with one sentence for the person.
    pub fn check(&self) -> Result<(), CoreError> {
        if self.patches.iter().any(|patch| patch.points.is_empty() || !patch.brush().is_placed()) {
            let what = "A patch on the merged picture has no place; take it back, and paint again.";
            return Err(CoreError::value("focus.patches", what));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patches_survive_their_written_form_and_must_have_a_place() {
        let text = r#"{"way":"smooth","patches":[
            {"from":{"by":"frame","blake3":"a1"},"points":[[1,2,3]],"soft":0.5},
            {"from":{"by":"way","way":"fine"},"points":[[4,5,6],[7,8,9]]}]}"#;
        let mut plan: FocusPlan = serde_json::from_str(text).unwrap();
        plan.check().unwrap();
        assert_eq!(plan.patches[1].from, PatchFrom::Way { way: MergeMethod::Pyramid });
        let again = serde_json::from_str(&serde_json::to_string(&plan).unwrap()).unwrap();
        assert_eq!(plan, again);
        plan.patches[0].points[0][2] = f32::NAN;
        assert!(plan.check().unwrap_err().to_string().contains("no place"));
        plan.patches[0].points.clear();
        assert!(plan.check().is_err());
        assert_eq!(serde_json::from_str::<FocusPlan>("{}").unwrap(), FocusPlan::default());
    }
}
