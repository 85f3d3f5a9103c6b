//! The files of a night sky.

use super::options::{BIAS_S, FLAT_S, Options};
use super::scene::NightSky;
use super::truth;
use crate::SceneError;
use crate::files::{self, frame_name};
use jade_pixels::PictureError;
use jade_pixels::facts::Facts;
use jade_pixels::mosaic::Mosaic;
use jade_pixels::write::write_mosaic;
use std::path::Path;

impl NightSky {
    /// Writes the sensor's own recordings as DNG: `f01.dng` ..., and for calibration `darks/d01.dng`
    /// ..., `flats/l01.dng` ..., `biases/b01.dng` .... `step` is called before each file with the
    /// number made so far and the total; it returns false to stop.
    ///
    /// # Errors
    /// [`SceneError`] of the first file that cannot be written.
    pub fn write_raw(
        &self,
        folder: &Path,
        flats: u32,
        biases: u32,
        mut step: impl FnMut(u32, u32) -> bool,
    ) -> Result<(), SceneError> {
        let Options { frames, darks, .. } = self.options;
        let total = frames + darks + flats + biases;
        let mut made = 0;
        let mut put = |name: &str, mosaic: &dyn Fn() -> Mosaic, exposure_s: f64| {
            if !step(made, total) {
                return Err(SceneError::Cancelled);
            }
            let facts = self.raw_facts(made, exposure_s);
            made += 1;
            let path = folder.join(name);
            let inside = path.parent().unwrap_or(folder);
            std::fs::create_dir_all(inside).map_err(PictureError::io(inside))?;
            Ok(write_mosaic(&path, &mosaic(), &facts)?)
        };
        for i in 0..frames {
            let name = frame_name(i, frames).replace(".tif", ".dng");
            put(&name, &|| self.raw_frame(i), self.exposure_s)?;
        }
        for i in 0..darks {
            let name = format!("darks/d{:02}.dng", i + 1);
            put(&name, &|| self.raw_dark(i), self.exposure_s)?;
        }
        for i in 0..flats {
            put(&format!("flats/l{:02}.dng", i + 1), &|| self.raw_flat(i), FLAT_S)?;
        }
        for i in 0..biases {
            put(&format!("biases/b{:02}.dng", i + 1), &|| self.raw_bias(i), BIAS_S)?;
        }
        let truth = folder.join("truth");
        std::fs::create_dir_all(&truth).map_err(PictureError::io(&truth))?;
        truth::write(self, &truth)
    }

    /// Writes `f01.tif` ..., `darks/d01.tif` ... and `truth/` into `folder`. `step` is called
    /// before each file with the number made and the total; it stops the work by returning false.
    ///
    /// # Errors
    /// [`SceneError`]; files already written stay.
    pub fn write(
        &self,
        folder: &Path,
        mut step: impl FnMut(u32, u32) -> bool,
    ) -> Result<(), SceneError> {
        let total = self.options.frames + self.options.darks + 1;
        let mut made = 0;
        let mut next = || {
            made += 1;
            if step(made - 1, total) { Ok(()) } else { Err(SceneError::Cancelled) }
        };
        let create = |sub: &str| {
            let path = folder.join(sub);
            std::fs::create_dir_all(&path).map_err(PictureError::io(&path))
        };
        create("darks")?;
        create("truth")?;
        for index in 0..self.options.frames {
            next()?;
            let path = folder.join(files::frame_name(index, self.options.frames));
            self.save(&path, &self.frame(index), Some(&self.facts(index)))?;
        }
        for index in 0..self.options.darks {
            next()?;
            let path = folder.join("darks").join(format!("d{:02}.tif", index + 1));
            self.save(&path, &self.dark(index), Some(&self.facts(self.options.frames + index)))?;
        }
        next()?;
        truth::write(self, &folder.join("truth"))
    }

    pub(super) fn save(
        &self,
        path: &Path,
        samples: &[u16],
        facts: Option<&Facts>,
    ) -> Result<(), SceneError> {
        let Options { width, height, deflate, .. } = self.options;
        files::save(path, (width, height), samples, facts, deflate)
    }
}
