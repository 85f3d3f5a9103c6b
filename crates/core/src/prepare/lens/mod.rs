//! What a lens does to a picture, and how it is undone: straight lines bent, colours drawn at
//! different sizes, corners darkened. All of it is told by the distance `r` from the picture's middle,
//! which is 1 at the corners.
//!
//! Distortion is that of Brown ("Close-range camera calibration", 1971), its radial part. Positions
//! and light are corrected where a frame is read, so that one resampling does all
//! (`combine/resample`).

mod corrected;
mod estimate;
mod fringes;
mod realign;
mod shade;

pub use corrected::Corrected;
pub use estimate::{Bent, bent};
pub use fringes::{Fringes, Parted, fringes, parted};
pub use realign::Realign;
pub use shade::{Shade, shade_of};

use crate::CoreError;
use crate::align::camera::Lens;
use nalgebra::Vector3;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What is known of the lens, by numbers. All are 0 for a lens that does nothing.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, TS)]
#[serde(default)]
pub struct LensPlan {
    /// Distortion `[a, b]`: without it, what stands at `r` would stand at `r (1 + a r^2 + b r^4)`;
    /// -0.4 to 0.4 each.
    pub distortion: [f32; 2],
    /// Lateral colour `[a, b]`: where green stands at `r`, red stands at `r (1 + a + b r^2)`; -0.02
    /// to 0.02 each.
    pub red: [f32; 2],
    /// The same for blue.
    pub blue: [f32; 2],
    /// Shading `[a, b, c]`: share of the light that comes through at `r`,
    /// `1 + a r^2 + b r^4 + c r^6`; at least 0.05.
    pub shading: [f32; 3],
}

impl LensPlan {
    /// Checks what a screen or a file may have set out of range.
    ///
    /// # Errors
    /// [`CoreError::Setting`] with one sentence for the person.
    pub fn check(&self) -> Result<(), CoreError> {
        let wrong = |what: String| Err(CoreError::Setting(what));
        let [a, b] = self.distortion;
        let grows = |r: f32| 1.0 + 3.0 * a * r.powi(2) + 5.0 * b * r.powi(4) > 0.05;
        let even = |i: i32| i as f32 / 20.0;
        if ![a, b].iter().all(|v| (-0.4..=0.4).contains(v)) || !(0..=20).map(even).all(grows) {
            return wrong(format!(
                "No lens bends a picture by {a} and {b}; choose each from -0.4 to 0.4, and less of one where both are large."
            ));
        }
        let colours = [self.red, self.blue].concat();
        if let Some(odd) = colours.iter().find(|v| !(-0.02..=0.02).contains(*v)) {
            return wrong(format!("Lateral colour cannot be {odd}; choose from -0.02 to 0.02."));
        }
        let share = |i: i32| shade::share(&self.shading, even(i).powi(2));
        if (0..=20).map(share).any(|share| !(0.05..=4.0).contains(&share)) {
            let [a, b, c] = self.shading;
            return wrong(format!(
                "Shading of {a}, {b}, {c} leaves no light, or more than there is; the lens must let a twentieth through everywhere."
            ));
        }
        Ok(())
    }
}

/// Where a lens draws what would stand elsewhere without its flaws, for pictures of one size.
#[derive(Debug, Clone, PartialEq)]
pub struct Geometry {
    lens: Lens,
    /// Red, green and blue: own size, and how it grows.
    colours: [[f64; 2]; 3],
}

impl Geometry {
    /// For pictures of a size in pixels; `None` where nothing moves.
    pub fn of(plan: &LensPlan, (width, height): (u32, u32)) -> Option<Self> {
        let LensPlan { distortion, red, blue, .. } = *plan;
        if [distortion, red, blue].concat().iter().all(|v| *v == 0.0) {
            return None;
        }
        // Directions of a lens whose focal length is half the diagonal are at `r`.
        let flat = Lens::plain(half_diagonal((width, height)), width, height);
        let [k1, k2] = distortion.map(f64::from);
        let colours = [red, [0.0; 2], blue].map(|own| own.map(f64::from));
        Some(Self { lens: Lens { k1, k2, ..flat }, colours })
    }

    /// Where what stands at a position of the corrected picture is in the frame, in pixels; of green.
    pub fn to_frame(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        let Lens { focal_px: half, centre, .. } = self.lens;
        self.lens.project(Vector3::new((x - centre[0]) / half, (y - centre[1]) / half, 1.0))
    }

    /// Where what stands at a position of the frame is in the corrected picture, in pixels.
    pub fn to_corrected(&self, at: [f64; 2]) -> [f64; 2] {
        let Lens { focal_px: half, centre, .. } = self.lens;
        let ray = self.lens.ray(at);
        [centre[0] + ray.x * half, centre[1] + ray.y * half]
    }

    /// Where a colour (0 to 2) of what is at a position of the frame is drawn, in pixels.
    pub fn colour(&self, colour: usize, [x, y]: [f64; 2]) -> [f64; 2] {
        let [a, b] = self.colours[colour];
        let Lens { focal_px: half, centre, .. } = self.lens;
        let (dx, dy) = (x - centre[0], y - centre[1]);
        let grown = a + b * (dx * dx + dy * dy) / (half * half);
        [x + dx * grown, y + dy * grown]
    }

    /// The same lens, where the colours were brought together already.
    pub fn of_green(&self) -> Option<Self> {
        let bends = self.lens.k1 != 0.0 || self.lens.k2 != 0.0;
        bends.then(|| Self { colours: Default::default(), ..self.clone() })
    }

    /// Whether colours are drawn apart.
    pub fn parts_colours(&self) -> bool {
        self.colours.as_flattened().iter().any(|v| *v != 0.0)
    }
}

/// Half the diagonal of a picture in pixels, from the middle of its corner pixels.
pub fn half_diagonal((width, height): (u32, u32)) -> f64 {
    (f64::from(width) - 1.0).hypot(f64::from(height) - 1.0) / 2.0
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn correcting_and_back_is_where_it_began(
            x in 0.0f64..900.0, y in 0.0f64..600.0, a in -0.12f32..0.12, b in -0.04f32..0.04,
        ) {
            let plan = LensPlan { distortion: [a, b], ..LensPlan::default() };
            prop_assert!(plan.check().is_ok());
            let lens = Geometry::of(&plan, (900, 600)).unwrap();
            let [u, v] = lens.to_frame(lens.to_corrected([x, y]));
            prop_assert!((u - x).abs() < 1e-6 && (v - y).abs() < 1e-6);
        }
    }

    #[test]
    fn the_middle_stays_and_the_corner_moves_as_told() {
        let plan =
            LensPlan { distortion: [-0.03, 0.01], red: [0.001, 0.0005], ..Default::default() };
        let lens = Geometry::of(&plan, (901, 601)).unwrap();
        assert_eq!(lens.to_corrected([450.0, 300.0]), [450.0, 300.0]);
        let [x, y] = lens.to_corrected([900.0, 600.0]);
        assert!((x - (450.0 + 450.0 * 0.98)).abs() < 1e-4, "{x}");
        assert!((y - (300.0 + 300.0 * 0.98)).abs() < 1e-4, "{y}");
        let [red, _] = lens.colour(0, [900.0, 600.0]);
        assert!((red - (450.0 + 450.0 * 1.0015)).abs() < 1e-4, "{red}");
        assert_eq!(lens.colour(1, [900.0, 600.0]), [900.0, 600.0]);
        assert!(lens.parts_colours());
        assert_eq!(Geometry::of(&LensPlan::default(), (901, 601)), None);
    }

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
