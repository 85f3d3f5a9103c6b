//! Light given by a function, for tests.

use super::light::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// A picture given by a function.
pub struct Drawn<F> {
    /// Width and height in pixels.
    pub size: (u32, u32),
    /// The light of a pixel `[x, y]` in a colour, 0 to 2.
    pub of: F,
}

impl<F: Fn([u32; 2], usize) -> f32 + Sync> Light for Drawn<F> {
    fn size(&self) -> (u32, u32) {
        self.size
    }

    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        for (colour, plane) in planes.into_iter().enumerate() {
            for y in 0..region.height {
                for x in 0..region.width {
                    let light = (self.of)([region.x + x, region.y + y], colour);
                    plane[y as usize * stride + x as usize] = light;
                }
            }
        }
        Ok(())
    }
}
