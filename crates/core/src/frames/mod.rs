//! Frames as the later steps read them: decoded samples in a tiled file, in memory or where they
//! lie, turned to linear light where they are needed.

mod balance;
pub mod checks;
mod content;
mod decoding;
#[cfg(test)]
pub mod drawn;
mod frame;
pub mod judge;
pub mod measures;
pub mod reference;
mod samples;
pub mod sets;
mod sort;

pub use content::{FileState, content_hash};
pub use decoding::Decoding;
pub use frame::Frame;
pub(crate) use frame::in_place;

use crate::cache::Key;
use crate::prepare::calibration::Calibration;
use crate::prepare::lens::{Geometry, LensPlan};
use crate::prepare::{Denoise, PreparePlan};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TiledFile};
use std::path::PathBuf;
use std::sync::Arc;

/// A picture file to be stacked.
#[derive(Debug, Clone)]
pub struct FrameInput {
    /// The file.
    pub path: PathBuf,
    /// The name it is reported under.
    pub name: String,
    /// What names its content: BLAKE3 of it, or in a run whose cache is its own anything that is
    /// different for each file.
    pub content: String,
    /// How the file was when it was named, where it may have been written since.
    pub state: Option<FileState>,
    /// Its treatment.
    pub prepare: PreparePlan,
    /// What it is calibrated with.
    pub calibration: Option<Arc<Calibration>>,
}

impl FrameInput {
    /// The key of its decoded samples: of what its treatment changes before they are stored.
    pub fn key(&self) -> Key {
        let calibration = self.calibration.iter().map(|calibration| calibration.key());
        let before: Vec<&Key> = calibration.collect();
        Key::of("frames", &(&self.content, self.prepare.demosaic), &before)
    }

    /// The key of its light with all its noise and as the lens drew it, in which stars and details
    /// are found.
    pub fn plain_key(&self) -> Key {
        let (denoise, lens) = (Denoise::default(), LensPlan::default());
        let plain = PreparePlan { denoise, lens, ..self.prepare.clone() };
        Key::of("prepare", &plain, &[&self.key()])
    }

    /// The key of its light: of its whole treatment.
    pub fn light_key(&self) -> Key {
        Key::of("prepare", &self.prepare, &[&self.key()])
    }
}

/// Where linear light of a picture can be read, region by region, from any thread.
pub trait Light: Sync {
    /// Width and height in pixels.
    fn size(&self) -> (u32, u32);

    /// Where the lens drew what would stand elsewhere without its flaws. Light that is read region by
    /// region is as the lens drew it; resampling corrects that.
    fn lens(&self) -> Option<&Geometry> {
        None
    }

    /// Writes the light of `region`, which must lie inside the picture, into three planes (red,
    /// green, blue): row `r` of the region begins at `r * stride` of each plane.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError>;

    /// The light of `region` as three planes of `region.area()` values each.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn planes(&self, region: Region) -> Result<[Vec<f32>; 3], PictureError> {
        let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
        self.fill(region, planes.each_mut().map(Vec::as_mut_slice), region.width as usize)?;
        Ok(planes)
    }

    /// Reads what the rows of `region`, which must lie inside the picture, are made from.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn rows<'a>(
        &'a self,
        region: Region,
        ahead: &'a mut Ahead,
    ) -> Result<Box<dyn Rows + 'a>, PictureError> {
        Ok(Box::new(Planes::of(self, region, ahead)?))
    }

    /// The mean of the three colours in every `step`-th column of every `step`-th row of `region`,
    /// row by row.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn thinned_mean(&self, region: Region, step: u32) -> Result<Vec<f32>, PictureError> {
        let [red, green, blue] = self.planes(region)?;
        let (width, step) = (region.width as usize, step as usize);
        let places = (0..region.height as usize).step_by(step).flat_map(|y| {
            let row = y * width;
            (row..row + width).step_by(step)
        });
        Ok(places.map(|i| (red[i] + green[i] + blue[i]) / 3.0).collect())
    }

    /// Writes the mean of the three colours in `region`, row by row, into `out`, which holds
    /// `region.area()` values.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn fill_mean(&self, region: Region, out: &mut [f32]) -> Result<(), PictureError> {
        let [red, green, blue] = self.planes(region)?;
        for (i, value) in out.iter_mut().enumerate() {
            *value = (red[i] + green[i] + blue[i]) / 3.0;
        }
        Ok(())
    }

    /// The mean of the three colours in `region`, row by row.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn mean(&self, region: Region) -> Result<Vec<f32>, PictureError> {
        let mut out = vec![0.0; region.area()];
        self.fill_mean(region, &mut out)?;
        Ok(out)
    }
}

/// Rows of a region whose source was read ahead; each is turned to light when it is asked for, so
/// that it lies in the nearest cache.
pub trait Rows {
    /// The light of row `y` from column `x` on, as many columns as the planes hold, all inside the
    /// region.
    fn row(&self, x: u32, y: u32, planes: [&mut [f32]; 3]);
}

/// Memory for what was read ahead, used again for every region.
#[derive(Default)]
pub struct Ahead {
    planes: [Vec<f32>; 3],
    codes: Vec<u16>,
    light: Vec<f32>,
    beside: Option<Box<Ahead>>,
}

impl Ahead {
    /// The same for two sources that are read together: numbers of the one, all of the other.
    pub(crate) fn beside(&mut self) -> (&mut Vec<f32>, &mut Self) {
        (&mut self.light, self.beside.get_or_insert_default())
    }
}

/// Rows that are light already.
pub(crate) struct Planes<'a> {
    planes: &'a [Vec<f32>; 3],
    region: Region,
}

impl<'a> Planes<'a> {
    pub(crate) fn of<L: Light + ?Sized>(
        light: &L,
        region: Region,
        ahead: &'a mut Ahead,
    ) -> Result<Self, PictureError> {
        let planes = &mut ahead.planes;
        planes.iter_mut().for_each(|plane| plane.resize(region.area(), 0.0));
        light.fill(region, planes.each_mut().map(Vec::as_mut_slice), region.width as usize)?;
        Ok(Self { planes, region })
    }
}

impl Rows for Planes<'_> {
    fn row(&self, x: u32, y: u32, out: [&mut [f32]; 3]) {
        let row = (y - self.region.y) as usize * self.region.width as usize;
        let from = row + (x - self.region.x) as usize;
        for (plane, out) in self.planes.iter().zip(out) {
            out.copy_from_slice(&plane[from..from + out.len()]);
        }
    }
}

/// A combined picture: linear light in a tiled file.
pub struct Combined(pub TiledFile<f32>);

impl Light for Combined {
    fn size(&self) -> (u32, u32) {
        (self.0.width(), self.0.height())
    }

    fn fill(
        &self,
        region: Region,
        [red, green, blue]: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        self.0.visit_region(region, &mut Vec::new(), |x, y, samples| {
            let at = (y - region.y) as usize * stride + (x - region.x) as usize;
            for (i, pixel) in samples.chunks_exact(3).enumerate() {
                red[at + i] = pixel[0];
                green[at + i] = pixel[1];
                blue[at + i] = pixel[2];
            }
        })
    }
}
