//! What turns: stars, the faint band, and the glow that stays at the horizon.

use super::land::Ground;
use super::options::Options;
use super::star::Star;
use crate::geometry::{Lens, Rotation, Vec3, unit};
use crate::random::stream;
use crate::texture::layered;
use rand::Rng;
use rayon::prelude::*;

/// Standard deviation of a star's image in pixels.
const STAR_SIGMA: f64 = 0.95;
/// Reach of a star's image in pixels.
const REACH: i64 = 7;
/// Positions along a star's way during one exposure that leaves stars points.
pub const STEPS: usize = 3;
/// The smooth parts of the sky are computed on a grid this many pixels apart.
const GRID: usize = 8;

pub struct Sky {
    stars: Vec<Star>,
    band_normal: Vec3,
    seed: u64,
}

/// The trace of a satellite in one frame.
pub struct Streak {
    pub frame: u32,
    from: [f64; 2],
    to: [f64; 2],
    peak: f64,
}

impl Streak {
    /// The scene's only streak; none in a single frame.
    pub fn of(options: &Options) -> Option<Self> {
        let mut random = stream(options.seed, "streak", 0, 0);
        let (w, h) = (options.width as f64, options.height as f64);
        let frame = random.random_range(0..options.frames.max(2));
        let from = [w * random.random_range(0.05..0.3), h * random.random_range(0.05..0.5)];
        let to = [w * random.random_range(0.6..0.95), h * random.random_range(0.05..0.5)];
        (options.frames > 1).then_some(Self { frame, from, to, peak: 0.12 })
    }

    fn at(&self, x: f64, y: f64) -> f64 {
        self.peak * self.share(x, y)
    }

    /// Brightness at a place as a share of the brightest.
    pub fn share(&self, x: f64, y: f64) -> f64 {
        let (dx, dy) = (self.to[0] - self.from[0], self.to[1] - self.from[1]);
        let along = ((x - self.from[0]) * dx + (y - self.from[1]) * dy) / (dx * dx + dy * dy);
        let along = along.clamp(0.0, 1.0);
        let r2 = (x - self.from[0] - along * dx).powi(2) + (y - self.from[1] - along * dy).powi(2);
        if r2 > 36.0 { 0.0 } else { (-r2 / 2.0).exp() }
    }
}

/// When a picture is taken, and what passes.
pub struct Moment<'a> {
    /// Seconds since the reference frame.
    pub since_s: f64,
    /// Positions at which stars are drawn along their way.
    pub steps: usize,
    pub streak: Option<&'a Streak>,
}

impl Sky {
    pub fn new(options: &Options, lens: &Lens, ground: &Ground) -> Self {
        let mut random = stream(options.seed, "stars", 0, 0);
        let (w, h) = (options.width as f64, options.height as f64);
        // A larger sensor shows more, but a small one is not crowded with the same sky.
        let count = (7000.0 * (w * h / 3.84e6).powf(0.7)) as usize;
        // Stars beyond the edges move in and out of the picture.
        let margin = 0.06 * w;
        let mut stars: Vec<Star> = (0..count)
            .map(|_| {
                let x = random.random_range(-margin..w + margin);
                let y = random.random_range(-margin..h + margin);
                // Counts fall with brightness as in a real sky: N(>f) ~ f^-1.1.
                let peak = (0.006 * random.random_range(1e-5..1.0f64).powf(-1.0 / 1.1)).min(4.0);
                // From orange to blue-white.
                let warm: f64 = random.random_range(-1.0..1.0);
                let raw = [1.0 + 0.28 * warm, 1.0, 1.0 - 0.28 * warm];
                let inside = x >= 0.0 && y >= 0.0 && x < w - 0.5 && y < h - 0.5;
                let hidden = inside && ground.at(x.round() as usize, y.round() as usize).0 < 0.5;
                Star { x, y, peak, colour: raw, hidden, ray: lens.unproject([x, y]) }
            })
            .collect();
        stars.sort_by(|a, b| b.peak.total_cmp(&a.peak));
        let tilt: f64 = random.random_range(0.4..1.2);
        let turn: f64 = random.random_range(-0.5..0.5);
        let band_normal = unit([tilt.sin(), -tilt.cos(), turn]);
        Self { stars, band_normal, seed: options.seed }
    }

