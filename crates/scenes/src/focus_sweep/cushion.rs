//! What stands under the lens: a moss cushion that slopes away, stalks with spore capsules, and
//! hairs, before a smooth backdrop.

use super::disc::Sheet;
use crate::random::{mix, stream};
use crate::texture::{layered, noise};
use rand::Rng;
use rayon::prelude::*;
use std::ops::Range;

/// Planes that the cushion is cut into for each frame of the sweep.
const SLICES: usize = 2;

/// A sheet and its distance in frames: 0 is where the first frame is focused.
pub struct Plane {
    pub depth: f64,
    sheet: Sheet,
    /// Rows of the canvas in which it is not covered by nearer ones.
    rows: Range<usize>,
}

impl Plane {
    /// The plane as it is drawn out of focus, with discs of `radius` pixels.
    pub fn spread(&self, radius: f64) -> Sheet {
        // It has to cover what nearer ones cover in part, and to be spread itself.
        let room = (2.0 * radius).ceil() as usize + 2;
        self.sheet.rows(self.rows.start.saturating_sub(room), self.rows.end + room).spread(radius)
    }
}

/// The scene on its canvas.
pub struct Cushion {
    pub size: [usize; 2],
    /// Far behind everything, and so smooth that no focus changes it.
    pub backdrop: Vec<[f32; 3]>,
    /// From far to near.
    pub planes: Vec<Plane>,
    /// Distance, in frames, of the front surface at each pixel; infinite for the backdrop.
    pub depth: Vec<f32>,
}

/// A curved rod from its foot to its end: places as shares of the height, x from the left edge.
struct Rod {
    foot: [f64; 2],
    bend: [f64; 2],
    end: [f64; 2],
    /// Radius at the foot and at the end.
    thick: [f64; 2],
    /// Radius of a capsule at its end, if there is one.
    capsule: f64,
    colour: [f64; 3],
    depth: f64,
}

/// Where everything is, in shares of a frame's height.
struct Layout {
    seed: u64,
    frames: f64,
    unit: f64,
    margin: f64,
    /// Row in which the cushion begins, far away.
    crest: f64,
    rods: Vec<Rod>,
}

impl Cushion {
    /// Makes it up for frames of a size; `margin` more pixels on every side, `room` pixels around
    /// everything for what spreads.
    pub fn new(
        seed: u64,
        frames: u32,
        (width, height): (u32, u32),
        margin: usize,
        room: usize,
    ) -> Self {
        let size = [width as usize + 2 * margin, height as usize + 2 * margin];
        let unit = 1.0 / f64::from(height);
        let layout = Layout::new(seed, f64::from(frames), unit, margin as f64, width);
        let [columns, row_count] = size;
        let place = |i: usize| layout.place([(i % columns) as f64, (i / columns) as f64]);
        let backdrop = (0..columns * row_count).into_par_iter().map(|i| layout.backdrop(place(i)));
        let backdrop: Vec<[f32; 3]> = backdrop.collect();
        let far = f32::INFINITY;
        let mut depth: Vec<f32> = (0..columns * row_count)
            .into_par_iter()
            .map(|i| layout.depth(place(i)).map_or(far, |depth| depth as f32))
            .collect();
        let mut planes = layout.slices(size, &depth, room);
        for rod in &layout.rods {
            let sheet = layout.drawn(rod, size, room);
            for (y, row) in sheet.values.chunks_exact(sheet.size[0]).enumerate() {
                for (x, value) in row.iter().enumerate().filter(|(_, value)| value[3] > 0.5) {
                    let at = (sheet.corner[1] + y) * columns + sheet.corner[0] + x;
                    depth[at] = depth[at].min(rod.depth as f32);
                    debug_assert!(value[3] <= 1.001);
                }
            }
            let rows = sheet.corner[1]..sheet.corner[1] + sheet.size[1];
            planes.push(Plane { depth: rod.depth, sheet, rows });
        }
        planes.sort_by(|a, b| b.depth.total_cmp(&a.depth));
        Self { size, backdrop, planes, depth }
    }
}

