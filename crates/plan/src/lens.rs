//! The flaws of a lens, as settings.

use crate::error::CoreError;
use jade_optics::lens::{Geometry, falloff};
use serde::{Deserialize, Serialize};

/// The flaws of a lens as numbers. All are 0 for a perfect lens. `r` is the distance from the
/// middle of the picture, 1 in the corners.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct LensPlan {
    /// Distortion `[a, b]`: without it, what stands at `r` would stand at `r (1 + a r^2 + b r^4)`;
    /// -0.4 to 0.4 each.
    #[cfg_attr(feature = "schema", schema(value_type = (f32, f32)))]
    pub distortion: [f32; 2],
    /// Lateral colour `[a, b]`: where green stands at `r`, red stands at `r (1 + a + b r^2)`; -0.02
    /// to 0.02 each.
    #[cfg_attr(feature = "schema", schema(value_type = (f32, f32)))]
    pub red: [f32; 2],
    /// Lateral colour of blue, as for red.
    #[cfg_attr(feature = "schema", schema(value_type = (f32, f32)))]
    pub blue: [f32; 2],
    /// Vignetting `[a, b, c]`: the share of the light that reaches `r` is `1 + a r^2 + b r^4 + c
    /// r^6`; at least 0.05.
    #[cfg_attr(feature = "schema", schema(value_type = (f32, f32, f32)))]
    pub shading: [f32; 3],
}

impl LensPlan {
    /// Checks that all settings are in range.
    ///
    /// # Errors
    /// [`CoreError::Value`] with one sentence for the person.
    pub fn check(&self) -> Result<(), CoreError> {
        let wrong = |setting, what: String| Err(CoreError::value(setting, what));
        let [a, b] = self.distortion;
        let grows = |r: f32| 1.0 + 3.0 * a * r.powi(2) + 5.0 * b * r.powi(4) > 0.05;
        let even = |i: i32| i as f32 / 20.0;
        if ![a, b].iter().all(|v| (-0.4..=0.4).contains(v)) || !(0..=20).map(even).all(grows) {
            return wrong(
                "prepare.lens.distortion",
                format!(
                    "No lens bends a picture by {a} and {b}; choose each from -0.4 to 0.4, and less of one where both are large."
                ),
            );
        }
        let colours = [self.red, self.blue].concat();
        if let Some(odd) = colours.iter().find(|v| !(-0.02..=0.02).contains(*v)) {
            return wrong(
                "prepare.lens",
                format!("Lateral colour cannot be {odd}; choose from -0.02 to 0.02."),
            );
        }
        let share = |i: i32| falloff(&self.shading, even(i).powi(2));
        if (0..=20).map(share).any(|share| !(0.05..=4.0).contains(&share)) {
            let [a, b, c] = self.shading;
            return wrong(
                "prepare.lens.shading",
                format!(
                    "Shading of {a}, {b}, {c} leaves no light, or more than there is; the lens must let a twentieth through everywhere."
                ),
            );
        }
        Ok(())
    }

    /// The displacement of pixels by this lens, for pictures of a size in pixels; `None` where it
    /// moves nothing.
    pub fn geometry(&self, size: (u32, u32)) -> Option<Geometry> {
        Geometry::new(self.distortion, self.red, self.blue, size)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lenses_that_there_are_not_are_refused() {
        let none = LensPlan::default();
        none.check().unwrap();
        for odd in [
            LensPlan { distortion: [0.5, 0.0], ..none },
            LensPlan { distortion: [-0.4, 0.0], ..none },
            LensPlan { distortion: [f32::NAN, 0.0], ..none },
            LensPlan { red: [0.03, 0.0], ..none },
            LensPlan { blue: [0.0, f32::INFINITY], ..none },
            LensPlan { shading: [-1.0, 0.0, 0.0], ..none },
            LensPlan { shading: [f32::NAN, 0.0, 0.0], ..none },
        ] {
            assert!(odd.check().is_err(), "{odd:?}");
        }
    }
}
