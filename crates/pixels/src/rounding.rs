//! Whole numbers from many floats at once.

/// A number of this size has no digits behind the point.
const NO_DIGITS: f32 = (1 << 23) as f32;

/// The nearest whole number of a value from 0 to 65535; of what is no number, 0. Adding a large number
/// rounds, and the last digits of the sum's bits are the whole number: unlike a conversion, that asks
/// nothing of each value, so that many are done side by side.
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
