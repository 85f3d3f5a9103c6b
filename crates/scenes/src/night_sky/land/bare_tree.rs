//! Bare trees: trunks that part into ever thinner branches.

use super::bars::Bar;
use super::hills;
use super::shapes::{Shapes, Surface};
use crate::night_sky::options::Options;
use crate::random::stream;
use rand::Rng;

pub fn make(options: &Options) -> (Shapes, Surface<'static>) {
    let (mut shapes, surface) = hills::make(options, hills::WOODED);
    let mut random = stream(options.seed, "trees", 0, 0);
    let (w, h) = (f64::from(options.width), f64::from(options.height));
    let scale = w / 2400.0;
    for _ in 0..random.random_range(1..3) {
        let foot = [w * random.random_range(0.15..0.85), shapes.horizon + 0.05 * h];
        let length = h * random.random_range(0.14..0.19);
        let lean = random.random_range(-0.12..0.12);
        branch(&mut random, foot, lean, length, 26.0 * scale, 0.5 * scale, &mut shapes.bars);
    }
    shapes.bar_light = [0.0045, 0.004, 0.004];
    (shapes, surface)
}

/// A branch from `foot` on, leaning by an angle from upright, and all that grows from it.
fn branch(
    random: &mut impl Rng,
    foot: [f64; 2],
    lean: f64,
    length: f64,
    thick: f64,
    least: f64,
    bars: &mut Vec<Bar>,
) {
    if thick < least {
        return;
    }
    let tip = [foot[0] + lean.sin() * length, foot[1] - lean.cos() * length];
    bars.push((foot, tip, thick));
    let count = random.random_range(2..4);
    for i in 0..count {
        let apart = f64::from(i) - f64::from(count - 1) / 2.0;
        let turn = apart * random.random_range(0.35..0.75) + random.random_range(-0.15..0.15);
        let shorter = random.random_range(0.66..0.86);
        let thinner = random.random_range(0.5..0.68);
        branch(random, tip, lean + turn, length * shorter, thick * thinner, least, bars);
    }
}
