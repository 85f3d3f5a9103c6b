//! A kiln yard at dusk: a burst in low light, the camera held by hand.

mod yard;

use crate::SceneError;
use crate::canvas::Canvas;
use crate::files::{self, frame_name};
use crate::geometry::{Rotation, Vec3};
use crate::random::stream;
use crate::sensor::{self, PEDESTAL, Sensor};
use jade_pixels::colour::Encoding;
use jade_pixels::facts::{Facts, FileFormat};
use rand::Rng;
use rayon::prelude::*;
use serde::Serialize;
use std::path::Path;

/// What to simulate.
#[derive(Debug, Clone, Copy)]
pub struct Options {
    /// Frames, 1 to 400.
    pub frames: u32,
    /// Width in pixels, 256 to 12000.
    pub width: u32,
    /// Height in pixels, 256 to 12000.
    pub height: u32,
    /// Everything random follows from it.
    pub seed: u64,
    /// Frames are compressed by deflate.
    pub deflate: bool,
}

impl Default for Options {
    fn default() -> Self {
        Self { frames: 8, width: 1500, height: 1000, seed: 1, deflate: false }
    }
}

/// Exposure of one frame in seconds.
const EXPOSURE_S: f64 = 0.125;

/// How the camera was held in one frame.
#[derive(Debug, Clone, Copy, Serialize)]
struct Hold {
    /// Turn against the reference frame.
    turn: Rotation,
    /// Factor of its exposure.
    exposure: f32,
}

/// A yard from which frames can be made.
pub struct KilnYard {
    options: Options,
    yard: Canvas,
    margin: f64,
    focal_px: f64,
    holds: Vec<Hold>,
    walker: Walker,
}

/// Somebody who crosses the yard, a little further in each frame.
struct Walker {
    from: f64,
    step: f64,
    foot: f64,
    height: f64,
}

impl KilnYard {
    /// Makes up the scene.
    ///
    /// # Errors
    /// [`SceneError::Option`] for sizes or counts out of range.
    pub fn new(options: Options) -> Result<Self, SceneError> {
        let Options { frames, width, height, seed, .. } = options;
        if width.min(height) < 256 || width.max(height) > 12_000 || !(1..=400).contains(&frames) {
            return Err(SceneError::Option(format!(
                "a yard of {frames} frames of {width} x {height} pixels cannot be made: choose 1 to 400 frames with sides from 256 to 12000"
            )));
        }
        let mut random = stream(seed, "hold", 0, 0);
        let reference = frames / 2;
        // The hand drifts, and trembles about its drift.
        let (mut drift, mut holds) = ([0.0f64; 3], Vec::new());
        for _ in 0..frames {
            let tremble: Vec3 = std::array::from_fn(|_| random.random_range(-0.0035..0.0035));
            (0..3).for_each(|i| drift[i] += random.random_range(-0.0012..0.0012));
            let roll = 2.0 * (drift[2] + tremble[2]);
            let turn = turned([drift[0] + tremble[0], drift[1] + tremble[1], roll]);
            holds.push((turn, random.random_range(-0.15f32..0.15).exp2()));
        }
        let base = holds[reference as usize];
        let holds = holds
            .into_iter()
            .map(|(turn, exposure)| Hold {
                turn: product(&turn, &transposed(&base.0)),
                exposure: exposure / base.1,
            })
            .collect();
        let margin = (width.max(height) as f64 * 0.03).ceil();
        let mut random = stream(seed, "walker", 0, 0);
        let h = f64::from(height);
        let walker = Walker {
            from: f64::from(width) * random.random_range(0.1..0.3),
            step: f64::from(width) * random.random_range(0.5..0.65) / f64::from(frames),
            foot: h * random.random_range(0.84..0.93),
            height: h * random.random_range(0.14..0.19),
        };
        let yard = yard::painted(seed, (width, height), margin as usize);
        Ok(Self { options, yard, margin, focal_px: 0.9 * f64::from(width), holds, walker })
    }

    /// What was asked for.
    pub fn options(&self) -> &Options {
        &self.options
    }

    /// The reference frame: the middle one.
    pub fn reference(&self) -> u32 {
        self.options.frames / 2
    }

    /// Where a position of frame `index` stands in the reference frame, exactly.
    pub fn to_reference(&self, index: u32, at: [f64; 2]) -> [f64; 2] {
        let back = transposed(&self.holds[index as usize].turn);
        let middle = [self.options.width, self.options.height].map(|n| (f64::from(n) - 1.0) / 2.0);
        let f = self.focal_px;
        let ray = back.apply([(at[0] - middle[0]) / f, (at[1] - middle[1]) / f, 1.0]);
        [middle[0] + f * ray[0] / ray[2], middle[1] + f * ray[1] / ray[2]]
    }