impl Layout {
    fn new(seed: u64, frames: f64, unit: f64, margin: f64, width: u32) -> Self {
        let mut random = stream(seed, "cushion", 0, 0);
        let crest = random.random_range(0.36..0.46);
        let mut layout = Self { seed, frames, unit, margin, crest, rods: vec![] };
        let columns = f64::from(width) * unit;
        let count = 9 + random.random_range(0..4);
        let rods = (0..count).map(|i| {
            let stalk = i % 2 == 0;
            let x = columns
                * (0.06 + 0.88 * (f64::from(i) + random.random_range(0.1..0.9)) / f64::from(count));
            let foot_y = random.random_range(crest + 0.12..0.9);
            let height = random.random_range(0.3..0.5);
            let lean = random.random_range(-0.16..0.16);
            let end = [x + lean, (foot_y - height).max(0.05)];
            let bend = [x + 0.2 * lean, 0.5 * (foot_y + end[1])];
            let red = random.random_range(0.0..0.06);
            let foot = [x, foot_y];
            match stalk {
                true => Rod {
                    foot,
                    bend,
                    end,
                    thick: [0.0065, 0.004],
                    capsule: random.random_range(0.016..0.024),
                    colour: [0.22 + red, 0.1, 0.035],
                    depth: 0.0,
                },
                false => Rod {
                    foot,
                    bend,
                    end,
                    thick: [0.0018, 0.0009],
                    capsule: 0.0,
                    colour: [0.62, 0.6, 0.52 - red],
                    depth: 0.0,
                },
            }
        });
        let mut rods: Vec<Rod> = rods.collect();
        for rod in &mut rods {
            // It stands in the moss at its foot, slightly in front of the surface there.
            rod.depth = (layout.depth(rod.foot).unwrap_or(0.5 * frames) - 0.3).max(0.0);
        }
        layout.rods = rods;
        layout
    }

    fn place(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        [(x - self.margin) * self.unit, (y - self.margin) * self.unit]
    }

    /// Distance of the cushion in frames, where there is some: near at the lower edge.
    fn depth(&self, [x, y]: [f64; 2]) -> Option<f64> {
        let crest = self.crest + 0.035 * noise(self.seed ^ 5, x * 3.0, 0.5);
        if y < crest {
            return None;
        }
        let along = ((y - crest) / (1.0 - crest)).min(1.1);
        let bumps = 0.07 * layered(self.seed ^ 6, x * 4.0, y * 6.0, 2);
        let last = self.frames - 1.0;
        Some((last * (0.97 - 0.96 * along.powf(0.8) + bumps * along.min(0.5))).clamp(0.0, last))
    }

    fn backdrop(&self, [x, y]: [f64; 2]) -> [f32; 3] {
        let cloud = noise(self.seed ^ 7, x * 1.3, y * 1.7);
        let v = 0.16 + 0.07 * (1.0 - y) + 0.04 * cloud;
        [0.62 * v, 0.8 * v, 0.74 * v].map(|v| v as f32)
    }

    /// Light of the moss: leaves beside each other, dark between them, in patches of two greens.
    fn moss(&self, [x, y]: [f64; 2]) -> [f32; 3] {
        const LEAF: f64 = 0.013;
        let (u, v) = (x / LEAF, y / LEAF);
        let (mut near, mut second, mut nearest, mut tip) = (f64::MAX, f64::MAX, 0, 0.0);
        for dy in -1..=1 {
            for dx in -1..=1 {
                let (column, row) = (u.floor() as i64 + dx, v.floor() as i64 + dy);
                let key = mix(mix(column as u64) ^ mix((row as u64).wrapping_add(self.seed << 8)));
                let part = |shift: u32| (key >> shift & 0xffff) as f64 / 65_536.0;
                let [ax, ay] = [column as f64 + part(0) - u, row as f64 + part(16) - v];
                // Leaves are longer one way, each its own.
                let turn = part(32) * std::f64::consts::TAU;
                let (s, c) = turn.sin_cos();
                let far = (1.5 * (ax * c + ay * s)).powi(2) + (0.8 * (ay * c - ax * s)).powi(2);
                match far {
                    _ if far < near => {
                        (second, near, nearest) = (near, far, key);
                        tip = ay * c - ax * s;
                    }
                    _ if far < second => second = far,
                    _ => {}
                }
            }
        }
        let rim = ((second.sqrt() - near.sqrt()) * 3.0).clamp(0.0, 1.0);
        let octaves = (0.35 / (LEAF * self.unit.max(1e-5) * 60.0)).log2().clamp(3.0, 7.0) as u32;
        let grain = 1.0 + 0.55 * layered(self.seed ^ 9, x * 60.0, y * 60.0, octaves);
        let patch = 0.5 + 0.5 * noise(self.seed ^ 8, x * 5.0, y * 5.0);
        // Each leaf is lighter towards its tip.
        let leaf =
            (0.6 + 0.7 * ((nearest >> 48) as f64 / 65_536.0)) * (1.0 + 0.9 * tip).clamp(0.2, 1.8);
        let v = 0.16 * leaf * (0.12 + 0.88 * rim) * grain.max(0.15);
        [v * (0.55 + 0.4 * patch), v, v * (0.16 + 0.12 * patch)].map(|v| v as f32)
    }

