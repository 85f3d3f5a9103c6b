//! A focus sweep: a moss cushion under the lens, in focus from front to back.

mod cushion;
mod disc;

use crate::SceneError;
use crate::canvas::Canvas;
use crate::files::{self, frame_name};
use crate::random::stream;
use crate::sensor::{self, PEDESTAL, Sensor};
use cushion::Cushion;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::{Facts, FileFormat};
use rand::Rng;
use rayon::prelude::*;
use serde::Serialize;
use std::path::Path;

/// What to simulate.
#[derive(Debug, Clone, Copy)]
pub struct Options {
    /// Frames, 1 to 60.
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
        Self { frames: 16, width: 1500, height: 1000, seed: 1, deflate: false }
    }
}

/// The focal length of the lens and the width of the sensor behind it, in mm.
const FOCAL_MM: f64 = 100.0;
const SENSOR_MM: f64 = 36.0;
/// Distance of the nearest plane of focus, and from there to the farthest, in mm.
const NEAREST_MM: f64 = 310.0;
const DEEP_MM: f64 = 24.0;
/// Width of the opening for a step of a millimetre from frame to frame, in mm: as the steps are
/// shorter, it is wider, so that each frame is needed.
const OPENING_MM: f64 = 47.0;
/// Electrons at the white point at a low ISO.
const FULL_WELL: f32 = 12_000.0;

/// How the camera was held in one frame: what a place goes through about the middle.
#[derive(Debug, Clone, Copy)]
struct Hold {
    scale: f64,
    roll: f64,
    shift: [f64; 2],
}

/// A cushion from which frames can be made.
pub struct FocusSweep {
    options: Options,
    cushion: Cushion,
    margin: f64,
    holds: Vec<Hold>,
}

impl FocusSweep {
    /// Makes up the scene.
    ///
    /// # Errors
    /// [`SceneError::Option`] for sizes or counts out of range.
    pub fn new(options: Options) -> Result<Self, SceneError> {
        let Options { frames, width, height, seed, .. } = options;
        if width.min(height) < 256 || width.max(height) > 12_000 || !(1..=60).contains(&frames) {
            return Err(SceneError::Option(format!(
                "a focus sweep of {frames} frames of {width} x {height} pixels cannot be made: choose 1 to 60 frames with sides from 256 to 12000"
            )));
        }
        let rail = Rail { frames };
        let mut random = stream(seed, "rail", 0, 0);
        let reference = frames / 2;
        let pixel = f64::from(width) / 1500.0;
        let mut tremble = |by: f64| random.random_range(-by..by);
        let holds: Vec<Hold> = (0..frames)
            .map(|index| {
                let (roll, shift) = (tremble(0.0005), [tremble(2.0) * pixel, tremble(2.0) * pixel]);
                let still = index == reference;
                Hold {
                    scale: rail.behind_lens(index) / rail.behind_lens(reference),
                    roll: if still { 0.0 } else { roll },
                    shift: if still { [0.0; 2] } else { shift },
                }
            })
            .collect();
        let length = f64::from(width.max(height));
        let margin = (length * 0.04 + 4.0 * pixel).ceil();
        let last = f64::from(frames) - 1.0;
        let widest = rail.radius_px(0.0, last, width).max(rail.radius_px(last, 0.0, width));
        let room = widest.ceil() as usize + 2;
        let cushion = Cushion::new(seed, frames, (width, height), margin as usize, room);
        Ok(Self { options, cushion, margin, holds })
    }

    /// What was asked for.
    pub fn options(&self) -> &Options {
        &self.options
    }

    /// The reference frame: the middle one.
    pub fn reference(&self) -> u32 {
        self.options.frames / 2
    }

    fn rail(&self) -> Rail {
        Rail { frames: self.options.frames }
    }

    fn middle(&self) -> [f64; 2] {
        [self.options.width, self.options.height].map(|n| (f64::from(n) - 1.0) / 2.0)
    }

    /// Where a position of frame `index` stands in the reference frame, exactly.
    pub fn to_reference(&self, index: u32, at: [f64; 2]) -> [f64; 2] {
        self.motion(index)(at)
    }

    /// [`FocusSweep::to_reference`] for many positions of one frame.
    fn motion(&self, index: u32) -> impl Fn([f64; 2]) -> [f64; 2] {
        let Hold { scale, roll, shift } = self.holds[index as usize];
        let middle = self.middle();
        let (s, c) = (-roll).sin_cos();
        move |at| {
            let [x, y] = [0, 1].map(|i| (at[i] - middle[i] - shift[i]) / scale);
            [middle[0] + c * x - s * y, middle[1] + s * x + c * y]
        }
    }

