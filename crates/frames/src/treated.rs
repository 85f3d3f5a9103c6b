//! Light with what the treatment takes off beyond single pixels: noise, and the lens's shade.

use super::denoise::{Denoiser, Fill};
use super::lens::vignetting::Vignetting;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// What is taken off a picture's light.
pub struct TreatedLight<'a> {
    /// The noise that goes, if any does.
    pub denoiser: Option<&'a Denoiser>,
    /// The shade that goes, if any does.
    pub shade: Option<&'a Vignetting>,
    /// Width and height in pixels.
    pub size: (u32, u32),
    /// How many times the frame was halved for this picture.
    pub halved: usize,
}

impl TreatedLight<'_> {
    /// Fills `planes`, whose rows are `stride` apart, with the light of `region`; `fill` gives the
    /// light as it is.
    ///
    /// # Errors
    /// What `fill` returns.
    pub fn fill(
        &self,
        region: Region,
        mut planes: [&mut [f32]; 3],
        stride: usize,
        fill: Fill,
    ) -> Result<(), PictureError> {
        let rows = planes.each_mut().map(|plane| &mut **plane);
        match self.denoiser {
            Some(denoiser) => {
                denoiser.fill((self.size, self.halved), region, rows, stride, fill)?;
            }
            None => fill(region, rows, stride)?,
        }
        if let Some(shade) = self.shade {
            shade.undo_region(region, planes, stride);
        }
        Ok(())
    }
}
