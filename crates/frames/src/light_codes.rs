//! Prepared light as 16-bit codes of its square root, in which photon noise is even: from slightly
//! below black to four times white.

use jade_pixels::rounding::nearest;
use multiversion::multiversion;
use std::sync::LazyLock;

/// The root of the darkest light that can be stored.
const LOWEST: f32 = -0.25;
/// Codes for a root of one.
const SCALE: f32 = 65_535.0 / (2.0 - LOWEST);

/// Light of every code.
pub static LIGHT: LazyLock<Vec<f32>> = LazyLock::new(|| {
    let root = |code: u32| code as f32 / SCALE + LOWEST;
    (0..=65_535).map(|code| root(code) * root(code).abs()).collect()
});

/// The nearest codes for light, clamped to the range.
#[multiversion(targets("x86_64+avx512f+avx512vl+avx512bw", "x86_64+avx2"))]
pub fn codes(light: &[f32], out: &mut [u16]) {
    for (light, out) in light.iter().zip(out) {
        let root = light.abs().sqrt().copysign(*light);
        let code = ((root - LOWEST) * SCALE).clamp(0.0, 65_535.0);
        *out = nearest(code);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn code(light: f32) -> u16 {
        let mut out = [0];
        codes(&[light], &mut out);
        out[0]
    }

    #[test]
    fn every_code_survives() {
        let mut all = vec![0; LIGHT.len()];
        codes(&LIGHT, &mut all);
        assert!((0..=65_535u16).all(|c| all[c as usize] == c));
        assert_eq!([-9.0, 9.0, f32::NAN, f32::INFINITY].map(code), [0, 65_535, 0, 65_535]);
    }

    proptest! {
        /// The error is far below the noise of any exposure.
        #[test]
        fn light_is_kept_to_a_share_of_its_root(light in -0.06f32..3.99) {
            let kept = LIGHT[code(light) as usize];
            prop_assert!((kept - light).abs() <= 4e-5 * light.abs().sqrt() + 2e-9, "{light} {kept}");
        }
    }
}