    /// The scene as it is drawn with the focus at a distance, counted in frames; all of it sharp
    /// without one.
    fn drawn(&self, focus: Option<f64>) -> Canvas {
        let Cushion { size: [columns, height], backdrop, planes, .. } = &self.cushion;
        let Options { frames, width, .. } = self.options;
        let mut light = backdrop.clone();
        for plane in planes {
            let radius = |focus| Rail { frames }.radius_px(plane.depth, focus, width);
            plane.spread(focus.map_or(0.0, radius)).over(&mut light, *columns);
        }
        // What a lens does to edges, and to what is in focus.
        let weights = [0.0, 0.25, 0.5, 0.25, 0.0];
        Canvas::painted((*columns, *height), weights, |x, y| light[y * columns + x])
    }

    /// The light of a frame, or of all planes sharp as the reference frame shows them; sRGB-linear,
    /// interleaved.
    fn light(&self, index: u32, focus: Option<f64>) -> Vec<f32> {
        let (width, height) = (self.options.width as usize, self.options.height as usize);
        let (canvas, to_reference) = (self.drawn(focus), self.motion(index));
        let mut light = vec![0.0f32; width * height * 3];
        light.par_chunks_mut(width * 3).enumerate().for_each(|(y, row)| {
            for (x, pixel) in row.as_chunks_mut::<3>().0.iter_mut().enumerate() {
                let at = to_reference([x as f64, y as f64]);
                *pixel = canvas.read(at[0] + self.margin, at[1] + self.margin);
            }
        });
        light
    }

    /// Frame `index` (0-based, near to far) as the camera records it; interleaved 16-bit.
    pub fn frame(&self, index: u32) -> Vec<u16> {
        let Options { width, height, seed, .. } = self.options;
        let sensor = Sensor { width, height, seed, full_well: FULL_WELL };
        sensor::record(&sensor, u64::from(index), &self.light(index, Some(f64::from(index))))
    }

    /// Everything sharp as the reference frame stands, without noise; interleaved 16-bit.
    pub fn sharp(&self) -> Vec<u16> {
        let srgb = Encoding::srgb();
        let light = self.light(self.reference(), None);
        light.iter().enumerate().map(|(i, v)| srgb.encode(i % 3, v + PEDESTAL)).collect()
    }

    /// In which frame each pixel of the reference frame is in focus, in frames from 0 on; infinite
    /// where nothing is that could be.
    pub fn depth(&self) -> Vec<f32> {
        let Options { width, height, .. } = self.options;
        let (margin, columns) = (self.margin as usize, self.cushion.size[0]);
        let row = |y: u32| {
            let from = (y as usize + margin) * columns + margin;
            &self.cushion.depth[from..from + width as usize]
        };
        (0..height).flat_map(row).copied().collect()
    }

    /// What the camera writes into frame `index`.
    pub fn facts(&self, index: u32) -> Facts {
        Facts {
            exposure_s: Some(0.25),
            iso: Some(200),
            aperture: Some(FOCAL_MM / self.rail().opening_mm()),
            focal_mm: Some(FOCAL_MM),
            taken: Some(format!("2026-05-17 11:{:02}:{:02}", 8 + index / 30, index * 2 % 60)),
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
        files::save(&truth.join("sharp.tif"), (width, height), &self.sharp(), None, false)?;
        // From the first frame's plane to the last one's, and white where no plane is.
        let last = (frames - 1).max(1) as f32;
        let code = |depth: &f32| match depth.is_finite() {
            true => (depth / last * 65_534.0).round() as u16,
            false => u16::MAX,
        };
        let depth: Vec<u16> = self.depth().iter().map(code).collect();
        files::save(&truth.join("depth.png"), (width, height), &depth, None, false)
    }

    fn write_motion(&self, path: &Path) -> Result<(), SceneError> {
        #[derive(Serialize)]
        struct FrameMotion {
            file: String,
            focus_mm: f64,
            scale: f64,
            grid: Vec<[f64; 4]>,
        }
        let Options { frames, width, height, .. } = self.options;
        let motions: Vec<FrameMotion> = (0..frames)
            .map(|index| FrameMotion {
                file: frame_name(index, frames),
                focus_mm: self.rail().distance_mm(f64::from(index)),
                scale: self.holds[index as usize].scale,
                grid: files::grid((width, height), |at| self.to_reference(index, at)),
            })
            .collect();
        let reference = frame_name(self.reference(), frames);
        let motion =
            serde_json::json!({"reference": reference, "size": [width, height], "frames": motions});
        files::json(path, &motion)
    }
}

/// The movement of the focus from frame to frame.
#[derive(Debug, Clone, Copy)]
struct Rail {
    frames: u32,
}

impl Rail {
    /// From one plane of focus to the next, in mm.
    fn step_mm(self) -> f64 {
        DEEP_MM / f64::from((self.frames - 1).max(1))
    }

