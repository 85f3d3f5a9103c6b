//! Distortion, from the alignment of a turning sky.

use jade_optics::camera::Lens;
use jade_optics::lens::half_diagonal;
use nalgebra::{Matrix3, Vector3};

/// Measured distortion.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bent {
    /// As [`jade_plan::LensPlan::distortion`].
    pub distortion: [f32; 2],
    /// Displacement of the corners in pixels; outward above 0.
    pub corner_px: f64,
    /// Standard error of that displacement, in pixels.
    pub error_px: f64,
}

/// The distortion of a solved lens. `spread` holds the covariances of the logarithm of its focal
/// length and of its two distortion values.
pub fn bent(lens: &Lens, spread: &Matrix3<f64>, size: (u32, u32)) -> Bent {
    let half = half_diagonal(size);
    let values = |focal_px: f64, k1: f64, k2: f64| {
        let wide2 = (half / focal_px).powi(2);
        [k1 * wide2, k2 * wide2 * wide2]
    };
    let corner = |focal_px: f64, k1: f64, k2: f64| {
        let [a, b] = values(focal_px, k1, k2);
        -half * (a + b)
    };
    let Lens { focal_px, k1, k2, .. } = *lens;
    let here = corner(focal_px, k1, k2);
    const STEP: f64 = 1e-5;
    let slopes = Vector3::new(
        corner(focal_px * STEP.exp(), k1, k2) - here,
        corner(focal_px, k1 + STEP, k2) - here,
        corner(focal_px, k1, k2 + STEP) - here,
    ) / STEP;
    let error_px = slopes.dot(&(spread * slopes)).max(0.0).sqrt();
    let distortion = values(focal_px, k1, k2).map(|v| v as f32);
    Bent { distortion, corner_px: here, error_px }
}
