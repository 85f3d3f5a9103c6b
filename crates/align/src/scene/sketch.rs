//! A small, low-noise version of a frame, on which the rough motion is found.

use jade_optics::light::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::progress::Watch;

/// Longer side of a sketch in pixels, at most.
const SIDE: u32 = 1280;

/// The square root of a frame's light (so that noise is about the same in shadows and highlights),
/// averaged over squares of `step` x `step` pixels.
pub struct Sketch {
    /// Width in pixels.
    pub width: usize,
    /// Height in pixels.
    pub height: usize,
    /// Pixels of the frame along one side of a pixel.
    pub step: usize,
    /// Row by row.
    pub values: Vec<f32>,
}

impl Sketch {
    /// Sketches a frame.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] when `watch` says so.
    pub fn of(light: &dyn Light, watch: &dyn Watch) -> Result<Self, PictureError> {
        let (full_width, full_height) = light.size();
        let step = full_width.max(full_height).div_ceil(SIDE).max(1);
        let (width, height) = ((full_width / step) as usize, (full_height / step) as usize);
        let step = step as usize;
        let mut values = Vec::with_capacity(width * height);
        for y in 0..height {
            if watch.cancelled() {
                return Err(PictureError::Cancelled);
            }
            let band =
                Region { x: 0, y: (y * step) as u32, width: full_width, height: step as u32 };
            let light = light.mean(band)?;
            let mut sums = vec![0.0f32; width];
            for row in light.chunks_exact(full_width as usize) {
                for (sum, square) in sums.iter_mut().zip(row.chunks_exact(step)) {
                    *sum += square.iter().sum::<f32>();
                }
            }
            values.extend(sums.iter().map(|sum| (sum / (step * step) as f32).max(0.0).sqrt()));
        }
        Ok(Self { width, height, step, values })
    }

    /// The sketch smoothed by `rounds` passes of a binomial filter (1 2 1).
    pub fn smoothed(&self, rounds: usize) -> Self {
        let mut values = self.values.clone();
        let (width, height) = (self.width, self.height);
        for _ in 0..rounds {
            let mut across = values.clone();
            for (to, row) in across.chunks_exact_mut(width).zip(values.chunks_exact(width)) {
                for x in 1..width.saturating_sub(1) {
                    to[x] = 0.25 * (row[x - 1] + row[x + 1]) + 0.5 * row[x];
                }
            }
            for y in 1..height.saturating_sub(1) {
                for x in 0..width {
                    let at = y * width + x;
                    values[at] =
                        0.25 * (across[at - width] + across[at + width]) + 0.5 * across[at];
                }
            }
        }
        Self { values, ..*self }
    }

    /// The position in the frame of a position in the sketch.
    pub fn to_frame(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        let step = self.step as f64;
        [x * step + (step - 1.0) / 2.0, y * step + (step - 1.0) / 2.0]
    }
}

impl Light for Sketch {
    fn size(&self) -> (u32, u32) {
        (self.width as u32, self.height as u32)
    }

    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        let length = region.width as usize;
        for plane in planes {
            for row in 0..region.height as usize {
                let from = (region.y as usize + row) * self.width + region.x as usize;
                plane[row * stride..row * stride + length]
                    .copy_from_slice(&self.values[from..from + length]);
            }
        }
        Ok(())
    }
}