    fn opening_mm(self) -> f64 {
        OPENING_MM / self.step_mm()
    }

    /// Distance from the lens to the plane in focus of a frame.
    fn distance_mm(self, frame: f64) -> f64 {
        NEAREST_MM + self.step_mm() * frame
    }

    /// How far behind the lens the sensor stands for a frame, in mm (the thin lens's equation).
    fn behind_lens(self, index: u32) -> f64 {
        let distance = self.distance_mm(f64::from(index));
        FOCAL_MM * distance / (distance - FOCAL_MM)
    }

    /// Radius of the disc that a thin lens draws of a point at a depth with the focus at another,
    /// both counted in frames, in pixels of a frame `width` pixels wide.
    fn radius_px(self, depth: f64, focus: f64, width: u32) -> f64 {
        let [object, focus] = [depth, focus].map(|frame| self.distance_mm(frame));
        let off = (object - focus).abs() / object;
        let wide_mm = self.opening_mm() * FOCAL_MM / (focus - FOCAL_MM) * off;
        wide_mm / 2.0 / SENSOR_MM * f64::from(width)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_lens_breathes_and_blurs_as_a_thin_one() {
        // Of a point that is 8 mm behind the plane of focus, with steps of 2 mm, worked out by hand: the
        // sensor is 100 * 310 / 210 = 147.619 mm behind the lens, the point's image stands at
        // 100 * 318 / 218 = 145.872 mm, so that the cone, 23.5 mm wide at the lens, is
        // 23.5 * (147.619 / 145.872 - 1) = 0.28146 mm wide on the sensor.
        let rail = Rail { frames: 13 };
        let radius = rail.radius_px(4.0, 0.0, 3600);
        assert!((radius - 0.28146 / 2.0 * 100.0).abs() < 0.01, "{radius}");
        assert!((rail.behind_lens(0) - 147.619).abs() < 1e-3);
        assert!(rail.radius_px(3.0, 3.0, 6000) < 1e-12);
        let breathes = rail.behind_lens(0) / rail.behind_lens(12) - 1.0;
        assert!((0.03..0.04).contains(&breathes), "{breathes}");
    }

    #[test]
    fn a_frame_shows_its_own_plane_sharp_and_others_not() {
        let (width, height) = (600, 400);
        let scene =
            FocusSweep::new(Options { frames: 9, width, height, seed: 3, deflate: false }).unwrap();
        let number = scene.reference();
        let (frame, sharp) =
            (scene.light(number, Some(f64::from(number))), scene.light(number, None));
        let depth = scene.depth();
        // Away from anything in front, from the edges, and from rows where the depth changes fast.
        let rms = |planes: std::ops::Range<f32>| {
            let places = (0..depth.len()).filter(|i| {
                let (x, y) = (i % width as usize, i / width as usize);
                let inside = (40..560).contains(&x) && (40..360).contains(&y);
                inside && planes.contains(&depth[*i])
            });
            let off: Vec<f32> =
                places.map(|i| (frame[i * 3 + 1] - sharp[i * 3 + 1]).powi(2)).collect();
            assert!(off.len() > 400, "{} pixels in {planes:?}", off.len());
            (off.iter().sum::<f32>() / off.len() as f32).sqrt()
        };
        let [at, beside, far] = [3.7..4.3, 5.0..5.6, 7.0..8.1].map(rms);
        assert!(1.5 * at < beside && 4.0 * at < far, "{at}, {beside}, {far}");
    }

    #[test]
    fn sweeps_out_of_range_are_refused() {
        let options = Options { frames: 61, ..Options::default() };
        assert!(matches!(FocusSweep::new(options), Err(SceneError::Option(_))));
    }
}
