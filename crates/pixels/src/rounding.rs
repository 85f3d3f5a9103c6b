//! Rounds many floats to integers.

/// Floats of this size have no fraction.
const NO_DIGITS: f32 = (1 << 23) as f32;

/// The nearest integer to a value from 0 to 65535; 0 for NaN. Adding a large number rounds, and the
/// last bits of the sum are the integer. Unlike a conversion, this has no branch for each value, so
/// that it vectorises.
#[inline(always)]
pub fn nearest(value: f32) -> u16 {
    (value + NO_DIGITS).to_bits() as u16
}

#[cfg(test)]
mod tests {
    use super::nearest;

    #[test]
    fn values_become_the_nearest_whole_numbers() {
        assert!((0..=65_535u16).all(|whole| nearest(f32::from(whole)) == whole));
        assert_eq!([0.4, 0.6, 1.49, 65_534.6, f32::NAN].map(nearest), [0, 1, 1, 65_535, 0]);
    }
}
