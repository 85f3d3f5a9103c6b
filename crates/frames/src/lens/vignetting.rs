//! Vignetting: corners that a lens leaves darker than the middle.

use jade_optics::lens::{falloff, half_diagonal};
use jade_pixels::tiled::Region;
use jade_plan::LensPlan;

/// Undoes the vignetting in frames of one size.
#[derive(Debug, Clone)]
pub struct Vignetting {
    shading: [f32; 3],
    centre: [f32; 2],
    /// One over the square of half the diagonal.
    scale: f32,
}

impl Vignetting {
    /// For frames of a size in pixels; `None` without vignetting.
    pub fn of(plan: &LensPlan, size: (u32, u32)) -> Option<Self> {
        let centre = [size.0, size.1].map(|v| (v as f32 - 1.0) / 2.0);
        let scale = half_diagonal(size).powi(-2) as f32;
        let some = plan.shading.iter().any(|v| *v != 0.0);
        some.then_some(Self { shading: plan.shading, centre, scale })
    }

    /// Undoes the vignetting in a row: `planes` hold the light of row `y` from column `x` on.
    pub fn undo(&self, x: u32, y: u32, planes: [&mut [f32]; 3]) {
        let down = (y as f32 - self.centre[1]).powi(2);
        let [red, green, blue] = planes;
        let pixels = red.iter_mut().zip(green).zip(blue).enumerate();
        for (i, ((r, g), b)) in pixels {
            let across = (x as usize + i) as f32 - self.centre[0];
            let gain = 1.0 / falloff(&self.shading, (across * across + down) * self.scale);
            (*r, *g, *b) = (*r * gain, *g * gain, *b * gain);
        }
    }

    /// Undoes the vignetting in a region that lies in planes with rows `stride` apart.
    pub fn undo_region(&self, region: Region, planes: [&mut [f32]; 3], stride: usize) {
        let [red, green, blue] = planes;
        for row in 0..region.height {
            let at = row as usize * stride;
            let range = at..at + region.width as usize;
            let rows = [&mut *red, &mut *green, &mut *blue].map(|plane| &mut plane[range.clone()]);
            self.undo(region.x, region.y + row, rows);
        }
    }
}
