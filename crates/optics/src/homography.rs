//! Plane-to-plane mappings by least squares.

use nalgebra::{DMatrix, Matrix3, SMatrix, SVector};

/// A pair of positions: in the frame, and in the reference frame, in pixels.
pub type Pair = ([f64; 2], [f64; 2]);

/// The homography that maps the first positions to the second with the least weighted squared
/// distance in pixels: a normalised linear start (Hartley 1997), then Gauss-Newton on the
/// distances. `None` for fewer than four pairs or pairs on a line.
pub fn fit(pairs: &[Pair], weights: &[f64]) -> Option<Matrix3<f64>> {
    if pairs.len() < 4 {
        return None;
    }
    let from = normaliser(pairs.iter().map(|p| p.0))?;
    let to = normaliser(pairs.iter().map(|p| p.1))?;
    let mut normal = SMatrix::<f64, 8, 8>::zeros();
    let mut right = SVector::<f64, 8>::zeros();
    for ((a, b), w) in pairs.iter().zip(weights) {
        let ([x, y], [u, v]) = (from.apply(*a), to.apply(*b));
        let rows = [
            (SVector::from([x, y, 1.0, 0.0, 0.0, 0.0, -u * x, -u * y]), u),
            (SVector::from([0.0, 0.0, 0.0, x, y, 1.0, -v * x, -v * y]), v),
        ];
        for (row, value) in rows {
            normal += row * row.transpose() * *w;
            right += row * (value * w);
        }
    }
    let mut h = SVector::<f64, 8>::from(normal.cholesky()?.solve(&right));
    for _ in 0..5 {
        let (mut normal, mut right) = (SMatrix::<f64, 8, 8>::zeros(), SVector::<f64, 8>::zeros());
        for ((a, b), weight) in pairs.iter().zip(weights) {
            let ([x, y], [u, v]) = (from.apply(*a), to.apply(*b));
            let w = h[6] * x + h[7] * y + 1.0;
            let (p, q) = ((h[0] * x + h[1] * y + h[2]) / w, (h[3] * x + h[4] * y + h[5]) / w);
            let rows = [
                (SVector::from([x, y, 1.0, 0.0, 0.0, 0.0, -p * x, -p * y]) / w, u - p),
                (SVector::from([0.0, 0.0, 0.0, x, y, 1.0, -q * x, -q * y]) / w, v - q),
            ];
            for (row, value) in rows {
                normal += row * row.transpose() * *weight;
                right += row * (value * weight);
            }
        }
        h += normal.cholesky()?.solve(&right);
    }
    let middle = Matrix3::new(h[0], h[1], h[2], h[3], h[4], h[5], h[6], h[7], 1.0);
    let whole = to.matrix().try_inverse()? * middle * from.matrix();
    let whole = whole / whole[(2, 2)];
    whole.iter().all(|v| v.is_finite()).then_some(whole)
}

/// The similarity (scale, turn, shift) that fits best, as a homography. `None` for fewer than two
/// different pairs.
pub fn fit_similarity(pairs: &[Pair]) -> Option<Matrix3<f64>> {
    if pairs.len() < 2 {
        return None;
    }
    let mut rows = DMatrix::<f64>::zeros(4, 4);
    let mut right = nalgebra::DVector::<f64>::zeros(4);
    for ([x, y], [u, v]) in pairs {
        for (row, value) in [([*x, -y, 1.0, 0.0], u), ([*y, *x, 0.0, 1.0], v)] {
            for i in 0..4 {
                right[i] += row[i] * value;
                for j in 0..4 {
                    rows[(i, j)] += row[i] * row[j];
                }
            }
        }
    }
    let s = rows.cholesky()?.solve(&right);
    Some(Matrix3::new(s[0], -s[1], s[2], s[1], s[0], s[3], 0.0, 0.0, 1.0))
}

/// Shift and scale that bring positions to mean zero and mean distance one.
struct Normaliser {
    x: f64,
    y: f64,
    scale: f64,
}

impl Normaliser {
    fn apply(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        [(x - self.x) * self.scale, (y - self.y) * self.scale]
    }
    fn matrix(&self) -> Matrix3<f64> {
        let s = self.scale;
        Matrix3::new(s, 0.0, -self.x * s, 0.0, s, -self.y * s, 0.0, 0.0, 1.0)
    }
}

fn normaliser(places: impl Iterator<Item = [f64; 2]> + Clone) -> Option<Normaliser> {
    let n = places.clone().count() as f64;
    let (sx, sy) = places.clone().fold((0.0, 0.0), |(a, b), [x, y]| (a + x, b + y));
    let (x, y) = (sx / n, sy / n);
    let mean = places.map(|[px, py]| (px - x).hypot(py - y)).sum::<f64>() / n;
    (mean > 1e-9).then(|| Normaliser { x, y, scale: 1.0 / mean })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::motion::apply;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_true_homography_is_found(
            turn in -0.5f64..0.5, sx in -200.0f64..200.0, sy in -200.0f64..200.0,
            px in -1e-4f64..1e-4, py in -1e-4f64..1e-4,
        ) {
            let (s, c) = turn.sin_cos();
            let truth = Matrix3::new(c, -s, sx, s, c, sy, px, py, 1.0);
            let pairs: Vec<Pair> = (0..30)
                .map(|i| {
                    let at = [(i % 6) as f64 * 390.0, (i / 6) as f64 * 300.0 + (i % 4) as f64];
                    (at, apply(&truth, at))
                })
                .collect();
            let found = fit(&pairs, &vec![1.0; pairs.len()]).unwrap();
            for (a, b) in pairs {
                let [x, y] = apply(&found, a);
                prop_assert!((x - b[0]).hypot(y - b[1]) < 1e-6);
            }
        }
    }

    #[test]
    fn pairs_on_a_line_fit_nothing() {
        let pairs: Vec<Pair> = (0..8).map(|i| ([i as f64, 2.0], [i as f64, 5.0])).collect();
        assert_eq!(fit(&pairs, &[1.0; 8]), None);
    }

    #[test]
    fn a_similarity_is_found() {
        let truth = Matrix3::new(0.9, -0.2, 14.0, 0.2, 0.9, -3.0, 0.0, 0.0, 1.0);
        let pairs: Vec<Pair> =
            [[0.0, 0.0], [100.0, 7.0], [40.0, 90.0]].map(|at| (at, apply(&truth, at))).to_vec();
        assert!((fit_similarity(&pairs).unwrap() - truth).norm() < 1e-9);
    }
}
