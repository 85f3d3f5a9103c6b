//! A pylon of steel lattice before hills, with wires across the picture.

use super::bars::Bar;
use super::hills;
use super::shapes::{Shapes, Surface};
use crate::night_sky::options::Options;
use crate::random::stream;
use rand::Rng;

pub fn make(options: &Options) -> (Shapes, Surface<'static>) {
    let (mut shapes, surface) = hills::make(options, hills::WOODED);
    let mut random = stream(options.seed, "pylon", 0, 0);
    let (w, h) = (f64::from(options.width), f64::from(options.height));
    let scale = w / 2400.0;
    let (x, foot) = (w * random.random_range(0.2..0.8), shapes.horizon + 0.04 * h);
    let height = h * random.random_range(0.42..0.6);
    let half = random.random_range(50.0..90.0) * scale;
    let width = |up: f64| half * (1.0 - 0.82 * up);
    let at = |up: f64, side: f64| [x + side * width(up), foot - up * height];
    let bays = random.random_range(9..14);
    for side in [-1.0, 1.0] {
        shapes.bars.push((at(0.0, side), at(1.0, side), 6.0 * scale));
        for bay in 0..bays {
            let (low, high) =
                (f64::from(bay) / f64::from(bays), f64::from(bay + 1) / f64::from(bays));
            shapes.bars.push((at(low, side), at(high, -side), 2.6 * scale));
        }
    }
    // Arms, and wires that hang between them and the picture's edges.
    for up in [0.68, 0.82, 0.96] {
        let y = foot - up * height;
        let arm = height * random.random_range(0.12..0.2);
        shapes.bars.push(([x - arm, y], [x + arm, y], 4.0 * scale));
        for side in [-1.0, 1.0] {
            shapes.bars.push((at(up - 0.06, side), [x + side * arm, y], 2.0 * scale));
            let end = if side < 0.0 { -10.0 } else { w + 10.0 };
            let sag = h * random.random_range(0.02..0.08);
            wire([x + side * arm, y], end, sag, 1.3 * scale, &mut shapes.bars);
        }
    }
    shapes.bar_light = [0.005, 0.005, 0.0055];
    (shapes, surface)
}

fn wire(from: [f64; 2], end: f64, sag: f64, thick: f64, bars: &mut Vec<Bar>) {
    const PIECES: u32 = 24;
    let at = |i: u32| {
        let t = f64::from(i) / f64::from(PIECES);
        [from[0] + (end - from[0]) * t, from[1] + 4.0 * sag * t * (1.0 - 0.5 * t)]
    };
    bars.extend((0..PIECES).map(|i| (at(i), at(i + 1), thick)));
}
