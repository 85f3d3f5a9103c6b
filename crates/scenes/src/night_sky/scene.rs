//! The scene of a night, and its frames.

use super::fringes;
use super::land::{Ground, Land};
use super::options::{EXPOSURE_S, FIRST_S, FLAT_S, INTERVAL, LONG_MM, Options, SKY_TURN};
use super::sky::{self, Moment, Sky, Streak};
use super::star::Star;
use crate::SceneError;
use crate::geometry::{Lens, Rotation, Vec3, unit};
use crate::random::stream;
use crate::raw;
use crate::sensor::{self, FULL_WELL, PEDESTAL, Sensor};

use jade_pixels::colour::Encoding;
use jade_pixels::facts::{Facts, FileFormat};
use jade_pixels::mosaic::Mosaic;

use rand::Rng;
use rayon::prelude::*;

/// A scene from which frames can be made.
pub struct NightSky {
    pub(super) options: Options,
    pub(super) lens: Lens,
    pub(super) pole: Vec3,
    pub(super) exposure_s: f64,
    pub(super) ground: Ground,
    pub(super) sky: Sky,
    pub(super) fringes: [f64; 2],
}

impl NightSky {
    /// Makes up the scene, seen through a wide lens.
    ///
    /// # Errors
    /// [`SceneError::Option`] for sizes or counts out of range.
    pub fn new(options: Options) -> Result<Self, SceneError> {
        Self::through(options, None)
    }

    /// Makes up the scene, seen through a lens of `focal_mm` on a sensor 36 mm wide, its corners
    /// bent by 1 to 5 %; through a wide one that follows from the seed when none is given.
    ///
    /// # Errors
    /// [`SceneError::Option`] for sizes, counts or lenses out of range.
    pub fn through(options: Options, focal_mm: Option<f64>) -> Result<Self, SceneError> {
        Self::over(Land::Pan, options, focal_mm)
    }

    /// A scene over another land.
    ///
    /// # Errors
    /// As for [`NightSky::through`].
    pub fn over(land: Land, options: Options, focal_mm: Option<f64>) -> Result<Self, SceneError> {
        if focal_mm.is_some_and(|mm| !(10.0..=400.0).contains(&mm)) {
            return Err(SceneError::Option(
                "such a lens cannot be simulated: choose 10 to 400 mm".to_owned(),
            ));
        }
        if options.width.min(options.height) < 64 || options.width.max(options.height) > 12_000 {
            return Err(SceneError::Option(format!(
                "a scene of {} x {} pixels cannot be made: choose sides from 64 to 12000",
                options.width, options.height
            )));
        }
        if !(1..=400).contains(&options.frames) || options.darks > 100 {
            return Err(SceneError::Option(format!(
                "a scene of {} frames and {} darks cannot be made: choose 1 to 400 frames and at most 100 darks",
                options.frames, options.darks
            )));
        }
        let mut random = stream(options.seed, "lens", 0, 0);
        let (w, h) = (options.width as f64, options.height as f64);
        let mut lens = Lens {
            focal_px: w * random.random_range(0.58..0.78),
            centre: [(w - 1.0) / 2.0, (h - 1.0) / 2.0],
            k1: random.random_range(-0.09..-0.02),
            k2: random.random_range(0.0..0.012),
        };
        if let Some(mm) = focal_mm {
            lens.focal_px = w * mm / 36.0;
            let corner2 = (w * w + h * h) / 4.0 / lens.focal_px.powi(2);
            lens.k1 = -random.random_range(0.01..0.05) / corner2;
            lens.k2 = 0.0;
        }
        let exposure_s = EXPOSURE_S * (LONG_MM / focal_mm.unwrap_or(LONG_MM)).min(1.0);
        // The pole stands somewhere over the horizon, seldom in the picture.
        let around: f64 = random.random_range(-1.3..1.3);
        let up: f64 = random.random_range(0.35..0.95);
        let pole = unit([around.sin() * up.cos(), -up.sin(), around.cos() * up.cos()]);
        let ground = Ground::new(&options, land);
        let sky = Sky::new(&options, &lens, &ground);
        Ok(Self { options, lens, pole, exposure_s, ground, sky, fringes: [0.0; 2] })
    }

    /// The scene through a lens that images red and blue larger than green by these shares: in raw
    /// frames, the colours of the camera.
    pub fn with_fringes(self, fringes: [f64; 2]) -> Self {
        Self { fringes, ..self }
    }

    /// Where what is seen at a position of a frame would stand through a lens that bends nothing, in
    /// pixels.
    pub fn straightened(&self, at: [f64; 2]) -> [f64; 2] {
        let [x, y, z] = self.lens.unproject(at);
        let scale = self.lens.focal_px / z;
        [self.lens.centre[0] + x * scale, self.lens.centre[1] + y * scale]
    }

