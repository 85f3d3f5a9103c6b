//! A whole card as it comes out of the camera: flats of the dusk, the sky, brighter exposures for
//! the ground, darks and biases in one folder, and among the sky's frames two that are spoiled.

use super::options::{BIAS_S, FIRST_S, FLAT_S, INTERVAL, Options, SKY_TURN};
use super::scene::NightSky;
use super::sky::Moment;
use super::truth;
use crate::SceneError;
use crate::files::json;
use crate::random::stream;
use crate::raw;
use crate::sensor::{self, FULL_WELL, Sensor};
use crate::texture::layered;
use jade_pixels::PictureError;
use jade_pixels::facts::{Facts, FileFormat};
use jade_pixels::write::write_mosaic;
use rand::Rng;
use serde::Serialize;
use std::path::Path;

/// What is on a card beside the scene's sky frames and darks.
#[derive(Debug, Clone, Copy)]
pub struct Card {
    /// Longer exposures at a lower ISO, for the ground.
    pub ground: u32,
    /// Flat frames.
    pub flats: u32,
    /// Bias frames.
    pub biases: u32,
    /// The sensor's own recordings as DNG, instead of developed TIFFs.
    pub raw: bool,
}

/// What a frame was taken for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Purpose {
    /// Stars that stay points.
    Sky,
    /// The ground, with less noise; stars are drawn out.
    Ground,
    /// With the lens cap on, exposed as the sky.
    Dark,
    /// An evenly lit surface.
    Flat,
    /// With the lens cap on, in no time.
    Bias,
}

/// What spoiled a frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Spoiled {
    /// A cloud before most of the stars.
    Cloud,
    /// The tripod was bumped in the middle of the exposure.
    Bumped,
}

/// One frame of a card.
#[derive(Debug, Clone, Serialize)]
pub struct CardFrame {
    /// File name.
    pub file: String,
    /// What it was taken for.
    pub purpose: Purpose,
    /// What spoiled it, if something did.
    pub spoiled: Option<Spoiled>,
    /// Its place among the frames of its purpose.
    #[serde(skip)]
    index: u32,
    #[serde(skip)]
    second: u32,
}

/// How much longer the ground is exposed than the sky.
const GROUND_LONGER: f64 = 15.0;
/// How much less its ISO is.
const GROUND_LESS: u32 = 8;
/// Flats are taken some hours before.
const DUSK_S: u32 = 68_400;
/// How far the bumped camera jumps in pixels, across and down.
const BUMP: [i64; 2] = [5, -3];

impl NightSky {
    /// The frames of a card in the order they were taken.
    pub fn card(&self, card: &Card) -> Vec<CardFrame> {
        let Options { frames, darks, seed, .. } = self.options;
        let mut random = stream(seed, "spoiled", 0, 0);
        let cloud = random.random_range(0..frames);
        let bumped = (cloud + random.random_range(1..frames.max(2))) % frames;
        let every = |index: u32, seconds: f64| (f64::from(index) * seconds) as u32;
        let (sky_s, ground_s) = (INTERVAL * self.exposure_s, self.ground_s() + 4.0);
        let ground_from = FIRST_S + every(frames, sky_s) + 60;
        let darks_from = ground_from + every(card.ground, ground_s) + 300;
        let biases_from = darks_from + every(darks, sky_s) + 60;
        let all = [
            (Purpose::Flat, card.flats, DUSK_S, 3.0),
            (Purpose::Sky, frames, FIRST_S, sky_s),
            (Purpose::Ground, card.ground, ground_from, ground_s),
            (Purpose::Dark, darks, darks_from, sky_s),
            (Purpose::Bias, card.biases, biases_from, 2.0),
        ];
        let ending = if card.raw { "dng" } else { "tif" };
        let mut made = Vec::new();
        for (purpose, count, from, seconds) in all {
            for index in 0..count {
                let spoiled = match purpose {
                    Purpose::Sky if index == cloud => Some(Spoiled::Cloud),
                    Purpose::Sky if index == bumped => Some(Spoiled::Bumped),
                    _ => None,
                };
                let file = format!("pan{:04}.{ending}", 2041 + made.len());
                let second = from + every(index, seconds);
                made.push(CardFrame { file, purpose, spoiled, index, second });
            }
        }
        made
    }

    /// Writes the files of a card into `folder`, and `truth/` with what each is for in `card.json`.
    /// `step` is called before each file with the number made and the total; it stops the work by
    /// returning false.
    ///
    /// # Errors
    /// [`SceneError`]; files already written stay.
    pub fn write_card(
        &self,
        folder: &Path,
        card: &Card,
        mut step: impl FnMut(u32, u32) -> bool,
    ) -> Result<(), SceneError> {
        let frames = self.card(card);
        let truth = folder.join("truth");
        std::fs::create_dir_all(&truth).map_err(PictureError::io(&truth))?;
        for (made, frame) in frames.iter().enumerate() {
            if !step(made as u32, frames.len() as u32) {
                return Err(SceneError::Cancelled);
            }
            self.write_card_frame(folder, frame, card.raw)?;
        }
        json(&truth.join("card.json"), &frames)?;
        truth::write(self, &truth)
    }

