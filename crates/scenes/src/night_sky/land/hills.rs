//! Ridges one behind the other: wooded, of rock in moonlight, or a low far bank.

use super::shapes::{Shapes, Surface};
use crate::night_sky::options::Options;
use crate::random::stream;
use crate::texture::layered;
use rand::Rng;

/// What ridges look like.
#[derive(Clone, Copy)]
pub struct Look {
    /// Ridges.
    count: usize,
    /// How far they rise, as a share of the picture's height.
    rise: f64,
    /// How rough their tops are, as a share of the height.
    rough: f64,
    /// Light of the nearest and of the farthest ridge.
    light: [f32; 2],
    /// Red, green and blue of it.
    colour: [f32; 3],
    /// How much the light changes over the surface.
    texture: f64,
}

/// Dark woods.
pub const WOODED: Look = Look {
    count: 3,
    rise: 0.07,
    rough: 0.008,
    light: [0.004, 0.012],
    colour: [0.95, 1.0, 0.9],
    texture: 0.6,
};
/// Rocks under the moon.
pub const MOONLIT: Look = Look {
    count: 3,
    rise: 0.10,
    rough: 0.006,
    light: [0.16, 0.09],
    colour: [1.05, 1.0, 0.88],
    texture: 0.7,
};
/// A bank beyond water.
pub const FAR_BANK: Look = Look {
    count: 1,
    rise: 0.03,
    rough: 0.006,
    light: [0.004, 0.006],
    colour: [0.9, 1.0, 1.0],
    texture: 0.5,
};

pub fn make(options: &Options, look: Look) -> (Shapes, Surface<'static>) {
    let mut random = stream(options.seed, "hills", 0, 0);
    let (w, h) = (f64::from(options.width), f64::from(options.height));
    let scale = w / 2400.0;
    let seed = options.seed;
    let horizon = h * random.random_range(0.64..0.80);
    let ridges: Vec<(f64, f64)> = (0..look.count)
        .map(|i| {
            let base = horizon + i as f64 * h * random.random_range(0.05..0.09);
            (base, w * random.random_range(0.16..0.34))
        })
        .collect();
    let top_of = move |i: usize, x: f64| {
        let (base, length) = ridges[i];
        let wave = layered(seed ^ (301 + i as u64), x / length, i as f64, 4);
        let trees = layered(seed ^ (311 + i as u64), x / (9.0 * scale), 0.3, 3).abs();
        base - look.rise * h * (0.6 + wave) - look.rough * h * trees
    };
    let count = look.count;
    let skyline = |x: f64| (0..count).map(|i| top_of(i, x)).fold(h, f64::min);
    let tops = (0..options.width).map(|x| skyline(f64::from(x))).collect();
    let surface = move |x: f64, y: f64, _: f64| {
        // The nearest ridge that reaches as high hides the others.
        let near = (0..count).rev().find(|&i| y + 0.5 >= top_of(i, x)).unwrap_or(0);
        let far = 1.0 - near as f32 / count.max(2) as f32;
        let base = look.light[0] + (look.light[1] - look.light[0]) * far * far;
        let coarse = layered(seed ^ 321, x / (40.0 * scale), y / (26.0 * scale), 3);
        let fine = layered(seed ^ 331, x / (5.0 * scale), y / (4.0 * scale), 3);
        let value = base * (1.0 + look.texture * (0.5 * coarse + 0.5 * fine)).max(0.05) as f32;
        look.colour.map(|c| c * value)
    };
    let shapes = Shapes { horizon, tops, bars: vec![], bar_light: [0.004; 3], lamps: vec![] };
    (shapes, Box::new(surface))
}
