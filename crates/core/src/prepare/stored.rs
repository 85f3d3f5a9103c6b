//! Prepared light as 16-bit codes: by its root, as photons' noise is even then, from a little below
//! black to four times white.

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

/// The nearest code for light; what lies outside becomes the outermost one.
pub fn code(light: f32) -> u16 {
    let root = light.abs().sqrt().copysign(light);
    // From floats to whole numbers Rust saturates.
    ((root - LOWEST) * SCALE + 0.5) as u16
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn every_code_survives() {
        assert!((0..=65_535u16).all(|c| code(LIGHT[c as usize]) == c));
    }

    proptest! {
        /// Far finer than the noise of any exposure.
        #[test]
        fn light_is_kept_to_a_share_of_its_root(light in -0.06f32..3.99) {
            let kept = LIGHT[code(light) as usize];
            prop_assert!((kept - light).abs() <= 4e-5 * light.abs().sqrt() + 2e-9, "{light} {kept}");
        }
    }
}
