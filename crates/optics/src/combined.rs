//! A combined picture as light.

use crate::light::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TiledFile};

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
