//! Lamps, their haze, and clouds.

use super::hills;
use super::{Ground, Shapes, Surface};
use crate::night_sky::Options;
use crate::random::stream;
use crate::texture::layered;
use rand::Rng;

/// A lamp, and the light that it throws around.
pub struct Lamp {
    pub x: f64,
    pub y: f64,
    pub peak: f32,
    pub radius: f64,
    pub colour: [f32; 3],
    /// How bright the haze around it is against its core, and its reach in pixels; before the sky
    /// too.
    pub haze: Option<(f64, f64)>,
}

impl Lamp {
    /// Lets it shine on the ground, and its haze before everything.
    pub fn shine(&self, ground: &mut Ground) {
        let width = ground.width as i64;
        let height = ground.light.len() as i64 / width;
        let far = self.haze.map_or(0.0, |(_, reach)| 4.0 * reach);
        let reach = (self.radius * 60.0).max(far) as i64;
        if self.haze.is_some() && ground.haze.is_empty() {
            ground.haze = vec![[0.0; 3]; ground.light.len()];
        }
        for dy in -reach..=reach {
            for dx in -reach..=reach {
                let (px, py) = (self.x.round() as i64 + dx, self.y.round() as i64 + dy);
                if px < 0 || py < 0 || px >= width || py >= height {
                    continue;
                }
                let r2 = (px as f64 - self.x).powi(2) + (py as f64 - self.y).powi(2);
                let s2 = self.radius * self.radius;
                // Core, and light thrown on the salt around it.
                let value = (-r2 / (2.0 * s2)).exp() + 0.03 * (-r2 / (2.0 * s2 * 300.0)).exp();
                let at = (py * width + px) as usize;
                let share = self.peak * value as f32 * (1.0 - ground.sky[at]);
                for (light, colour) in ground.light[at].iter_mut().zip(self.colour) {
                    *light += share * colour;
                }
                if let Some((bright, reach)) = self.haze {
                    let value = bright * (-r2.sqrt() / reach).exp();
                    for (haze, colour) in ground.haze[at].iter_mut().zip(self.colour) {
                        *haze += self.peak * value as f32 * colour;
                    }
                }
            }
        }
    }
}

/// Lamps on poles over low hills.
pub fn lamps(options: &Options) -> (Shapes, Surface<'static>) {
    let (mut shapes, surface) = hills::make(options, hills::WOODED);
    let mut random = stream(options.seed, "poles", 0, 0);
    let (w, h) = (f64::from(options.width), f64::from(options.height));
    let scale = w / 2400.0;
    for _ in 0..random.random_range(3..6) {
        let x = w * random.random_range(0.05..0.95);
        let top = shapes.horizon - h * random.random_range(0.06..0.22);
        let radius = random.random_range(3.0..6.0) * scale.max(0.4);
        shapes.bars.push(([x, top], [x, h], 4.0 * scale));
        // The lamp itself is a short thick bar that its light fills.
        shapes.bars.push(([x - radius, top], [x + radius, top], 3.0 * radius));
        shapes.lamps.push(Lamp {
            x,
            y: top,
            peak: random.random_range(0.8..1.6),
            radius: 1.4 * radius,
            colour: [1.25, 0.95, 0.6],
            haze: Some((random.random_range(0.02..0.06), random.random_range(25.0..60.0) * scale)),
        });
    }
    (shapes, surface)
}

/// A bank of clouds over the horizon, drifting.
pub struct Clouds {
    seed: u64,
    horizon: f64,
    tall: f64,
    long: f64,
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
            tall: h * random.random_range(0.10..0.28),
            long: w * random.random_range(0.15..0.3),
            drift: w * random.random_range(-1.0e-4..1.0e-4),
            light: [lit * 1.1, lit * 0.9, lit * 0.75],
        }
    }

    /// How much of the sky they hide at a place, 0 to 1, so many seconds after the reference frame.
    pub fn cover(&self, x: f64, y: f64, seconds: f64) -> f32 {
        let up = (self.horizon - y) / self.tall;
        if up > 2.0 {
            return 0.0;
        }
        let x = (x - self.drift * seconds) / self.long;
        let puffs = layered(self.seed ^ 131, x, y / (0.35 * self.long), 5);
        let thick = (1.2 - up + 0.9 * puffs).clamp(0.0, 1.0);
        (thick * thick * (3.0 - 2.0 * thick)) as f32
    }

    pub fn light(&self) -> [f32; 3] {
        self.light
    }
}
