//! Smooth random textures.

use crate::random::mix;

/// Value noise in -1..=1 with features about one unit apart, smooth, the same for the same seed.
pub fn noise(seed: u64, x: f64, y: f64) -> f64 {
    let (ix, iy) = (x.floor(), y.floor());
    let ease = |t: f64| t * t * (3.0 - 2.0 * t);
    let (fx, fy) = (ease(x - ix), ease(y - iy));
    let corner = |dx: i64, dy: i64| {
        let key = mix((ix as i64 + dx) as u64 ^ mix((iy as i64 + dy) as u64 ^ mix(seed)));
        (key >> 11) as f64 / (1u64 << 52) as f64 - 1.0
    };
    let top = corner(0, 0) + (corner(1, 0) - corner(0, 0)) * fx;
    let bottom = corner(0, 1) + (corner(1, 1) - corner(0, 1)) * fx;
    top + (bottom - top) * fy
}

/// Noise of `octaves` scales, each twice as fine and half as strong, about -1..=1.
pub fn layered(seed: u64, x: f64, y: f64, octaves: u32) -> f64 {
    (0..octaves)
        .map(|o| {
            noise(seed.wrapping_add(o as u64), x * f64::from(1 << o), y * f64::from(1 << o))
                / f64::from(1 << o)
        })
        .sum::<f64>()
        * 0.6
}
