//! Vignetting, measured in a flat frame.

use crate::frame::Frame;
use jade_optics::lens::half_diagonal;
use jade_optics::light::Light;
use jade_pixels::tiled::Region;
use jade_plan::CoreError;
use nalgebra::{Matrix4, Vector4};

/// The vignetting in a frame of an evenly lit surface, as [`jade_plan::LensPlan::shading`]: fitted to its
/// brightness, ignoring specks of dust.
///
/// # Errors
/// [`CoreError::Frames`] where the surface was not evenly lit or the frame is too small;
/// [`CoreError::Picture`].
pub fn vignetting_of(flat: &Frame) -> Result<[f32; 3], CoreError> {
    const STEP: u32 = 8;
    let (width, height) = flat.size();
    let centre = [width, height].map(|v| (f64::from(v) - 1.0) / 2.0);
    let half = half_diagonal((width, height));
    let mut means: Vec<(Vector4<f64>, f64)> = Vec::new();
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
            means.push((Vector4::new(1.0, r2, r2 * r2, r2 * r2 * r2), mean));
        }
    }
    let mut fit = Vector4::zeros();
    let mut typical = f64::INFINITY;
    for _ in 0..8 {
        let (mut left, mut right) = (Matrix4::zeros(), Vector4::zeros());
        for (powers, value) in &means {
            let off = (value - fit.dot(powers)) / (3.0 * typical);
            let weight = 1.0 / (1.0 + off * off);
            left += powers * powers.transpose() * weight;
            right += powers * *value * weight;
        }
        let Some(solved) = left.lu().solve(&right) else { break };
        fit = solved;
        let mut off: Vec<f32> =
            means.iter().map(|(powers, value)| (value - fit.dot(powers)).abs() as f32).collect();
        if off.is_empty() {
            break;
        }
        typical = f64::from(1.4826 * jade_optics::statistics::median(&mut off)).max(1e-9);
    }
    let even = typical < 0.05 * fit[0];
    if means.len() < 100 || fit[0] < 1e-3 || !even {
        return Err(CoreError::Frames(format!(
            "{}: it shows no evenly lit surface; choose a flat frame.",
            flat.name
        )));
    }
    Ok([1, 2, 3].map(|i| (fit[i] / fit[0]) as f32))
}
