//! Gabled and flat roofs with chimneys, some windows lit.

use super::shapes::{Shapes, Surface};
use crate::night_sky::options::Options;
use crate::random::{mix, stream};
use crate::texture::layered;
use rand::Rng;

struct House {
    from: f64,
    to: f64,
    eaves: f64,
    /// How far the ridge stands over the eaves; 0 for a flat roof.
    gable: f64,
    /// A chimney's left side, right side and top.
    chimney: Option<[f64; 3]>,
    wall: [f32; 3],
}

impl House {
    fn top(&self, x: f64) -> f64 {
        let middle = (self.from + self.to) / 2.0;
        let half = (self.to - self.from) / 2.0;
        let roof = self.eaves - self.gable * (1.0 - (x - middle).abs() / half);
        match self.chimney {
            Some([left, right, top]) if x >= left && x < right => roof.min(top),
            _ => roof,
        }
    }
}

/// Roofs whose walls and tiles are so bright against usual ones.
pub fn make(options: &Options, bright: f32) -> (Shapes, Surface<'static>) {
    let mut random = stream(options.seed, "roofs", 0, 0);
    let (w, h) = (f64::from(options.width), f64::from(options.height));
    let horizon = h * random.random_range(0.70..0.82);
    let mut houses: Vec<House> = Vec::new();
    let mut x = -w * random.random_range(0.0..0.08);
    while x < w {
        let width = w * random.random_range(0.06..0.17);
        let eaves = horizon - h * random.random_range(0.0..0.16);
        let gable =
            if random.random_bool(0.65) { width * random.random_range(0.3..0.6) } else { 0.0 };
        let chimney = random.random_bool(0.6).then(|| {
            let left = x + width * random.random_range(0.15..0.75);
            let height = gable + h * random.random_range(0.015..0.05);
            [left, left + width * random.random_range(0.05..0.1), eaves - height]
        });
        let value = bright * random.random_range(0.004..0.02f32);
        let wall = [value * 1.1, value, value * random.random_range(0.75..1.0)];
        houses.push(House { from: x, to: x + width, eaves, gable, chimney, wall });
        x += width;
    }
    let find = |houses: &[House], x: f64| {
        houses.iter().position(|house| x >= house.from && x < house.to).unwrap_or(0)
    };
    let tops = (0..options.width)
        .map(|x| {
            let x = f64::from(x);
            houses[find(&houses, x)].top(x)
        })
        .collect();
    let (seed, pane) = (options.seed, w / 2400.0 * 34.0);
    let surface = move |x: f64, y: f64, _: f64| {
        let at = find(&houses, x);
        let house = &houses[at];
        let grain = 1.0 + 0.5 * layered(seed ^ 401, x / (pane * 0.12), y / (pane * 0.1), 3);
        if y < house.eaves + pane * 0.3 {
            // Tiles in rows.
            let rows = 0.75 + 0.25 * (y / (pane * 0.22)).sin();
            return house.wall.map(|v| v * (0.55 * rows * grain) as f32);
        }
        let (column, row) = ((x - house.from) / pane, (y - house.eaves) / (1.4 * pane));
        let inside = (0.25..0.75).contains(&column.fract()) && (0.3..0.8).contains(&row.fract());
        let lit =
            mix(seed ^ mix(at as u64 ^ mix(column as u64 ^ mix(row as u64)))).is_multiple_of(9);
        match inside && lit {
            true => [0.42, 0.30, 0.15].map(|v: f32| v * bright.sqrt()),
            false => house.wall.map(|v| v * grain as f32),
        }
    };
    let shapes = Shapes { horizon, tops, bars: vec![], bar_light: [0.004; 3], lamps: vec![] };
    (shapes, Box::new(surface))
}
