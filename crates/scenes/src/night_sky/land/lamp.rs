//! A lamp and its haze.

use super::ground::Ground;

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
