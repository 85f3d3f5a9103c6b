//! How noise falls with the number of frames.

use jade_plan::Method;
use jade_plan::report::NoisePoint;

/// Numbers of frames, up to all of them, for which the noise is told.
pub fn counts(frames: usize) -> Vec<usize> {
    let mut counts: Vec<usize> = [1, 2, 3, 4, 6, 8, 12, 16, 24, 32, 48, 64, 96, 128, 192].to_vec();
    counts.retain(|n| *n < frames);
    counts.push(frames);
    counts
}

/// Measured noise of growing numbers of frames beside what the method gives at best.
pub fn noise_points(method: Method, counts: &[usize], measured: Vec<f32>) -> Vec<NoisePoint> {
    let single = measured[0];
    let points = counts.iter().zip(measured).map(|(&n, noise)| NoisePoint {
        frames: n as u32,
        noise,
        expected: single / ideal_gain(method, n),
    });
    points.collect()
}

/// Noise gain that the method reaches at best with `n` frames of normal noise.
pub fn ideal_gain(method: Method, n: usize) -> f32 {
    let n = n as f32;
    match method {
        // For two frames the median is the mean; then it falls towards sqrt(2 n / pi).
        Method::Median if n > 2.0 => {
            (n / (1.0 + (std::f32::consts::FRAC_PI_2 - 1.0) * (1.0 - 1.5 / n))).sqrt()
        }
        _ => n.sqrt(),
    }
}
