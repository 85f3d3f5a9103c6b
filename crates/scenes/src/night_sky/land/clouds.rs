//! Clouds before the sky.

use crate::night_sky::options::Options;
use crate::random::stream;
use crate::texture::layered;
use rand::Rng;

/// A bank of clouds over the horizon, drifting.
pub struct Clouds {
    seed: u64,
    horizon: f64,
    height: f64,
    length: f64,
    /// Pixels in a second.
    drift: f64,
    light: [f32; 3],
}

impl Clouds {
    pub fn new(options: &Options, horizon: f64) -> Self {
        let mut random = stream(options.seed, "clouds", 0, 0);
        let (w, h) = (f64::from(options.width), f64::from(options.height));
        let lit = random.random_range(0.010..0.060f32);
        Self {
            seed: options.seed,
            horizon,
            height: h * random.random_range(0.10..0.28),
            length: w * random.random_range(0.15..0.3),
            drift: w * random.random_range(-1.0e-4..1.0e-4),
            light: [lit * 1.1, lit * 0.9, lit * 0.75],
        }
    }

    /// How much of the sky they hide at a place, 0 to 1, at a time in seconds after the reference
    /// frame.
    pub fn cover(&self, x: f64, y: f64, seconds: f64) -> f32 {
        let up = (self.horizon - y) / self.height;
        if up > 2.0 {
            return 0.0;
        }
        let x = (x - self.drift * seconds) / self.length;
        let puffs = layered(self.seed ^ 131, x, y / (0.35 * self.length), 5);
        let thick = (1.2 - up + 0.9 * puffs).clamp(0.0, 1.0);
        (thick * thick * (3.0 - 2.0 * thick)) as f32
    }

    pub fn light(&self) -> [f32; 3] {
        self.light
    }
}
