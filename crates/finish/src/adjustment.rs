//! Adjustments of a picture, applied in order.

use jade_optics::light::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::report::FinishReport;
use jade_plan::{CoreError, FinishPlan};

/// A layer of a picture that adjustments act on.
pub struct Layer<'a> {
    /// Its light, as large as the picture.
    pub light: &'a dyn Light,
    /// Which pixels of a region belong to this layer alone, row by row.
    pub shows: &'a (dyn Fn(Region) -> Result<Vec<bool>, PictureError> + Sync),
}

impl Layer<'_> {
    /// Whether all pixels of a region belong to this layer alone; false if that cannot be read.
    pub fn is_alone(&self, region: Region) -> bool {
        (self.shows)(region).is_ok_and(|shows| !shows.contains(&false))
    }
}

/// An adjustment that was fitted to a layer.
pub trait Adjustment: Sync {
    /// Whether it reads light around the region that it makes.
    fn reads_around(&self) -> bool;

    /// The adjusted light of a region, as three planes of `region.area()` values each. The light of
    /// a pixel does not depend on the region it is computed in.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn planes(&self, before: &dyn Light, region: Region) -> Result<[Vec<f32>; 3], PictureError>;

    /// Adds its figures to the report, once all adjustments are done.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn report(
        &self,
        before: &Layer,
        after: &dyn Light,
        report: &mut FinishReport,
    ) -> Result<(), PictureError>;
}

/// Fits an adjustment to a layer under a plan; `None` if the plan leaves it out. Ends with
/// [`CoreError::Cancelled`] once `stop` returns true.
pub type Fit = fn(
    &FinishPlan,
    &Layer,
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Option<Box<dyn Adjustment>>, CoreError>;

/// Light with adjustments applied.
pub struct Adjusted<'a> {
    /// The light before them.
    pub light: &'a dyn Light,
    /// The adjustments, in the order they are applied.
    pub by: &'a [&'a dyn Adjustment],
}

impl Light for Adjusted<'_> {
    fn size(&self) -> (u32, u32) {
        self.light.size()
    }

    fn fill(
        &self,
        region: Region,
        out: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        let width = region.width as usize;
        for (plane, out) in self.planes(region)?.iter().zip(out) {
            for (row, out) in plane.chunks_exact(width).zip(out.chunks_mut(stride)) {
                out[..width].copy_from_slice(row);
            }
        }
        Ok(())
    }

    fn planes(&self, region: Region) -> Result<[Vec<f32>; 3], PictureError> {
        match self.by.split_last() {
            None => self.light.planes(region),
            Some((last, by)) => last.planes(&Adjusted { by, ..*self }, region),
        }
    }
}
