//! The salt pan with its heaps, the lattice mast, and two lamps.

use super::bars::Bar;
use super::lamp::Lamp;
use super::shapes::{Shapes, Surface};
use crate::night_sky::options::Options;
use crate::random::stream;
use crate::texture::layered;
use rand::Rng;

struct Heap {
    x: f64,
    half: f64,
    height: f64,
}

pub fn make(options: &Options) -> (Shapes, Surface<'static>) {
    let mut random = stream(options.seed, "ground", 0, 0);
    let (w, h) = (options.width as f64, options.height as f64);
    let horizon = h * random.random_range(0.74..0.82);
    let heaps: Vec<Heap> = (0..random.random_range(3..6))
        .map(|_| Heap {
            x: w * random.random_range(0.02..0.98),
            half: w * random.random_range(0.06..0.13),
            height: h * random.random_range(0.05..0.12),
        })
        .collect();
    let mast_x = w * random.random_range(0.25..0.75);
    let bars = mast(mast_x, horizon, h * random.random_range(0.32..0.46), w / 2400.0);
    let scale = w / 2400.0;
    let lamps = (0..2)
        .map(|i| {
            let heap = &heaps[i % heaps.len()];
            Lamp {
                x: heap.x + heap.half * random.random_range(0.9..1.2),
                y: horizon + h * random.random_range(0.01..0.03),
                peak: random.random_range(0.7..1.6),
                radius: 2.2 * scale.max(0.5),
                colour: [1.25, 0.95, 0.6],
                haze: None,
            }
        })
        .collect();
    let seed = options.seed;
    let skyline = |x: f64| {
        let far = horizon - h * 0.012 * (1.0 + layered(seed ^ 5, x / (240.0 * scale), 0.5, 4));
        heaps.iter().fold(far, |top, heap| {
            let off = ((x - heap.x) / heap.half).abs();
            // A cone of loose salt with a rounded tip.
            let rise = heap.height * (1.0 - (off * off + 0.004).sqrt());
            let rough = h * 0.002 * layered(seed ^ 9, x / (18.0 * scale), heap.x, 3);
            if rise > 0.0 { top.min(horizon - rise - rough) } else { top }
        })
    };
    let tops = (0..options.width).map(|x| skyline(f64::from(x))).collect();
    let shapes = Shapes { horizon, tops, bars, bar_light: [0.004, 0.004, 0.0045], lamps };
    let surface = move |x: f64, y: f64, top: f64| salt(seed, scale, x, y, top, horizon, &heaps);
    (shapes, Box::new(surface))
}

/// Light of the salt pan and the heaps.
fn salt(seed: u64, scale: f64, x: f64, y: f64, top: f64, horizon: f64, heaps: &[Heap]) -> [f32; 3] {
    let grain = layered(seed ^ 21, x / (5.0 * scale), y / (3.0 * scale), 3);
    let base = if y < horizon {
        // Heaps: lighter at the crest and on the side of the glow.
        let slope = heaps
            .iter()
            .filter(|h| ((x - h.x) / h.half).abs() < 1.0)
            .map(|h| (h.x - x) / h.half)
            .fold(0.0, |a: f64, b| if b.abs() > a.abs() { b } else { a });
        let deep = ((y - top) / (horizon - top).max(1.0)).clamp(0.0, 1.0);
        0.014 + 0.007 * slope - 0.005 * deep
    } else {
        // The pan: polygons of crust, brighter far off where it mirrors the glow.
        let depth = 1.0 + (y - horizon) / (60.0 * scale);
        let crust = layered(seed ^ 33, x / (90.0 * scale) / depth, 12.0 / depth, 4).abs();
        0.010 + 0.014 / depth + if crust < 0.05 { 0.008 } else { 0.0 }
    };
    let value = (base * (1.0 + 0.55 * grain)).max(0.0015) as f32;
    [value * 1.05, value, value * 0.92]
}

/// A lattice mast of braces between two legs, with guy wires.
fn mast(x: f64, foot: f64, height: f64, scale: f64) -> Vec<Bar> {
    let mut bars = Vec::new();
    let width = |up: f64| (34.0 - 26.0 * up) * scale;
    let at = |up: f64, side: f64| [x + side * width(up), foot - up * height];
    let bays = 14;
    for side in [-1.0, 1.0] {
        bars.push((at(0.0, side), at(1.0, side), 4.0 * scale));
        for bay in 0..bays {
            let (low, high) = (bay as f64 / bays as f64, (bay + 1) as f64 / bays as f64);
            bars.push((at(low, side), at(high, -side), 1.8 * scale));
        }
        bars.push((at(0.78, side), [x + side * height * 0.62, foot], 0.9 * scale));
    }
    for bay in 1..=bays {
        let up = bay as f64 / bays as f64;
        bars.push((at(up, -1.0), at(up, 1.0), 1.8 * scale));
    }
    bars.push((at(1.0, 0.0), [x, foot - height * 1.09], 2.2 * scale));
    bars
}