    pub fn stars(&self) -> &[Star] {
        &self.stars
    }

    /// Light on the sensor during one exposure, sRGB-linear, interleaved. `turn` gives the sky's
    /// turn at a part of the exposure, counted from its middle: -0.5 to 0.5.
    pub fn render(
        &self,
        options: &Options,
        lens: &Lens,
        ground: &Ground,
        turn: impl Fn(f64) -> Rotation,
        Moment { since_s, steps, streak }: Moment,
    ) -> Vec<f32> {
        let (width, height) = (options.width as usize, options.height as usize);
        let mut light = self.smooth(options, lens, ground, &turn(0.0));
        for step in 0..steps {
            let turn = turn((step as f64 + 0.5) / steps as f64 - 0.5);
            for star in &self.stars {
                if let Some(at) = lens.project(turn.apply(star.ray)) {
                    draw_star(&mut light, width, height, at, star, 1.0 / steps as f64);
                }
            }
        }
        if let Some(clouds) = ground.clouds() {
            light.par_chunks_mut(width * 3).enumerate().for_each(|(y, row)| {
                for (x, pixel) in row.as_chunks_mut::<3>().0.iter_mut().enumerate() {
                    let cover = clouds.cover(x as f64, y as f64, since_s);
                    for (v, lit) in pixel.iter_mut().zip(clouds.light()) {
                        *v += (lit - *v) * cover;
                    }
                }
            });
        }
        let mirrored = ground.mirror().map(|share| (share, light.clone()));
        let centre = lens.centre;
        let reach2 = centre[0] * centre[0] + centre[1] * centre[1];
        light.par_chunks_mut(width * 3).enumerate().for_each(|(y, row)| {
            for x in 0..width {
                let (sky, mut still) = ground.at(x, y);
                let (fx, fy) = (x as f64, y as f64);
                if let Some((share, above)) = &mirrored
                    && fy > ground.horizon()
                {
                    still = water(self.seed, *share, above, width, ground, [fx, fy], since_s);
                }
                let haze = ground.haze().get(y * width + x).copied().unwrap_or_default();
                let r2 = ((fx - centre[0]).powi(2) + (fy - centre[1]).powi(2)) / reach2;
                let shading = shading(r2);
                let trace = streak.map_or(0.0, |s| s.at(fx, fy)) as f32;
                for c in 0..3 {
                    let above = (row[x * 3 + c] + trace) * sky;
                    row[x * 3 + c] = (above + still[c] * (1.0 - sky) + haze[c]) * shading;
                }
            }
        });
        light
    }

    /// Airglow, horizon glow and the band, computed coarsely and interpolated.
    fn smooth(&self, options: &Options, lens: &Lens, ground: &Ground, turn: &Rotation) -> Vec<f32> {
        let (width, height) = (options.width as usize, options.height as usize);
        let (across, down) = (width / GRID + 2, height / GRID + 2);
        let coarse: Vec<[f32; 3]> = (0..across * down)
            .into_par_iter()
            .map(|i| {
                let at = [(i % across * GRID) as f64, (i / across * GRID) as f64];
                self.smooth_at(lens.unproject(at), at[1], ground, height as f64, turn)
            })
            .collect();
        let mut light = vec![0.0; width * height * 3];
        light.par_chunks_mut(width * 3).enumerate().for_each(|(y, row)| {
            let (gy, fy) = (y / GRID, (y % GRID) as f32 / GRID as f32);
            for (x, pixel) in row.chunks_exact_mut(3).enumerate() {
                let (gx, fx) = (x / GRID, (x % GRID) as f32 / GRID as f32);
                let at = gy * across + gx;
                for (c, value) in pixel.iter_mut().enumerate() {
                    let top = coarse[at][c] + (coarse[at + 1][c] - coarse[at][c]) * fx;
                    let low = coarse[at + across][c]
                        + (coarse[at + across + 1][c] - coarse[at + across][c]) * fx;
                    *value = top + (low - top) * fy;
                }
            }
        });
        light
    }

