//! What stands still: the salt pan with its heaps, the lattice mast, lamps, and the lens's shading.

use super::Options;
use crate::random::stream;
use crate::texture::layered;
use rand::Rng;
use rayon::prelude::*;

/// The still part of the picture, one value or colour for each pixel, row by row.
pub struct Ground {
    width: usize,
    /// Share of sky in each pixel, 0 to 1.
    sky: Vec<f32>,
    /// Light of the ground where it is, sRGB-linear.
    light: Vec<[f32; 3]>,
    /// Light of lamps and their haze, seen before everything.
    lamps: Vec<Lamp>,
    horizon: f64,
}

struct Heap {
    x: f64,
    half: f64,
    tall: f64,
}

struct Lamp {
    x: f64,
    y: f64,
    peak: f32,
    radius: f64,
    colour: [f32; 3],
}

/// Straight bar from one point to another with a thickness, all in pixels.
type Bar = ([f64; 2], [f64; 2], f64);

impl Ground {
    pub fn new(options: &Options) -> Self {
        let mut random = stream(options.seed, "ground", 0, 0);
        let (w, h) = (options.width as f64, options.height as f64);
        let horizon = h * random.random_range(0.74..0.82);
        let heaps: Vec<Heap> = (0..random.random_range(3..6))
            .map(|_| Heap {
                x: w * random.random_range(0.02..0.98),
                half: w * random.random_range(0.06..0.13),
                tall: h * random.random_range(0.05..0.12),
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
                }
            })
            .collect();
        let mut ground = Self {
            width: options.width as usize,
            sky: vec![0.0; options.width as usize * options.height as usize],
            light: vec![[0.0; 3]; options.width as usize * options.height as usize],
            lamps,
            horizon,
        };
        ground.draw(options, &heaps, &bars);
        ground
    }

    fn draw(&mut self, options: &Options, heaps: &[Heap], bars: &[Bar]) {
        let seed = options.seed;
        let scale = options.width as f64 / 2400.0;
        let horizon = self.horizon;
        let height = options.height as f64;
        let skyline = |x: f64| {
            let far =
                horizon - height * 0.012 * (1.0 + layered(seed ^ 5, x / (240.0 * scale), 0.5, 4));
            heaps.iter().fold(far, |top, heap| {
                let off = ((x - heap.x) / heap.half).abs();
                // A cone of loose salt with a rounded tip.
                let rise = heap.tall * (1.0 - (off * off + 0.004).sqrt());
                let rough = height * 0.002 * layered(seed ^ 9, x / (18.0 * scale), heap.x, 3);
                if rise > 0.0 { top.min(horizon - rise - rough) } else { top }
            })
        };
        let width = self.width;
        let tops: Vec<f64> = (0..width).map(|x| skyline(x as f64)).collect();
        let rows = self.sky.par_chunks_mut(width).zip(self.light.par_chunks_mut(width));
        rows.enumerate().for_each(|(y, (sky, light))| {
            let y = y as f64;
            let near: Vec<&Bar> = bars
                .iter()
                .filter(|(a, b, t)| y > a[1].min(b[1]) - t - 2.0 && y < a[1].max(b[1]) + t + 2.0)
                .collect();
            for x in 0..width {
                let fx = x as f64;
                let top = tops[x];
                let hill = (y - top + 0.5).clamp(0.0, 1.0);
                let bar = near.iter().map(|bar| cover(bar, fx, y)).fold(0.0, f64::max);
                let solid = hill.max(bar);
                sky[x] = 1.0 - solid as f32;
                if solid > 0.0 {
                    light[x] = if bar > hill {
                        [0.004, 0.004, 0.0045]
                    } else {
                        self_light(seed, scale, fx, y, top, horizon, heaps)
                    };
                }
            }
        });
        for lamp in &self.lamps {
            let reach = (lamp.radius * 60.0) as i64;
            for dy in -reach..=reach {
                for dx in -reach..=reach {
                    let (px, py) = (lamp.x.round() as i64 + dx, lamp.y.round() as i64 + dy);
                    if px < 0 || py < 0 || px >= width as i64 || py >= options.height as i64 {
                        continue;
                    }
                    let r2 = (px as f64 - lamp.x).powi(2) + (py as f64 - lamp.y).powi(2);
                    let s2 = lamp.radius * lamp.radius;
                    // Core, and light thrown on the salt around it.
                    let value = (-r2 / (2.0 * s2)).exp() + 0.03 * (-r2 / (2.0 * s2 * 300.0)).exp();
                    let at = py as usize * width + px as usize;
                    let share = lamp.peak * value as f32 * (1.0 - self.sky[at]);
                    for (light, colour) in self.light[at].iter_mut().zip(lamp.colour) {
                        *light += share * colour;
                    }
                }
            }
        }
    }

    /// Share of sky in each pixel, row by row.
    pub fn sky(&self) -> &[f32] {
        &self.sky
    }

    /// Share of sky and light of the ground at a pixel.
    pub fn at(&self, x: usize, y: usize) -> (f32, [f32; 3]) {
        let at = y * self.width + x;
        (self.sky[at], self.light[at])
    }

    /// Row of the horizon.
    pub fn horizon(&self) -> f64 {
        self.horizon
    }
}

/// Light of the salt pan and the heaps.
fn self_light(
    seed: u64,
    scale: f64,
    x: f64,
    y: f64,
    top: f64,
    horizon: f64,
    heaps: &[Heap],
) -> [f32; 3] {
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

/// How much of the pixel at (x, y) a bar covers, 0 to 1.
fn cover((a, b, thick): &Bar, x: f64, y: f64) -> f64 {
    let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
    let along = (((x - a[0]) * dx + (y - a[1]) * dy) / (dx * dx + dy * dy)).clamp(0.0, 1.0);
    let off = ((x - a[0] - along * dx).powi(2) + (y - a[1] - along * dy).powi(2)).sqrt();
    // A bar thinner than a pixel covers as much of it as it is thick.
    (thick / 2.0 + 0.5 - off).clamp(0.0, thick.min(1.0))
}

/// A lattice mast of four bays of braces between two legs, with guy wires.
fn mast(x: f64, foot: f64, tall: f64, scale: f64) -> Vec<Bar> {
    let mut bars = Vec::new();
    let wide = |up: f64| (34.0 - 26.0 * up) * scale;
    let at = |up: f64, side: f64| [x + side * wide(up), foot - up * tall];
    let bays = 14;
    for side in [-1.0, 1.0] {
        bars.push((at(0.0, side), at(1.0, side), 4.0 * scale));
        for bay in 0..bays {
            let (low, high) = (bay as f64 / bays as f64, (bay + 1) as f64 / bays as f64);
            bars.push((at(low, side), at(high, -side), 1.8 * scale));
        }
        bars.push((at(0.78, side), [x + side * tall * 0.62, foot], 0.9 * scale));
    }
    for bay in 1..=bays {
        let up = bay as f64 / bays as f64;
        bars.push((at(up, -1.0), at(up, 1.0), 1.8 * scale));
    }
    bars.push((at(1.0, 0.0), [x, foot - tall * 1.09], 2.2 * scale));
    bars
}
