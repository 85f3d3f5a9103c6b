//! Linear light on a grid of pixels, larger than a frame, through which frames look.

use rayon::prelude::*;

/// Light that is smooth enough to be read between its pixels.
pub struct Canvas {
    /// Width in pixels.
    pub width: usize,
    /// Height in pixels.
    pub height: usize,
    /// Linear light, row by row.
    pub light: Vec<[f32; 3]>,
}

impl Canvas {
    /// Paints every pixel by its column and row, and draws it as a lens does, which spreads it over
    /// five columns and rows by `weights`.
    pub fn painted(
        (width, height): (usize, usize),
        weights: [f32; 5],
        at: impl Fn(usize, usize) -> [f32; 3] + Sync,
    ) -> Self {
        let mut light = vec![[0.0f32; 3]; width * height];
        light.par_chunks_mut(width).enumerate().for_each(|(y, row)| {
            row.iter_mut().enumerate().for_each(|(x, pixel)| *pixel = at(x, y));
        });
        let mut canvas = Self { width, height, light };
        canvas.soften(weights);
        canvas
    }

    fn soften(&mut self, weights: [f32; 5]) {
        let (width, height) = (self.width, self.height);
        let mut across = vec![[0.0f32; 3]; self.light.len()];
        let rows = across.par_chunks_mut(width).zip(self.light.par_chunks(width));
        rows.for_each(|(to, from)| {
            for (x, to) in to.iter_mut().enumerate() {
                for (k, weight) in weights.iter().enumerate() {
                    let pixel = from[(x + k).saturating_sub(2).min(width - 1)];
                    (0..3).for_each(|c| to[c] += weight * pixel[c]);
                }
            }
        });
        self.light.par_chunks_mut(width).enumerate().for_each(|(y, to)| {
            for (x, to) in to.iter_mut().enumerate() {
                *to = [0.0; 3];
                for (k, weight) in weights.iter().enumerate() {
                    let row = (y + k).saturating_sub(2).min(height - 1);
                    let pixel = across[row * width + x];
                    (0..3).for_each(|c| to[c] += weight * pixel[c]);
                }
            }
        });
    }

    /// Light at a position, by a windowed sinc of three lobes on either side; the nearest edge's
    /// beyond the edges.
    pub fn read(&self, x: f64, y: f64) -> [f32; 3] {
        let (ix, iy) = (x.floor(), y.floor());
        let (wx, wy) = (sinc_weights(x - ix), sinc_weights(y - iy));
        let clip = |v: f64, k: usize, size: usize| {
            (v as i64 + k as i64 - 2).clamp(0, size as i64 - 1) as usize
        };
        let mut sum = [0.0f32; 3];
        for (j, wy) in wy.iter().enumerate() {
            let row = clip(iy, j, self.height) * self.width;
            for (i, wx) in wx.iter().enumerate() {
                let pixel = self.light[row + clip(ix, i, self.width)];
                let weight = wx * wy;
                (0..3).for_each(|c| sum[c] += weight * pixel[c]);
            }
        }
        sum
    }
}

/// Weights of six neighbours, by Hann's window over the sinc, at `t` after the third.
fn sinc_weights(t: f64) -> [f32; 6] {
    let weights: [f64; 6] = std::array::from_fn(|k| {
        let d = (k as f64 - 2.0 - t) * std::f64::consts::PI;
        let sinc = if d.abs() < 1e-9 { 1.0 } else { d.sin() / d };
        sinc * 0.5 * (1.0 + (d / 3.0).cos())
    });
    let sum: f64 = weights.iter().sum();
    weights.map(|w| (w / sum) as f32)
}
