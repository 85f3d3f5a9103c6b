//! The still part of the picture.

use super::clouds::Clouds;

/// The still part of the picture, one value or colour for each pixel, row by row.
pub struct Ground {
    pub(super) width: usize,
    /// Share of sky in each pixel, 0 to 1.
    pub(super) sky: Vec<f32>,
    /// Light of the ground where it is, sRGB-linear.
    pub(super) light: Vec<[f32; 3]>,
    pub(super) horizon: f64,
    /// Light of haze before everything; empty where there is none.
    pub(super) haze: Vec<[f32; 3]>,
    /// Share of the light that water throws back below the horizon.
    pub(super) mirror: Option<f32>,
    pub(super) clouds: Option<Clouds>,
    /// How bright the sky is without stars, band and glow, against a dark one.
    pub(super) airglow: f32,
}

impl Ground {
    /// Share of sky in each pixel, row by row.
    pub fn sky(&self) -> &[f32] {
        &self.sky
    }

    /// Share of sky and light of the ground at a pixel.
    pub fn at(&self, x: usize, y: usize) -> (f32, [f32; 3]) {
        let at = y * self.width + x;
        (self.sky[at], self.light[at])
    }

    /// Light of haze before everything, row by row; empty where there is none.
    pub fn haze(&self) -> &[[f32; 3]] {
        &self.haze
    }

    /// Row of the horizon.
    pub fn horizon(&self) -> f64 {
        self.horizon
    }

    /// Share of the light that water throws back below the horizon, if there is any.
    pub fn mirror(&self) -> Option<f32> {
        self.mirror
    }

    /// Clouds before the sky, if there are any.
    pub fn clouds(&self) -> Option<&Clouds> {
        self.clouds.as_ref()
    }

    /// How bright the sky is without stars, band and glow, against a dark one.
    pub fn airglow(&self) -> f32 {
        self.airglow
    }
}
