//! Shading: corners that a lens leaves darker than the middle.

use super::{LensPlan, half_diagonal};
use crate::CoreError;
use crate::frames::{Frame, Light};
use jade_pixels::tiled::Region;
use nalgebra::{Matrix4, Vector4};

/// Gives frames of one size the light back that a lens kept.
#[derive(Debug, Clone)]
pub struct Shade {
    shading: [f32; 3],
    centre: [f32; 2],
    /// One over the square of half the diagonal.
    scale: f32,
}

/// Share of the light that comes through where the square of the distance from the middle is `r2`.
pub fn share([a, b, c]: &[f32; 3], r2: f32) -> f32 {
    1.0 + r2 * (a + r2 * (b + r2 * c))
}

impl Shade {
    /// For frames of a size in pixels; `None` where nothing is shaded.
    pub fn of(plan: &LensPlan, size: (u32, u32)) -> Option<Self> {
        let centre = [size.0, size.1].map(|v| (v as f32 - 1.0) / 2.0);
        let scale = half_diagonal(size).powi(-2) as f32;
        let some = plan.shading.iter().any(|v| *v != 0.0);
        some.then_some(Self { shading: plan.shading, centre, scale })
    }

    /// Gives a row its light back: `planes` hold the light of row `y` from column `x` on.
    pub fn undo(&self, x: u32, y: u32, planes: [&mut [f32]; 3]) {
        let down = (y as f32 - self.centre[1]).powi(2);
        let [red, green, blue] = planes;
        let pixels = red.iter_mut().zip(green).zip(blue).enumerate();
        for (i, ((r, g), b)) in pixels {
            let across = (x as usize + i) as f32 - self.centre[0];
            let gain = 1.0 / share(&self.shading, (across * across + down) * self.scale);
            (*r, *g, *b) = (*r * gain, *g * gain, *b * gain);
        }
    }

    /// The same for a region that lies in planes with rows `stride` apart.
    pub fn undo_region(&self, region: Region, planes: [&mut [f32]; 3], stride: usize) {
        let [red, green, blue] = planes;
        for row in 0..region.height {
            let at = row as usize * stride;
            let range = at..at + region.width as usize;
            let own = [&mut *red, &mut *green, &mut *blue].map(|plane| &mut plane[range.clone()]);
            self.undo(region.x, region.y + row, own);
        }
    }
}

/// The shading that a frame of an evenly lit surface shows, as [`LensPlan::shading`]: fitted to its
/// brightness, specks of dust left aside.
///
/// # Errors
/// [`CoreError::Frames`] where the surface was not evenly lit or the frame is too small;
/// [`CoreError::Picture`].
pub fn shade_of(flat: &Frame) -> Result<[f32; 3], CoreError> {
    const STEP: u32 = 8;
    let (width, height) = flat.size();
    let centre = [width, height].map(|v| (f64::from(v) - 1.0) / 2.0);
    let half = half_diagonal((width, height));
    let mut seen: Vec<(Vector4<f64>, f64)> = Vec::new();
    for y in (0..height - height % STEP).step_by(STEP as usize) {
        let band = Region { x: 0, y, width: width - width % STEP, height: STEP };
        let light = flat.plain().mean(band)?;
        for x in (0..band.width).step_by(STEP as usize) {
            let square = (0..STEP).flat_map(|row| {
                let from = (row * band.width + x) as usize;
                &light[from..from + STEP as usize]
            });
            let mean = f64::from(square.sum::<f32>()) / f64::from(STEP * STEP);
            let middle = f64::from(STEP - 1) / 2.0;
            let (dx, dy) = (f64::from(x) + middle - centre[0], f64::from(y) + middle - centre[1]);
            let r2 = (dx * dx + dy * dy) / (half * half);
            seen.push((Vector4::new(1.0, r2, r2 * r2, r2 * r2 * r2), mean));
        }
    }
    let mut fit = Vector4::zeros();
    let mut typical = f64::INFINITY;
    for _ in 0..8 {
        let (mut left, mut right) = (Matrix4::zeros(), Vector4::zeros());
        for (powers, value) in &seen {
            let off = (value - fit.dot(powers)) / (3.0 * typical);
            let weight = 1.0 / (1.0 + off * off);
            left += powers * powers.transpose() * weight;
            right += powers * *value * weight;
        }
        let Some(solved) = left.lu().solve(&right) else { break };
        fit = solved;
        let mut off: Vec<f32> =
            seen.iter().map(|(powers, value)| (value - fit.dot(powers)).abs() as f32).collect();
        if off.is_empty() {
            break;
        }
        typical = f64::from(1.4826 * crate::statistics::median(&mut off)).max(1e-9);
    }
    let even = typical < 0.05 * fit[0];
    if seen.len() < 100 || fit[0] < 1e-3 || !even {
        return Err(CoreError::Frames(format!(
            "{}: it shows no evenly lit surface; choose a flat frame.",
            flat.name
        )));
    }
    Ok([1, 2, 3].map(|i| (fit[i] / fit[0]) as f32))
}