    /// The cushion in slices. Each extends behind the nearer ones, so that nothing shines through
    /// between them; parts that are covered by far are not drawn.
    fn slices(&self, [width, height]: [usize; 2], depth: &[f32], room: usize) -> Vec<Plane> {
        let count = SLICES * (self.frames as usize - 1).max(1);
        let last = self.frames - 1.0;
        let bound = |k: usize| (last * k as f64 / count as f64) as f32;
        let light: Vec<[f32; 3]> = (0..width * height)
            .into_par_iter()
            .map(|i| match depth[i].is_finite() {
                true => self.moss(self.place([(i % width) as f64, (i / width) as f64])),
                false => [0.0; 3],
            })
            .collect();
        let slice = |k: usize| {
            let (near, far) = (bound(k), bound(k + 1));
            let is_seen = |row: &[f32]| row.iter().any(|d| (near..=far).contains(d));
            let rows: Vec<usize> =
                (0..height).filter(|y| is_seen(&depth[y * width..][..width])).collect();
            let (first, end) = (*rows.first()?, *rows.last()? + 1);
            let (top, low) = (first.saturating_sub(2 * room), (end + 2 * room).min(height));
            let of = |i: usize| match depth[i] <= far {
                true => [light[i][0], light[i][1], light[i][2], 1.0],
                false => [0.0; 4],
            };
            let values = (top * width..low * width).map(of).collect();
            let sheet = Sheet { corner: [0, top], size: [width, low - top], values };
            Some(Plane { depth: f64::from(near + far) / 2.0, sheet, rows: first..end })
        };
        (0..count).filter_map(slice).collect()
    }

    /// A rod, drawn with edges that go through pixels in part.
    fn drawn(&self, rod: &Rod, [width, height]: [usize; 2], room: usize) -> Sheet {
        let steps = 48;
        let curve = |t: f64| -> [f64; 2] {
            let (a, b, c) = ((1.0 - t).powi(2), 2.0 * t * (1.0 - t), t * t);
            [0, 1].map(|i| a * rod.foot[i] + b * rod.bend[i] + c * rod.end[i])
        };
        let spine: Vec<[f64; 2]> =
            (0..=steps).map(|k| curve(f64::from(k) / f64::from(steps))).collect();
        let thick = rod.thick[0].max(1.6 * rod.capsule);
        let pixel = |v: f64| v / self.unit + self.margin;
        let bounds = |axis: usize, size: usize| {
            let ends = || spine.iter().map(|at| at[axis]);
            let low = ends().fold(f64::MAX, f64::min) - thick;
            let high = ends().fold(f64::MIN, f64::max) + thick;
            let from = (pixel(low) as usize).saturating_sub(room + 2);
            [from, (pixel(high) as usize + room + 3).min(size)]
        };
        let ([left, right], [top, low]) = (bounds(0, width), bounds(1, height));
        let size = [right - left, low - top];
        let one = |i: usize| {
            let at = self.place([(left + i % size[0]) as f64, (top + i / size[0]) as f64]);
            // Inside is positive, in pixels; `across` goes from side to side.
            let (mut inside, mut across) = (f64::MIN, 0.0);
            for (k, pair) in spine.windows(2).enumerate() {
                let (d, t, side) = beside(at, pair[0], pair[1]);
                let part = (k as f64 + t) / f64::from(steps);
                let radius = rod.thick[0] + (rod.thick[1] - rod.thick[0]) * part;
                if radius - d > inside {
                    (inside, across) = (radius - d, side / radius);
                }
            }
            let mut colour = rod.colour;
            if rod.capsule > 0.0 {
                let [x, y] = [at[0] - rod.end[0], at[1] - rod.end[1]];
                let far = (x / rod.capsule).hypot(y / (1.6 * rod.capsule));
                if (1.0 - far) * rod.capsule > inside {
                    (inside, across) = ((1.0 - far) * rod.capsule, x / rod.capsule);
                    let spots = layered(self.seed ^ 11, at[0] * 220.0, at[1] * 220.0, 3);
                    colour = rod.colour.map(|v| v * (0.8 + 0.35 * spots));
                }
            }
            let covered = (inside / self.unit + 0.5).clamp(0.0, 1.0);
            let lit = 0.35 + 0.65 * (1.0 - across.clamp(-1.0, 1.0).powi(2)).sqrt() + 0.2 * across;
            let [r, g, b] = colour.map(|v| (v * lit * covered) as f32);
            [r, g, b, covered as f32]
        };
        let values = (0..size[0] * size[1]).into_par_iter().map(one).collect();
        Sheet { corner: [left, top], size, values }
    }
}

/// Distance of a place from a line between two others, how far along it is nearest (0 to 1), and
/// how far to one side.
fn beside(at: [f64; 2], from: [f64; 2], to: [f64; 2]) -> (f64, f64, f64) {
    let along = [to[0] - from[0], to[1] - from[1]];
    let off = [at[0] - from[0], at[1] - from[1]];
    let length = along[0] * along[0] + along[1] * along[1];
    let t = ((off[0] * along[0] + off[1] * along[1]) / length.max(1e-18)).clamp(0.0, 1.0);
    let rest = [off[0] - t * along[0], off[1] - t * along[1]];
    let side = (off[0] * -along[1] + off[1] * along[0]) / length.max(1e-18).sqrt();
    ((rest[0] * rest[0] + rest[1] * rest[1]).sqrt(), t, -side)
}
