//! The resampling kernel: Lanczos with three lobes (Duchon 1979), its weights normalised at every
//! position so that flat areas stay flat, and written as polynomials of the position so that the
//! weights of neighbouring pixels are computed side by side.

use nalgebra::{SMatrix, SVector};
use std::sync::LazyLock;

/// Source pixels under the kernel along one axis.
pub const TAPS: usize = 6;
/// Coefficients of each tap's polynomial.
const TERMS: usize = 8;
/// Pixels whose weights are computed side by side.
pub const RUN: usize = 16;

/// The polynomials of one tap's weight and of its mirror image's, in the square of `t - 0.5`,
/// lowest power first, where `t` in 0..=1 is the position after the third tap. One weight is
/// `even + (t - 0.5) * odd`, the other `even - (t - 0.5) * odd`. Each coefficient is repeated for
/// every pixel of a run, as vector instructions want it.
pub struct Pair {
    pub even: [[f32; RUN]; TERMS / 2],
    pub odd: [[f32; RUN]; TERMS / 2],
}

/// The first three taps, outermost first; the others mirror them.
pub type Kernel = [Pair; TAPS / 2];

/// Lanczos with three lobes.
pub static LANCZOS: LazyLock<Kernel> = LazyLock::new(|| {
    // Least squares at Chebyshev's nodes, where the largest error comes out smallest.
    const PLACES: usize = 200;
    let places: [f64; PLACES] = std::array::from_fn(|i| {
        0.5 * ((i as f64 + 0.5) * std::f64::consts::PI / PLACES as f64).cos()
    });
    let mut normal = SMatrix::<f64, TERMS, TERMS>::zeros();
    let mut right = [SVector::<f64, TERMS>::zeros(); TAPS / 2];
    for t in places {
        let row = SVector::<f64, TERMS>::from_fn(|power, _| (2.0 * t).powi(power as i32));
        normal += row * row.transpose();
        for (sum, weight) in right.iter_mut().zip(weights(t + 0.5)) {
            *sum += row * weight;
        }
    }
    let solved = normal.cholesky().expect("powers at many places are independent");
    right.map(|sum| {
        let terms = solved.solve(&sum);
        let term = |power: usize| [(terms[power] * 2f64.powi(power as i32)) as f32; RUN];
        Pair {
            even: std::array::from_fn(|i| term(2 * i)),
            odd: std::array::from_fn(|i| term(2 * i + 1)),
        }
    })
});

/// The exact weights at `t`.
fn weights(t: f64) -> [f64; TAPS] {
    let raw: [f64; TAPS] = std::array::from_fn(|tap| lanczos(tap as f64 - 2.0 - t));
    let sum: f64 = raw.iter().sum();
    raw.map(|w| w / sum)
}

fn lanczos(x: f64) -> f64 {
    let sinc = |v: f64| {
        let v = v * std::f64::consts::PI;
        if v.abs() < 1e-9 { 1.0 } else { v.sin() / v }
    };
    if x.abs() < 3.0 { sinc(x) * sinc(x / 3.0) } else { 0.0 }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn polynomials_follow_the_exact_weights_and_sum_to_one() {
        for step in 0..=1000 {
            let t = step as f32 / 1000.0;
            let exact = weights(t as f64);
            let (off, mut sum) = (t - 0.5, 0.0);
            for (tap, pair) in LANCZOS.iter().enumerate() {
                let at = |terms: &[[f32; RUN]; TERMS / 2]| {
                    terms.iter().rev().fold(0.0, |w, term| w * off * off + term[0])
                };
                let (even, odd) = (at(&pair.even), at(&pair.odd));
                for (tap, weight) in [(tap, even + off * odd), (TAPS - 1 - tap, even - off * odd)] {
                    let exact = exact[tap];
                    assert!((weight as f64 - exact).abs() < 2e-5, "{weight} for {exact} at {t}");
                    sum += weight;
                }
            }
            assert!((sum - 1.0).abs() < 2e-6, "weights sum to {sum} at {t}");
        }
    }
}
