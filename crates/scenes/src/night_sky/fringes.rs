//! Lateral colour: red and blue drawn at sizes of their own.

use super::options::Options;
use jade_pixels::mosaic::Sensor;
use rayon::prelude::*;

/// [`drawn`] in the colours of a camera, which sees light through this matrix.
pub fn drawn_by_camera(
    light: Vec<f32>,
    options: &Options,
    shares: [f64; 2],
    camera: &Sensor,
) -> Vec<f32> {
    let Some(seen) = camera.srgb_to_balanced().filter(|_| shares != [0.0; 2]) else { return light };
    let through = |mut light: Vec<f32>, matrix: [[f32; 3]; 3]| {
        for pixel in light.as_chunks_mut::<3>().0 {
            *pixel = matrix.map(|row| row.iter().zip(&*pixel).map(|(m, v)| m * v).sum());
        }
        light
    };
    let drawn = drawn(through(light, seen), options, shares);
    through(drawn, camera.balanced_to_srgb())
}

/// Draws red and blue of interleaved light larger than green by these shares.
pub fn drawn(mut light: Vec<f32>, options: &Options, shares: [f64; 2]) -> Vec<f32> {
    let (width, height) = (options.width as usize, options.height as usize);
    for (colour, share) in [(0, shares[0]), (2, shares[1])] {
        if share == 0.0 {
            continue;
        }
        let plane: Vec<f32> = light.iter().skip(colour).step_by(3).copied().collect();
        let centre = [width, height].map(|v| (v as f64 - 1.0) / 2.0);
        let from =
            |at: usize, axis: usize| centre[axis] + (at as f64 - centre[axis]) / (1.0 + share);
        let across: Vec<Taps> = (0..width).map(|x| taps(from(x, 0), width)).collect();
        light.par_chunks_mut(width * 3).enumerate().for_each(|(y, row)| {
            let (rows, down) = taps(from(y, 1), height);
            for (pixel, (columns, weights)) in row.chunks_exact_mut(3).zip(&across) {
                let mut sum = 0.0;
                for (y, down) in rows.iter().zip(down) {
                    for (x, weight) in columns.iter().zip(weights) {
                        sum += plane[y * width + x] * down * weight;
                    }
                }
                pixel[colour] = sum.max(0.0);
            }
        });
    }
    light
}

type Taps = ([usize; 4], [f32; 4]);

/// Places and weights of a cubic through four values (Keys 1981).
fn taps(at: f64, size: usize) -> Taps {
    let (whole, t) = (at.floor(), (at - at.floor()) as f32);
    let place = |i: i64| (whole as i64 + i).clamp(0, size as i64 - 1) as usize;
    let (t2, t3) = (t * t, t * t * t);
    let weights = [
        -0.5 * t3 + t2 - 0.5 * t,
        1.5 * t3 - 2.5 * t2 + 1.0,
        -1.5 * t3 + 2.0 * t2 + 0.5 * t,
        0.5 * t3 - 0.5 * t2,
    ];
    ([-1, 0, 1, 2].map(place), weights)
}