    /// What was asked for.
    pub fn options(&self) -> &Options {
        &self.options
    }

    /// The reference frame: the middle one.
    pub fn reference(&self) -> u32 {
        self.options.frames / 2
    }

    /// The stars of the scene, brightest first.
    pub fn stars(&self) -> &[Star] {
        self.sky.stars()
    }

    /// Seconds from the middle of the reference frame's exposure to that of frame `index`.
    pub(super) fn since(&self, index: u32) -> f64 {
        (index as f64 - self.reference() as f64) * INTERVAL * self.exposure_s
    }

    /// How far the sky has turned from the reference frame at the middle of frame `index` (0-based).
    pub(super) fn turn(&self, index: u32, seconds: f64) -> Rotation {
        let since = self.since(index) + seconds;
        Rotation::about(self.pole, SKY_TURN * since)
    }

    /// Where the sky seen at a position of frame `index` stands in the reference frame, exactly.
    /// `None` when that is far outside the picture.
    pub fn to_reference(&self, index: u32, at: [f64; 2]) -> Option<[f64; 2]> {
        let since = self.since(index);
        let back = Rotation::about(self.pole, -SKY_TURN * since);
        self.lens.project(back.apply(self.lens.unproject(at)))
    }

    /// Where the sky seen at a position of the reference frame stands in frame `index`, exactly.
    pub fn from_reference(&self, index: u32, at: [f64; 2]) -> Option<[f64; 2]> {
        self.lens.project(self.turn(index, 0.0).apply(self.lens.unproject(at)))
    }

    /// How much of each pixel is sky, 0 to 1, row by row.
    pub fn sky_mask(&self) -> &[f32] {
        self.ground.sky()
    }

    /// The light that falls on the sensor, sRGB-linear, interleaved: no noise, no pedestal.
    pub(super) fn light(&self, index: u32, streak: Option<&Streak>) -> Vec<f32> {
        let turn = |part: f64| self.turn(index, part * self.exposure_s);
        let at = Moment { since_s: self.since(index), steps: sky::STEPS, streak };
        self.sky.render(&self.options, &self.lens, &self.ground, turn, at)
    }

    /// Light whose colours the lens draws apart.
    pub(super) fn drawn(&self, light: Vec<f32>) -> Vec<f32> {
        fringes::drawn(light, &self.options, self.fringes)
    }

    /// The fringes in the colours of the camera.
    pub(super) fn drawn_by_camera(&self, light: Vec<f32>) -> Vec<f32> {
        fringes::drawn_by_camera(light, &self.options, self.fringes, &raw::camera())
    }

    /// The reference frame as it would be without noise, hot pixels and streak; interleaved 16-bit.
    pub fn clean_reference(&self) -> Vec<u16> {
        let mut light = self.drawn(self.light(self.reference(), None));
        light.iter_mut().for_each(|v| *v += PEDESTAL);
        let srgb = Encoding::srgb();
        light.iter().enumerate().map(|(i, &v)| srgb.encode(i % 3, v)).collect()
    }

    /// The reference frame without the camera: linear light in sRGB's primaries, interleaved.
    pub fn clean_light(&self) -> Vec<f32> {
        self.light(self.reference(), None)
    }

    /// The reference frame as a sensor without noise and flaws would record it.
    pub fn clean_raw(&self) -> Mosaic {
        raw::ideal(&self.sensor(), &self.clean_light())
    }

    /// Light frame `index` (0-based) as the camera records it; interleaved 16-bit.
    pub fn frame(&self, index: u32) -> Vec<u16> {
        let streak = Streak::of(&self.options).filter(|s| s.frame == index);
        let light = self.drawn(self.light(index, streak.as_ref()));
        sensor::record(&self.sensor(), index as u64, &light)
    }

    /// A frame without the streak, with the same noise in every sample.
    pub fn frame_without_streak(&self, index: u32) -> Vec<u16> {
        sensor::record(&self.sensor(), index as u64, &self.drawn(self.light(index, None)))
    }

    /// The frame that the streak crosses.
    pub fn streak_frame(&self) -> u32 {
        Streak::of(&self.options).map_or(0, |s| s.frame)
    }

    /// How bright the streak is at each pixel, as a share of its brightest, row by row.
    pub fn streak_mask(&self) -> Vec<f32> {
        let (width, height) = (self.options.width as usize, self.options.height as usize);
        let Some(streak) = Streak::of(&self.options) else { return vec![0.0; width * height] };
        let sky = self.sky_mask();
        let share = |i: usize| sky[i] * streak.share((i % width) as f64, (i / width) as f64) as f32;
        (0..width * height).map(share).collect()
    }