    /// The light of a frame, sRGB-linear, interleaved; with or without who walks through.
    fn light(&self, index: u32, walker: bool) -> Vec<f32> {
        let (width, height) = (self.options.width as usize, self.options.height as usize);
        let exposure = self.holds[index as usize].exposure;
        let mut light = vec![0.0f32; width * height * 3];
        light.par_chunks_mut(width * 3).enumerate().for_each(|(y, row)| {
            for (x, pixel) in row.chunks_exact_mut(3).enumerate() {
                let at = self.to_reference(index, [x as f64, y as f64]);
                let share = if walker { self.walker.at(index, at) } else { 0.0 };
                let scene = self.yard.read(at[0] + self.margin, at[1] + self.margin);
                for c in 0..3 {
                    pixel[c] = exposure * (scene[c] * (1.0 - share) + 0.008 * share);
                }
            }
        });
        light
    }

    /// Frame `index` (0-based) as the camera records it; interleaved 16-bit.
    pub fn frame(&self, index: u32) -> Vec<u16> {
        let Options { width, height, seed, .. } = self.options;
        let sensor = Sensor { width, height, seed, full_well: sensor::FULL_WELL };
        sensor::record(&sensor, u64::from(index), &self.light(index, true))
    }

    /// The reference frame without noise and without who walks through; interleaved 16-bit.
    pub fn clean_reference(&self) -> Vec<u16> {
        let srgb = Encoding::srgb();
        let light = self.light(self.reference(), false);
        light.iter().enumerate().map(|(i, v)| srgb.encode(i % 3, v + PEDESTAL)).collect()
    }

    /// What the camera writes into frame `index`.
    pub fn facts(&self, index: u32) -> Facts {
        Facts {
            exposure_s: Some(EXPOSURE_S),
            iso: Some(3200),
            aperture: Some(2.8),
            focal_mm: Some(32.0),
            taken: Some(format!("2026-04-02 20:41:{:02}", index / 3 % 60)),
            camera: Some("Simulated camera".to_owned()),
            ..Facts::bare(FileFormat::Tiff, self.options.width, self.options.height, 16)
        }
    }

    /// Writes `f01.tif` ... and `truth/` into `folder`. `step` is called before each file with the
    /// number made and the total; it stops the work by returning false.
    ///
    /// # Errors
    /// [`SceneError`]; files already written stay.
    pub fn write(
        &self,
        folder: &Path,
        step: impl FnMut(u32, u32) -> bool,
    ) -> Result<(), SceneError> {
        let Options { frames, width, height, deflate, .. } = self.options;
        let take = |index| (self.frame(index), self.facts(index));
        let truth = files::frames(folder, frames, deflate, step, take)?;
        self.write_motion(&truth.join("motion.json"))?;
        let clean = self.clean_reference();
        files::save(&truth.join("reference.tif"), (width, height), &clean, None, false)
    }

    fn write_motion(&self, path: &Path) -> Result<(), SceneError> {
        #[derive(Serialize)]
        struct FrameMotion {
            file: String,
            exposure: f32,
            grid: Vec<[f64; 4]>,
        }
        let Options { frames, width, height, .. } = self.options;
        let motions: Vec<FrameMotion> = (0..frames)
            .map(|index| FrameMotion {
                file: frame_name(index, frames),
                exposure: self.holds[index as usize].exposure,
                grid: files::grid((width, height), |at| self.to_reference(index, at)),
            })
            .collect();
        let reference = frame_name(self.reference(), frames);
        let motion =
            serde_json::json!({"reference": reference, "size": [width, height], "frames": motions});
        files::json(path, &motion)
    }
}

impl Walker {
    /// How much of a place (in pixels of the reference frame) the walker covers in a frame.
    fn at(&self, index: u32, [x, y]: [f64; 2]) -> f32 {
        let x = x - self.from - self.step * f64::from(index);
        let up = (self.foot - y) / self.height;
        let aside = x / self.height;
        let body = ((aside / 0.13).powi(2) + ((up - 0.48) / 0.4).powi(2)).sqrt() - 1.0;
        let head = ((aside / 0.065).powi(2) + ((up - 0.94) / 0.08).powi(2)).sqrt() - 1.0;
        let inside = -body.min(head) * self.height * 0.1;
        (inside + 0.5).clamp(0.0, 1.0) as f32
    }
}

/// A turn by small angles about the three axes, one after the other.
fn turned([tilt, pan, roll]: Vec3) -> Rotation {
    let about = |axis, angle| Rotation::about(axis, angle);
    let both = product(&about([1.0, 0.0, 0.0], tilt), &about([0.0, 1.0, 0.0], pan));
    product(&both, &about([0.0, 0.0, 1.0], roll))
}

fn product(a: &Rotation, b: &Rotation) -> Rotation {
    let cell = |i: usize, j: usize| (0..3).map(|k| a.0[i][k] * b.0[k][j]).sum();
    Rotation(std::array::from_fn(|i| std::array::from_fn(|j| cell(i, j))))
}

fn transposed(a: &Rotation) -> Rotation {
    Rotation(std::array::from_fn(|i| std::array::from_fn(|j| a.0[j][i])))
}
