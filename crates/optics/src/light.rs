//! Linear light of a picture, read region by region, or row by row from what was read ahead.

use crate::lens::Geometry;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// Linear light of a picture, readable from any thread.
pub trait Light: Sync {
    /// Width and height in pixels.
    fn size(&self) -> (u32, u32);

    /// The displacement of pixels by the lens. Light that is read region by region is as the lens
    /// imaged it; resampling corrects it.
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

    /// Reads ahead what the rows of `region`, which must lie inside the picture, are made from.
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

/// Three planes of light, pixel by pixel.
pub fn interleaved([red, green, blue]: &[Vec<f32>; 3]) -> Vec<[f32; 3]> {
    red.iter().zip(green).zip(blue).map(|((r, g), b)| [*r, *g, *b]).collect()
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
    /// Three planes of light.
    pub planes: [Vec<f32>; 3],
    /// Stored codes.
    pub codes: Vec<u16>,
    /// Samples that are light already.
    pub light: Vec<f32>,
    second: Option<Box<Ahead>>,
}

impl Ahead {
    /// For two sources that are read together: [`Ahead::light`] for the one, all of this for the other.
    pub fn for_two(&mut self) -> (&mut Vec<f32>, &mut Self) {
        (&mut self.light, self.second.get_or_insert_default())
    }
}

/// Rows that are light already.
pub struct Planes<'a> {
    planes: &'a [Vec<f32>; 3],
    region: Region,
}

impl<'a> Planes<'a> {
    /// Reads the light of a region of a picture, which must lie inside it.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn of<L: Light + ?Sized>(
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
