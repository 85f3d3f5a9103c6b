//! The lens of a camera: pixel positions and the directions that they show.

use nalgebra::Vector3;
use serde::{Deserialize, Serialize};

/// A lens: pixel positions to directions (x right, y down, z forward). With `r` the distance from
/// the centre over the focal length, the ideal distance is `r (1 + k1 r^2 + k2 r^4)`.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Lens {
    /// Focal length in pixels.
    pub focal_px: f64,
    /// The optical axis in pixels: the picture's middle.
    #[cfg_attr(feature = "schema", schema(value_type = (f64, f64)))]
    pub centre: [f64; 2],
    /// Second-order distortion.
    pub k1: f64,
    /// Fourth-order distortion.
    pub k2: f64,
}

impl Lens {
    /// A lens without distortion, its axis in the middle of the picture.
    pub fn plain(focal_px: f64, width: u32, height: u32) -> Self {
        let centre = [(width as f64 - 1.0) / 2.0, (height as f64 - 1.0) / 2.0];
        Self { focal_px, centre, k1: 0.0, k2: 0.0 }
    }

    /// The direction seen at a pixel position, z = 1.
    pub fn ray(&self, at: [f64; 2]) -> Vector3<f64> {
        let x = (at[0] - self.centre[0]) / self.focal_px;
        let y = (at[1] - self.centre[1]) / self.focal_px;
        let r2 = x * x + y * y;
        let bend = 1.0 + self.k1 * r2 + self.k2 * r2 * r2;
        Vector3::new(x * bend, y * bend, 1.0)
    }

    /// The pixel position of a direction; NaN for directions behind the camera.
    pub fn project(&self, ray: Vector3<f64>) -> [f64; 2] {
        if ray.z < 1e-6 {
            return [f64::NAN; 2];
        }
        let (x, y) = (ray.x / ray.z, ray.y / ray.z);
        let ideal = (x * x + y * y).sqrt();
        // Newton on r (1 + k1 r^2 + k2 r^4) = ideal.
        let mut r = ideal / (1.0 + self.k1 * ideal.min(1.5).powi(2)).max(0.5);
        for _ in 0..8 {
            let r2 = r * r;
            let value = r * (1.0 + self.k1 * r2 + self.k2 * r2 * r2) - ideal;
            let slope = 1.0 + 3.0 * self.k1 * r2 + 5.0 * self.k2 * r2 * r2;
            let step = value / if slope.abs() < 0.05 { 0.05 } else { slope };
            r -= step;
            if step.abs() < 1e-12 {
                break;
            }
        }
        let scale = if ideal > 1e-12 { r / ideal } else { 1.0 } * self.focal_px;
        [self.centre[0] + x * scale, self.centre[1] + y * scale]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn projecting_undoes_the_ray(
            x in 0.0f64..2400.0, y in 0.0f64..1600.0, k1 in -0.05f64..0.1, k2 in -0.01f64..0.02,
        ) {
            let lens = Lens { k1, k2, ..Lens::plain(1500.0, 2400, 1600) };
            let [px, py] = lens.project(lens.ray([x, y]));
            prop_assert!((px - x).abs() < 1e-7 && (py - y).abs() < 1e-7);
        }
    }
}
