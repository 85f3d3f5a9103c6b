//! Lamps on poles.

use super::hills;
use super::lamp::Lamp;
use super::shapes::{Shapes, Surface};
use crate::night_sky::options::Options;
use crate::random::stream;
use rand::Rng;

/// Lamps on poles over low hills.
pub fn make(options: &Options) -> (Shapes, Surface<'static>) {
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
