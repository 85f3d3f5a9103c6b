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
    /// five columns and rows by `weights`. At least two columns wide.
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
            let edge = |at: usize| from[at.saturating_sub(2).min(width - 1)];
            for x in [0, 1, width - 2, width - 1] {
                to[x] = weighted(weights, std::array::from_fn(|k| edge(x + k)));
            }
            // Away from the edges, where nothing has to be looked up.
            for (to, from) in to.iter_mut().skip(2).zip(from.windows(5)) {
                *to = weighted(weights, [from[0], from[1], from[2], from[3], from[4]]);
            }
        });
        self.light.par_chunks_mut(width).enumerate().for_each(|(y, to)| {
            let rows: [&[[f32; 3]]; 5] = std::array::from_fn(|k| {
                let row = (y + k).saturating_sub(2).min(height - 1);
                &across[row * width..(row + 1) * width]
            });
            for (x, to) in to.iter_mut().enumerate() {
                *to = weighted(weights, rows.map(|row| row[x]));
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
        let columns: [usize; 6] = std::array::from_fn(|i| clip(ix, i, self.width));
        let mut sum = [0.0f32; 3];
        for (j, wy) in wy.iter().enumerate() {
            let from = clip(iy, j, self.height) * self.width;
            let row = &self.light[from..from + self.width];
            let mut along = [0.0f32; 3];
            for (wx, column) in wx.iter().zip(columns) {
                let pixel = row[column];
                (0..3).for_each(|c| along[c] += wx * pixel[c]);
            }
            (0..3).for_each(|c| sum[c] += wy * along[c]);
        }
        sum
    }
}

/// The sum of five pixels, each with its weight.
fn weighted(weights: [f32; 5], pixels: [[f32; 3]; 5]) -> [f32; 3] {
    let mut sum = [0.0f32; 3];
    for (weight, pixel) in weights.iter().zip(pixels) {
        (0..3).for_each(|c| sum[c] += weight * pixel[c]);
    }
    sum
}

/// Weights of six neighbours, by Hann's window over the sinc, at `t` (0 to 1) after the third.
fn sinc_weights(t: f64) -> [f32; 6] {
    // Sine and cosine at all neighbours follow from those at one, by the sums of angles.
    let angle = t * std::f64::consts::PI;
    let (sin, (third_sin, third_cos)) = (angle.sin(), (angle / 3.0).sin_cos());
    let half = 0.75f64.sqrt();
    // Cosine and sine of 60 degrees times -2 to 3.
    let thirds = [(-0.5, -half), (0.5, -half), (1.0, 0.0), (0.5, half), (-0.5, half), (-1.0, 0.0)];
    let weights: [f64; 6] = std::array::from_fn(|k| {
        let d = (k as f64 - 2.0 - t) * std::f64::consts::PI;
        let sign = if k % 2 == 0 { -1.0 } else { 1.0 };
        let sinc = if d.abs() < 1e-9 { 1.0 } else { sign * sin / d };
        let (cos_k, sin_k) = thirds[k];
        sinc * 0.5 * (1.0 + cos_k * third_cos + sin_k * third_sin)
    });
    let sum: f64 = weights.iter().sum();
    weights.map(|w| (w / sum) as f32)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn weights_are_those_of_the_windowed_sinc() {
        for t in [0.0, 1e-12, 0.125, 0.5, 0.77, 0.999_999] {
            let exact: [f64; 6] = std::array::from_fn(|k| {
                let d = (k as f64 - 2.0 - t) * std::f64::consts::PI;
                let sinc = if d.abs() < 1e-9 { 1.0 } else { d.sin() / d };
                sinc * 0.5 * (1.0 + (d / 3.0).cos())
            });
            let sum: f64 = exact.iter().sum();
            for (weight, exact) in sinc_weights(t).iter().zip(exact) {
                assert!((f64::from(*weight) - exact / sum).abs() < 1e-6, "{weight} at {t}");
            }
        }
    }

    #[test]
    fn a_point_is_spread_by_the_weights_also_at_the_edges() {
        let weights = [1.0, 4.0, 6.0, 4.0, 1.0].map(|weight: f32| weight / 16.0);
        let canvas = |at: (usize, usize)| {
            Canvas::painted((9, 7), weights, |x, y| [f32::from((x, y) == at); 3])
        };
        let middle = canvas((4, 3));
        for (y, down) in (1..6).zip(weights) {
            for (x, across) in (2..7).zip(weights) {
                assert_eq!(middle.light[y * 9 + x], [down * across; 3]);
            }
        }
        // What would lie beyond a corner is the corner's.
        let corner = canvas((0, 0)).light[0][0];
        assert!((corner - (11.0f32 / 16.0).powi(2)).abs() < 1e-6, "{corner}");
        let even = Canvas::painted((9, 7), weights, |_, _| [0.25; 3]);
        assert!(even.light.iter().flatten().all(|v| (v - 0.25).abs() < 1e-6));
        assert!((even.read(3.3, 2.9)[1] - 0.25).abs() < 1e-6);
    }
}
