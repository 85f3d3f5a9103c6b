//! Calibration: subtracts what the sensor adds, and divides by what the lens takes.

use crate::cache::Key;
use crate::defects::{self, Defects};
use crate::master::Master;
use crate::photosites::uncalibrated_rows;
use crate::shape::Shape;
use jade_pixels::PictureError;
use jade_pixels::facts::Facts;
use jade_pixels::mosaic::Mosaic;
use jade_pixels::tiled::Region;
use jade_plan::{CoreError, FrameRole};

/// Master frames and faulty samples of one camera.
pub struct Calibration {
    pub(crate) key: Key,
    pub(crate) dark: Option<Master>,
    pub(crate) bias: Option<Master>,
    pub(crate) flat: Option<Master>,
    pub(crate) faults: Defects,
}

impl std::fmt::Debug for Calibration {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_tuple("Calibration").field(&self.key).finish()
    }
}

impl Calibration {
    /// Whether there is a flat.
    pub(crate) fn has_flat(&self) -> bool {
        self.flat.is_some()
    }

    /// The key, different for every calibration that changes frames differently.
    pub fn key(&self) -> &Key {
        &self.key
    }

    /// Faulty samples, sorted: row, and column times samples of a pixel plus channel.
    pub fn faults(&self) -> &[(u32, u32)] {
        &self.faults
    }

    /// Checks that it can be applied to a frame.
    ///
    /// # Errors
    /// [`CoreError::Frames`] with one sentence.
    pub(crate) fn fits(&self, shape: Shape, name: &str) -> Result<(), CoreError> {
        let masters = [
            (&self.dark, FrameRole::Dark),
            (&self.bias, FrameRole::Bias),
            (&self.flat, FrameRole::Flat),
        ];
        for (master, shows) in masters {
            if let Some(master) = master {
                master.fits(shape, shows, name)?;
            }
        }
        Ok(())
    }

    /// Calibrated light of some whole rows of a mosaic.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub(crate) fn mosaic_rows(
        &self,
        mosaic: &Mosaic,
        facts: &Facts,
        rows: std::ops::Range<u32>,
        light: &mut [f32],
    ) -> Result<(), PictureError> {
        uncalibrated_rows(mosaic, rows.clone(), light);
        let region =
            Region { x: 0, y: rows.start, width: mosaic.width, height: rows.end - rows.start };
        self.apply(facts, region, 1, light)
    }

    /// Calibrates the light of some whole rows, with the samples of a pixel together.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub(crate) fn apply(
        &self,
        facts: &Facts,
        region: Region,
        channels: u32,
        light: &mut [f32],
    ) -> Result<(), PictureError> {
        let subtract = |light: &mut [f32], values: &[f32], factor: f32| {
            light.iter_mut().zip(values).for_each(|(light, value)| *light -= value * factor);
        };
        let read = |master: &Option<Master>| {
            master.as_ref().map(|m| m.picture.read_region(region)).transpose()
        };
        let (dark, bias) = (read(&self.dark)?, read(&self.bias)?);
        match (dark, bias) {
            (Some(dark), Some(bias)) => {
                // Dark signal grows with exposure time.
                let longer = self.longer(facts);
                subtract(light, &dark, longer);
                subtract(light, &bias, 1.0 - longer);
            }
            (Some(offset), None) | (None, Some(offset)) => subtract(light, &offset, 1.0),
            (None, None) => {}
        }
        if let Some(flat) = read(&self.flat)? {
            // Where hardly any light comes through, dividing restores nothing.
            light.iter_mut().zip(flat).for_each(|(light, share)| *light /= share.max(0.05));
        }
        let row = region.width as usize * channels as usize;
        defects::repair(&self.faults, region.y, channels, row, light);
        Ok(())
    }

    /// Exposure time of a frame relative to that of the darks.
    fn longer(&self, facts: &Facts) -> f32 {
        let dark = self.dark.as_ref().and_then(|dark| dark.note.exposure_s);
        match (facts.exposure_s, dark) {
            (Some(light), Some(dark)) if dark > 0.0 => (light / dark) as f32,
            _ => 1.0,
        }
    }
}