    /// Writes one frame of a card into `folder`.
    ///
    /// # Errors
    /// [`SceneError`].
    pub fn write_card_frame(
        &self,
        folder: &Path,
        frame: &CardFrame,
        raw: bool,
    ) -> Result<(), SceneError> {
        let light = self.card_light(frame).map(|light| match raw {
            true => self.drawn_by_camera(light),
            false => self.drawn(light),
        });
        let (exposure_s, iso, full_well) = match frame.purpose {
            Purpose::Ground => {
                (self.ground_s(), 6400 / GROUND_LESS, FULL_WELL * GROUND_LESS as f32)
            }
            Purpose::Sky | Purpose::Dark => (self.exposure_s, 6400, FULL_WELL),
            Purpose::Flat => (FLAT_S, 6400, FULL_WELL),
            Purpose::Bias => (BIAS_S, 6400, FULL_WELL),
        };
        let sensor = Sensor { full_well, ..self.sensor() };
        let exposure = frame.purpose as u64 * 1000 + u64::from(frame.index);
        let facts =
            Facts { exposure_s: Some(exposure_s), iso: Some(iso), ..self.facts_at(frame.second) };
        let path = folder.join(&frame.file);
        if raw {
            let facts = Facts { format: FileFormat::Raw, bits: 14, ..facts };
            let mosaic = raw::record(&sensor, exposure, light.as_deref(), exposure_s);
            return Ok(write_mosaic(&path, &mosaic, &facts)?);
        }
        let Options { width, height, .. } = self.options;
        let light = light.unwrap_or_else(|| vec![0.0; width as usize * height as usize * 3]);
        self.save(&path, &sensor::record(&sensor, exposure, &light), Some(&facts))
    }

    fn ground_s(&self) -> f64 {
        GROUND_LONGER * self.exposure_s
    }

    /// Light on the sensor; none with the lens cap on.
    fn card_light(&self, frame: &CardFrame) -> Option<Vec<f32>> {
        match frame.purpose {
            Purpose::Sky => {
                let light = self.light(frame.index, None);
                Some(match frame.spoiled {
                    Some(Spoiled::Cloud) => self.clouded(light),
                    Some(Spoiled::Bumped) => self.bumped(light),
                    None => light,
                })
            }
            Purpose::Ground => Some(self.ground_light(frame.second)),
            Purpose::Flat => Some(self.flat_light()),
            Purpose::Dark | Purpose::Bias => None,
        }
    }

    /// Light of a long exposure for the ground that begins at a second.
    fn ground_light(&self, second: u32) -> Vec<f32> {
        let reference_s = f64::from(self.reference()) * INTERVAL * self.exposure_s;
        let since = f64::from(second - FIRST_S) - reference_s;
        let length = self.ground_s();
        let turn = |part: f64| self.turn(self.reference(), since + part * length);
        // A step for each pixel that stars move.
        let moved = SKY_TURN * length * self.lens.focal_px;
        let steps = (moved.ceil() as usize).max(3);
        let at = Moment { since_s: since, steps, streak: None };
        let mut light = self.sky.render(&self.options, &self.lens, &self.ground, turn, at);
        let brighter = (GROUND_LONGER / f64::from(GROUND_LESS)) as f32;
        light.iter_mut().for_each(|v| *v *= brighter);
        light
    }

    /// A cloud, itself lit a little, before most of the sky.
    fn clouded(&self, mut light: Vec<f32>) -> Vec<f32> {
        let Options { width, seed, .. } = self.options;
        for (i, pixel) in light.chunks_exact_mut(3).enumerate() {
            let across = (i as u32 % width) as f64 / f64::from(width);
            let down = (i as u32 / width) as f64 / f64::from(width);
            let thick = 0.85 + 0.3 * layered(seed ^ 91, 3.0 * across, 4.0 * down, 3) as f32;
            let cover = thick.clamp(0.5, 1.0) * self.sky_mask()[i];
            for (value, lit) in pixel.iter_mut().zip([0.034, 0.026, 0.020]) {
                *value = *value * (1.0 - cover) + lit * cover;
            }
        }
        light
    }

    /// The picture of two places of the camera, one after the other.
    fn bumped(&self, light: Vec<f32>) -> Vec<f32> {
        let (width, height) = (self.options.width as i64, self.options.height as i64);
        let from = |i: usize| {
            let pixel = i as i64 / 3;
            let x = (pixel % width + BUMP[0]).clamp(0, width - 1);
            let y = (pixel / width + BUMP[1]).clamp(0, height - 1);
            light[(y * width + x) as usize * 3 + i % 3]
        };
        (0..light.len()).map(|i| 0.55 * light[i] + 0.45 * from(i)).collect()
    }
}
