//! A plan together with the frames that it was carried out on.

use crate::brief::in_brief;
use crate::error::CoreError;
use crate::frame_id::FrameId;
use crate::frame_role::FrameRole;
use crate::plan::Plan;
use serde::{Deserialize, Serialize};

/// A plan together with the frames that it was carried out on, as saved beside each export.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PlanRecord {
    /// The plan.
    pub plan: Plan,
    /// File name of the reference frame.
    pub reference: String,
    /// The reference frame; not known in plans that were saved before it was noted.
    #[serde(default)]
    pub reference_blake3: FrameId,
    /// Every frame that was given to the run.
    pub frames: Vec<PlanFrame>,
    /// The frames or the picture that the ground came from, where those were others.
    #[serde(default)]
    pub ground: Vec<PlanFrame>,
    /// The calibration frames.
    #[serde(default)]
    pub calibration: Vec<PlanCalibration>,
}

impl PlanRecord {
    /// Reads a plan from JSON.
    ///
    /// # Errors
    /// [`CoreError::Setting`] where the text is no plan, or a plan of a later version.
    pub fn from_json(text: &str) -> Result<Self, CoreError> {
        let record: Self = serde_json::from_str(text).map_err(|error| {
            let said = in_brief(&error);
            CoreError::Setting(format!(
                "This is no plan of Jade Stack, or it is damaged ({said}); take it again from beside its result."
            ))
        })?;
        let named = record.frames.iter().chain(&record.ground);
        // No file system allows longer names.
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

/// One calibration frame in a [`PlanRecord`].
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PlanCalibration {
    /// Its role.
    pub shows: FrameRole,
    /// The frame.
    #[serde(flatten)]
    pub frame: PlanFrame,
}

/// One frame in a [`PlanRecord`].
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PlanFrame {
    /// File name.
    pub file: String,
    /// The frame.
    pub blake3: FrameId,
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
}
