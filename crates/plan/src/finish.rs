//! Settings of the finish step.

use crate::error::CoreError;
use serde::{Deserialize, Serialize};

/// Settings of the finish step.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct FinishPlan {
    /// Share of the sky's uneven brightness that is taken off, 0 (nothing) to 1 (all of it).
    pub glow: f32,
    /// Share of the remaining noise between the stars that is smoothed away, 0 to 1.
    pub smoothing: f32,
}

impl FinishPlan {
    /// Whether any adjustment is on.
    pub fn is_on(&self) -> bool {
        *self != Self::default()
    }

    /// Checks that all settings are in range.
    ///
    /// # Errors
    /// [`CoreError::Value`] with one sentence for the person.
    pub fn check(&self) -> Result<(), CoreError> {
        let amounts = [
            ("finish.glow", "Sky glow", self.glow),
            ("finish.smoothing", "Sky smoothing", self.smoothing),
        ];
        match amounts.into_iter().find(|(.., amount)| !(0.0..=1.0).contains(amount)) {
            Some((setting, name, amount)) => Err(CoreError::value(
                setting,
                format!("{name} cannot be set to {amount}; choose from 0 (nothing) to 1 (all)."),
            )),
            None => Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn amounts_out_of_range_are_refused_by_name() {
        assert!(!FinishPlan::default().is_on() && FinishPlan::default().check().is_ok());
        let plan = FinishPlan { smoothing: 1.0, ..FinishPlan::default() };
        assert!(plan.is_on() && plan.check().is_ok());
        for glow in [-0.1, 1.5, f32::NAN] {
            let refused = FinishPlan { glow, ..plan }.check().unwrap_err().to_string();
            assert!(refused.starts_with("Sky glow cannot"), "{refused}");
        }
    }
}
