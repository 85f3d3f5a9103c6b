//! From light to samples: hot pixels, shot noise, read noise, and the camera's sRGB rendering.

use crate::random::stream;
use jade_pixels::colour::Encoding;
use rand::Rng;
use rand_distr::{Distribution, StandardNormal};
use rayon::prelude::*;

/// The sRGB-linear level that the camera adds to every sample, so that noise around black stays.
pub const PEDESTAL: f32 = 0.010;

/// A sensor of a size; everything random follows from its seed.
#[derive(Debug, Clone, Copy)]
pub struct Sensor {
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Seed.
    pub seed: u64,
    /// Electrons at the white point.
    pub full_well: f32,
}

/// Electrons at the white point at a high ISO: few.
pub const FULL_WELL: f32 = 500.0;
/// Read noise in electrons.
pub const READ_NOISE: f32 = 2.5;
/// Share of pixels that are hot.
const HOT_SHARE: f64 = 0.0002;

/// Records `light` (sRGB-linear, interleaved) as encoded 16-bit samples. `exposure` tells one
/// exposure's noise from another's; hot pixels are the same in all.
pub fn record(sensor: &Sensor, exposure: u64, light: &[f32]) -> Vec<u16> {
    let row = sensor.width as usize * 3;
    let mut out = vec![0u16; light.len()];
    let hot = hot_pixels(sensor, HOT_SHARE);
    let srgb = Encoding::srgb();
    out.par_chunks_mut(row).zip(light.par_chunks(row)).enumerate().for_each(|(y, (out, light))| {
        let mut random = stream(sensor.seed, "noise", exposure, y as u64);
        let mut electrons: Vec<f32> = light.iter().map(|v| v * sensor.full_well).collect();
        let first = hot.partition_point(|h| h.0 < y as u32);
        for &(_, x, glow) in hot[first..].iter().take_while(|h| h.0 == y as u32) {
            // One photosite is hot, and development spreads it to one colour mostly.
            let at = x as usize * 3;
            let colour = (x as usize + y) % 3;
            electrons[at + colour] += glow;
            electrons[at + (colour + 1) % 3] += glow * 0.25;
        }
        for sample in &mut electrons {
            // Shot noise as a normal of the same variance joins the read noise in one draw.
            let spread = (sample.max(0.0) + READ_NOISE * READ_NOISE).sqrt();
            let draw: f32 = StandardNormal.sample(&mut random);
            *sample = (*sample + spread * draw) / sensor.full_well + PEDESTAL;
        }
        srgb.encode_pixels(&electrons, out);
    });
    out
}

/// Row, column and electrons of every hot pixel, a share of all, in the order of rows.
pub fn hot_pixels(sensor: &Sensor, share: f64) -> Vec<(u32, u32, f32)> {
    let mut random = stream(sensor.seed, "hot pixels", 0, 0);
    let count = (sensor.width as f64 * sensor.height as f64 * share) as usize;
    let mut hot: Vec<(u32, u32, f32)> = (0..count)
        .map(|_| {
            let (y, x) =
                (random.random_range(0..sensor.height), random.random_range(0..sensor.width));
            let strength: f32 = random.random_range(0.0..1.0);
            (y, x, 15.0 + 260.0 * strength.powi(4))
        })
        .collect();
    hot.sort_by_key(|h| (h.0, h.1));
    hot.dedup_by_key(|h| (h.0, h.1));
    hot
}