    /// The streak's place in the reference frame, once its frame is aligned.
    pub fn streak_in_reference(&self) -> Vec<f32> {
        let width = self.options.width as usize;
        let count = width * self.options.height as usize;
        let Some(streak) = Streak::of(&self.options) else { return vec![0.0; count] };
        let share = |i: usize| {
            let at = [(i % width) as f64, (i / width) as f64];
            self.from_reference(streak.frame, at).map_or(0.0, |[x, y]| streak.share(x, y) as f32)
        };
        (0..count).into_par_iter().map(share).collect()
    }

    /// Dark frame `index` (0-based); interleaved 16-bit.
    pub fn dark(&self, index: u32) -> Vec<u16> {
        let nothing = vec![0.0; self.options.width as usize * self.options.height as usize * 3];
        sensor::record(&self.sensor(), 1000 + index as u64, &nothing)
    }

    /// Light frame `index` (0-based) as the sensor itself records it.
    pub fn raw_frame(&self, index: u32) -> Mosaic {
        let streak = Streak::of(&self.options).filter(|s| s.frame == index);
        let light = self.light(index, streak.as_ref());
        let light = self.drawn_by_camera(light);
        raw::record(&self.sensor(), index.into(), Some(&light), self.exposure_s)
    }

    /// Dark frame `index` (0-based) of the same sensor.
    pub fn raw_dark(&self, index: u32) -> Mosaic {
        raw::record(&self.sensor(), 1000 + u64::from(index), None, self.exposure_s)
    }

    /// Bias frame `index` (0-based) of the same sensor: dark, and as short as can be.
    pub fn raw_bias(&self, index: u32) -> Mosaic {
        raw::record(&self.sensor(), 2000 + u64::from(index), None, 0.0)
    }

    /// Flat frame `index` (0-based) of the same sensor and lens: an evenly lit surface.
    pub fn raw_flat(&self, index: u32) -> Mosaic {
        let light = self.flat_light();
        raw::record(&self.sensor(), 3000 + u64::from(index), Some(&light), FLAT_S)
    }

    /// An evenly lit surface through the lens.
    pub(super) fn flat_light(&self) -> Vec<f32> {
        let Options { width, height, .. } = self.options;
        let even = |i: usize| {
            let (x, y) = (i as u32 % width, i as u32 / width);
            [0.5 * self.shading(x, y); 3]
        };
        (0..width as usize * height as usize).flat_map(even).collect()
    }

    /// The sensor's hot photosites, as raw frames show them, in the order of rows.
    pub fn hot_photosites(&self) -> Vec<raw::Hot> {
        raw::hot_photosites(&self.sensor(), self.exposure_s)
    }

    /// Share of the light that reaches each photosite, through the lens and past the dust, row by
    /// row.
    pub fn reach(&self) -> Vec<f32> {
        let (motes, width) = (raw::Motes::of(&self.sensor()), self.options.width as usize);
        let share = |i: usize| {
            let (x, y) = (i % width, i / width);
            self.shading(x as u32, y as u32) * motes.share(x, y)
        };
        (0..width * self.options.height as usize).into_par_iter().map(share).collect()
    }

    pub(super) fn shading(&self, x: u32, y: u32) -> f32 {
        let [cx, cy] = self.lens.centre;
        let far = (f64::from(x) - cx).powi(2) + (f64::from(y) - cy).powi(2);
        sky::shading(far / (cx * cx + cy * cy))
    }

    pub(super) fn sensor(&self) -> Sensor {
        let Options { width, height, seed, .. } = self.options;
        Sensor { width, height, seed, full_well: FULL_WELL }
    }

    /// What the camera writes into frame `index`.
    pub fn facts(&self, index: u32) -> Facts {
        self.facts_at(FIRST_S + (f64::from(index) * INTERVAL * self.exposure_s) as u32)
    }

    /// What it writes into a frame that begins some seconds after midnight.
    pub(super) fn facts_at(&self, second: u32) -> Facts {
        let (hour, minute) = (second / 3600 % 24, second / 60 % 60);
        let day = 14 + second / 86_400;
        Facts {
            exposure_s: Some(self.exposure_s),
            iso: Some(6400),
            aperture: Some(2.0),
            focal_mm: Some((self.lens.focal_px / self.options.width as f64 * 36.0).round()),
            taken: Some(format!("2026-03-{day:02} {hour:02}:{minute:02}:{:02}", second % 60)),
            camera: Some("Simulated camera".to_owned()),
            ..Facts::bare(FileFormat::Tiff, self.options.width, self.options.height, 16)
        }
    }

    /// What the camera writes into a raw file of an exposure that began with that of frame `index`.
    pub fn raw_facts(&self, index: u32, exposure_s: f64) -> Facts {
        Facts {
            format: FileFormat::Raw,
            bits: 14,
            exposure_s: Some(exposure_s),
            ..self.facts(index)
        }
    }
}
