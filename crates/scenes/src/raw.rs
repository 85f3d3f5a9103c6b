//! What the camera's sensor itself records: a mosaic, with what a real one adds to the light.

use crate::random::stream;
use crate::sensor::{READ_NOISE, Sensor, hot_pixels};
use jade_pixels::mosaic::{self, Mosaic, Pattern};
use rand::Rng;
use rand_distr::{Distribution, StandardNormal};
use rayon::prelude::*;

/// The camera's codes of black and white.
const BLACK: f32 = 512.0;
const WHITE: f32 = 15_871.0;
/// Share of photosites that are hot.
const HOT_SHARE: f64 = 0.001;
/// Electrons that gather in a second: everywhere, and at the corner where the amplifier glows.
const DARK_CURRENT: f32 = 0.4;
const GLOW: f32 = 9.0;
/// Codes by which columns differ.
const COLUMNS: f32 = 6.0;

/// How the camera's codes relate to light.
pub fn camera() -> mosaic::Sensor {
    mosaic::Sensor {
        pattern: Pattern::RGGB,
        black: [BLACK; 4],
        white: WHITE,
        neutral: Some([0.48, 1.0, 0.66]),
        xyz_to_camera: Some([
            [0.8642, -0.2981, -0.0877],
            [-0.4453, 1.2482, 0.2210],
            [-0.0977, 0.2466, 0.6392],
        ]),
    }
}

/// What the light alone would leave: no noise, no dust, nothing added.
pub fn ideal(sensor: &Sensor, light: &[f32]) -> Mosaic {
    let seen = CameraColours::new();
    let Sensor { width, height, .. } = *sensor;
    let codes = (0..width as usize * height as usize).into_par_iter().map(|i| {
        let (x, y) = (i as u32 % width, i as u32 / width);
        let share = seen.share(x, y, &light[i * 3..][..3]);
        (BLACK + share * (WHITE - BLACK)).round().clamp(0.0, WHITE) as u16
    });
    Mosaic { width, height, sensor: camera(), codes: codes.collect() }
}

/// How the camera sees light.
struct CameraColours {
    pattern: Pattern,
    matrix: [[f32; 3]; 3],
    shot: [f32; 3],
}

impl CameraColours {
    fn new() -> Self {
        let camera = camera();
        Self {
            pattern: camera.pattern,
            matrix: camera.srgb_to_balanced().expect("the camera has a matrix"),
            shot: camera.neutral.expect("the camera has a neutral"),
        }
    }

    /// Light at a photosite, as a share of the light that fills green.
    fn share(&self, x: u32, y: u32, pixel: &[f32]) -> f32 {
        let colour = self.pattern.colour(x, y);
        let seen: f32 = self.matrix[colour].iter().zip(pixel).map(|(m, v)| m * v).sum();
        seen * self.shot[colour]
    }
}

/// A photosite that fills by itself.
#[derive(Debug, Clone, Copy)]
pub struct Hot {
    /// Column.
    pub x: u32,
    /// Row.
    pub y: u32,
    /// Electrons that gather in one exposure.
    pub electrons: f32,
}

/// All hot photosites of a sensor and what they gather in some seconds, in the order of rows.
pub fn hot_photosites(sensor: &Sensor, seconds: f64) -> Vec<Hot> {
    // Their brightness is given for eight seconds.
    let heat = seconds as f32 / 8.0;
    let hot = hot_pixels(sensor, HOT_SHARE).into_iter();
    hot.map(|(y, x, strength)| Hot { x, y, electrons: strength * heat }).collect()
}

/// Records light (sRGB-linear, interleaved; nothing with the lens cap on) for some seconds.
/// `exposure` tells one exposure's noise from another's; what the sensor adds is the same in all.
pub fn record(sensor: &Sensor, exposure: u64, light: Option<&[f32]>, seconds: f64) -> Mosaic {
    let seen = CameraColours::new();
    let Sensor { width, height, seed, full_well } = *sensor;
    let row_length = width as usize;
    let hot = hot_photosites(sensor, seconds);
    let motes = Motes::of(sensor);
    let columns: Vec<f32> = {
        let mut random = stream(seed, "columns", 0, 0);
        (0..row_length).map(|_| random.random_range(-COLUMNS..COLUMNS)).collect()
    };
    let seconds = seconds as f32;
    let scale = (WHITE - BLACK) / full_well;
    let mut codes = vec![0u16; row_length * height as usize];
    codes.par_chunks_mut(row_length).enumerate().for_each(|(y, row)| {
        let mut random = stream(seed, "raw noise", exposure, y as u64);
        let first = hot.partition_point(|h| h.y < y as u32);
        let mut hot = hot[first..].iter().take_while(|h| h.y == y as u32).peekable();
        for (x, code) in row.iter_mut().enumerate() {
            let mut electrons = seconds * (DARK_CURRENT + GLOW * glow(sensor, x, y));
            if let Some(light) = light {
                let share = seen.share(x as u32, y as u32, &light[(y * row_length + x) * 3..][..3]);
                electrons += share * full_well * motes.share(x, y);
            }
            if let Some(hot) = hot.next_if(|hot| hot.x == x as u32) {
                electrons += hot.electrons;
            }
            let spread = (electrons.max(0.0) + READ_NOISE * READ_NOISE).sqrt();
            let draw: f32 = StandardNormal.sample(&mut random);
            let value = BLACK + columns[x] + (electrons + spread * draw) * scale;
            *code = value.round().clamp(0.0, WHITE) as u16;
        }
    });
    Mosaic { width, height, sensor: camera(), codes }
}

/// Share of the amplifier's glow at a photosite.
fn glow(sensor: &Sensor, x: usize, y: usize) -> f32 {
    let across = (sensor.width as usize - x) as f32 / sensor.width as f32;
    let down = (sensor.height as usize - y) as f32 / sensor.height as f32;
    (-(across + down) * 9.0).exp()
}

/// Specks of dust on the sensor, out of focus.
pub struct Motes(Vec<[f32; 3]>);

impl Motes {
    /// The motes on a sensor: column, row and radius of each.
    pub fn of(sensor: &Sensor) -> Self {
        let mut random = stream(sensor.seed, "motes", 0, 0);
        let width = sensor.width as f32;
        let mote = |_| {
            [
                random.random_range(0.0..width),
                random.random_range(0.0..sensor.height as f32),
                width * random.random_range(0.008..0.02),
            ]
        };
        Self((0..6).map(mote).collect())
    }

    /// Share of the light that reaches a photosite.
    pub fn share(&self, x: usize, y: usize) -> f32 {
        let dims = self.0.iter().map(|[mx, my, radius]| {
            let far = (x as f32 - mx).hypot(y as f32 - my) / radius;
            1.0 - 0.16 / (1.0 + far.powi(6))
        });
        dims.product()
    }
}
