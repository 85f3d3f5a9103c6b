//! What the yard looks like: one picture, larger than a frame, through which frames look.

use crate::canvas::Canvas;
use crate::random::stream;
use crate::texture::{layered, noise};
use rand::Rng;

/// Places and sizes, as shares of the picture's height; x counts from the left edge.
struct Layout {
    seed: u64,
    ground: f64,
    kilns: Vec<Kiln>,
    stacks: Vec<Stack>,
    lamp: [f64; 2],
}

struct Kiln {
    x: f64,
    half: f64,
    height: f64,
}

struct Stack {
    x: f64,
    foot: f64,
    width: f64,
    height: f64,
}

impl Layout {
    fn new(seed: u64, width: f64) -> Self {
        let mut random = stream(seed, "yard", 0, 0);
        let ground = random.random_range(0.66..0.74);
        let kilns = (0..2)
            .map(|i| Kiln {
                x: width * (0.3 + 0.42 * i as f64) + random.random_range(-0.1..0.1),
                half: random.random_range(0.15..0.2),
                height: random.random_range(0.42..0.55),
            })
            .collect();
        let stacks = (0..7)
            .map(|_| Stack {
                x: random.random_range(0.0..width),
                foot: ground + random.random_range(0.03..0.24),
                width: random.random_range(0.07..0.14),
                height: random.random_range(0.05..0.1),
            })
            .collect();
        let lamp =
            [width * random.random_range(0.45..0.6), ground - random.random_range(0.16..0.22)];
        Self { seed, ground, kilns, stacks, lamp }
    }

    /// Linear light at a place.
    fn at(&self, x: f64, y: f64) -> [f32; 3] {
        let mut colour = if y < self.ground { self.sky(x, y) } else { self.gravel(x, y) };
        for kiln in &self.kilns {
            if let Some(brick) = self.kiln(kiln, x, y) {
                colour = brick;
            }
        }
        for stack in &self.stacks {
            let (dx, dy) = (x - stack.x, stack.foot - y);
            if dx.abs() < stack.width / 2.0 && (0.0..stack.height).contains(&dy) {
                colour = bricks(self.seed ^ 40, dx, dy, 0.022, 0.011, 0.05);
            }
        }
        // A pole with a lamp, and its light on everything near.
        let pole = (x - self.lamp[0]).abs() < 0.004 && y > self.lamp[1] && y < self.ground + 0.05;
        if pole {
            colour = [0.012, 0.012, 0.014];
        }
        let r2 = (x - self.lamp[0]).powi(2) + (y - self.lamp[1]).powi(2);
        let near = 0.9 / (1.0 + r2 / 0.012) + 0.2 / (1.0 + r2 / 0.12);
        let flame = 0.6 * (-r2 / 0.00008).exp();
        let warm = [1.0, 0.72, 0.42];
        [0, 1, 2].map(|c| colour[c] * (1.0 + warm[c] * near as f32 * 1.5) + flame as f32 * warm[c])
    }

    fn sky(&self, x: f64, y: f64) -> [f32; 3] {
        let low = (y / self.ground).clamp(0.0, 1.0);
        let cloud = 0.5 + 0.5 * layered(self.seed ^ 3, x * 3.0, y * 9.0, 6);
        let dusk = [0.05 + 0.16 * low.powi(3), 0.07 + 0.08 * low.powi(2), 0.13 - 0.03 * low];
        dusk.map(|v| (v * (0.7 + 0.6 * cloud)) as f32)
    }

    fn gravel(&self, x: f64, y: f64) -> [f32; 3] {
        let depth = 1.0 / (0.25 + (y - self.ground));
        let grain = layered(self.seed ^ 7, x * 40.0 * depth, y * 90.0 * depth, 5);
        let ruts = noise(self.seed ^ 8, x * 3.0 + y * 5.0, y * 14.0);
        let v = (0.045 * (1.0 + 0.7 * grain) * (1.0 + 0.35 * ruts)).max(0.004);
        [v * 1.1, v, v * 0.88].map(|v| v as f32)
    }

    /// A bottle of bricks: a wide drum, a shoulder, a neck, a dark door.
    fn kiln(&self, kiln: &Kiln, x: f64, y: f64) -> Option<[f32; 3]> {
        let up = (self.ground + 0.01 - y) / kiln.height;
        if !(0.0..1.0).contains(&up) {
            return None;
        }
        let half = if up < 0.45 {
            kiln.half
        } else {
            let t = ((up - 0.45) / 0.45).min(1.0);
            kiln.half * (1.0 - 0.68 * t * t * (3.0 - 2.0 * t))
        };
        let across = (x - kiln.x) / half;
        if across.abs() > 1.0 {
            return None;
        }
        let door = (x - kiln.x).abs() < kiln.half * 0.22 && up < 0.24;
        if door {
            // The fire inside glows low down.
            let glow = (0.12 * (1.0 - up / 0.24)).max(0.0);
            return Some([0.01 + glow, 0.008 + glow * 0.4, 0.008 + glow * 0.1].map(|v| v as f32));
        }
        let round = (1.0 - across * across).sqrt();
        let brick = bricks(self.seed ^ 20, across.asin() * half, y, 0.03, 0.0125, 0.045);
        // Iron bands hold the drum.
        let band = (up * 9.0).fract() < 0.07 && up < 0.5;
        let shade = (0.35 + 0.65 * round) as f32 * if band { 0.35 } else { 1.0 };
        Some(brick.map(|v| v * shade))
    }
}

/// Courses of bricks with lighter mortar between them, no two bricks alike.
fn bricks(seed: u64, x: f64, y: f64, length: f64, height: f64, light: f64) -> [f32; 3] {
    let course = (y / height).floor();
    let along = x / length + 0.5 * course.rem_euclid(2.0);
    let (column, fx, fy) = (along.floor(), along - along.floor(), y / height - course);
    let mortar = fx < 0.06 || fy < 0.13;
    let brick = noise(seed, column * 7.31 + 0.5, course * 3.77 + 0.5);
    let rough = layered(seed ^ 1, x / length * 9.0, y / height * 5.0, 3);
    let v = light * (1.0 + 0.35 * brick + 0.3 * rough);
    match mortar {
        true => [v * 1.15, v * 1.08, v].map(|v| v as f32),
        false => [v * 1.45, v * 0.72, v * 0.5].map(|v| v as f32),
    }
}

/// Paints the yard for frames of a size; `margin` more pixels on every side.
pub fn painted(seed: u64, (width, height): (u32, u32), margin: usize) -> Canvas {
    let size = (width as usize + 2 * margin, height as usize + 2 * margin);
    let unit = 1.0 / f64::from(height);
    let layout = Layout::new(seed, f64::from(width) * unit);
    let place = |v: usize| (v as f64 - margin as f64) * unit;
    // What a lens does to edges: a binomial along both axes.
    let weights = [1.0, 4.0, 6.0, 4.0, 1.0].map(|weight| weight / 16.0);
    Canvas::painted(size, weights, |x, y| layout.at(place(x), place(y)))
}