    fn smooth_at(
        &self,
        ray: Vec3,
        y: f64,
        ground: &Ground,
        height: f64,
        turn: &Rotation,
    ) -> [f32; 3] {
        let up = ((ground.horizon() - y) / height).max(0.0);
        let glow = 0.075 * (-up / 0.13).exp();
        // The band is fixed to the stars, so it is looked up where this ray was at the reference.
        let back = [0, 1, 2].map(|i| (0..3).map(|j| turn.0[j][i] * ray[j]).sum::<f64>());
        let off: f64 = back.iter().zip(self.band_normal).map(|(a, b)| a * b).sum();
        let cloud = layered(self.seed ^ 77, back[0] * 9.0 + 3.0, back[1] * 9.0 + back[2] * 5.0, 5);
        let lane = layered(self.seed ^ 78, back[0] * 14.0, back[1] * 14.0 - back[2] * 7.0, 4);
        let band = 0.035
            * (-(off / 0.16).powi(2)).exp()
            * (1.0 + 0.8 * cloud)
            * (1.0 - 0.75 * (-(off / 0.05 + lane).powi(2)).exp());
        let air = f64::from(ground.airglow());
        [
            (0.014 * air + glow * 1.15 + band * 1.02) as f32,
            (0.016 * air + glow * 0.82 + band * 0.95) as f32,
            (0.022 * air + glow * 0.45 + band * 1.0) as f32,
        ]
    }
}

/// Light of water that reflects a share of what is above the horizon, with slow ripples.
fn water(
    seed: u64,
    share: f32,
    above: &[f32],
    width: usize,
    ground: &Ground,
    [x, y]: [f64; 2],
    since_s: f64,
) -> [f32; 3] {
    let deep = y - ground.horizon();
    let ripple = layered(seed ^ 141, x / 60.0 + since_s, (1.0 + deep).ln() * 9.0 + since_s, 2);
    let from = (ground.horizon() - deep + 1.5 * ripple).round().max(0.0) as usize;
    let across = (x + ripple).round().clamp(0.0, (width - 1) as f64) as usize;
    let (open, bank) = ground.at(across, from);
    let at = (from * width + across) * 3;
    [0, 1, 2].map(|c| 0.0015 + share * (above[at + c] * open + bank[c] * (1.0 - open)))
}

fn draw_star(
    light: &mut [f32],
    width: usize,
    height: usize,
    at: [f64; 2],
    star: &Star,
    share: f64,
) {
    let (cx, cy) = (at[0].round() as i64, at[1].round() as i64);
    if cx < -REACH || cy < -REACH || cx >= width as i64 + REACH || cy >= height as i64 + REACH {
        return;
    }
    let profile = |centre: i64, exact: f64| {
        let mut values = [0.0; (2 * REACH + 1) as usize];
        for (i, v) in values.iter_mut().enumerate() {
            let d = (centre - REACH + i as i64) as f64 - exact;
            *v = (-d * d / (2.0 * STAR_SIGMA * STAR_SIGMA)).exp();
        }
        values
    };
    let (px, py) = (profile(cx, at[0]), profile(cy, at[1]));
    for (j, fy) in py.iter().enumerate() {
        let y = cy - REACH + j as i64;
        if y < 0 || y >= height as i64 {
            continue;
        }
        for (i, fx) in px.iter().enumerate() {
            let x = cx - REACH + i as i64;
            if x < 0 || x >= width as i64 {
                continue;
            }
            let pixel = (y as usize * width + x as usize) * 3;
            let value = star.peak * share * fx * fy;
            for c in 0..3 {
                light[pixel + c] += (value * star.colour[c]) as f32;
            }
        }
    }
}

/// Share of the light that the lens lets through, by the square of the distance from the middle,
/// the corner at 1.
pub fn shading(r2: f64) -> f32 {
    (1.0 - 0.38 * r2) as f32
}
