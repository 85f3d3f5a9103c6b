//! A frame without the flaws of its lens.

use jade_optics::light::Light;
use jade_optics::motion::Backward;
use jade_optics::resample::{self, Scratch};
use jade_optics::space::InReference;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// The corrected picture of a frame, for the screen and for searching in it. A stack is not made
/// from this, as it would be resampled twice.
pub struct Corrected<'a>(pub &'a dyn Light);

impl Light for Corrected<'_> {
    fn size(&self) -> (u32, u32) {
        self.0.size()
    }

    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        if self.0.lens().is_none() {
            return self.0.fill(region, planes, stride);
        }
        let mut whole = [(); 3].map(|()| vec![0.0; region.area()]);
        let out = whole.each_mut().map(Vec::as_mut_slice);
        let covered = resample::read(
            self.0,
            &Backward::STILL,
            InReference(region),
            out,
            &mut Scratch::default(),
        )?;
        let width = region.width as usize;
        for (mut from, to) in whole.into_iter().zip(planes) {
            if let Some(covered) = &covered {
                // Positions that the frame does not cover are black.
                from.iter_mut()
                    .zip(covered)
                    .for_each(|(v, is_covered)| *v *= f32::from(u8::from(*is_covered)));
            }
            for (from, to) in from.chunks_exact(width).zip(to.chunks_mut(stride)) {
                to[..width].copy_from_slice(from);
            }
        }
        Ok(())
    }

    fn fill_mean(&self, region: Region, out: &mut [f32]) -> Result<(), PictureError> {
        if self.0.lens().is_none() {
            return self.0.fill_mean(region, out);
        }
        let [red, green, blue] = self.planes(region)?;
        for (i, value) in out.iter_mut().enumerate() {
            *value = (red[i] + green[i] + blue[i]) / 3.0;
        }
        Ok(())
    }
}
