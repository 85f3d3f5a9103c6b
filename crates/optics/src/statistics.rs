//! Robust statistics: a few stray values hardly move them.

/// The median, in the unit of the values; of an even number of values, the upper one of the two in the
/// middle. Reorders `values`.
///
/// # Panics
/// Without values.
pub fn median(values: &mut [f32]) -> f32 {
    let middle = values.len() / 2;
    *values.select_nth_unstable_by(middle, f32::total_cmp).1
}

/// Standard deviation of normal noise, from the median absolute deviation about `middle`: 1.4826 times as
/// large (Rousseeuw and Croux, "Alternatives to the Median Absolute Deviation", 1993).
///
/// # Panics
/// Without values.
pub fn robust_sigma(values: &[f32], middle: f32) -> f32 {
    let mut off: Vec<f32> = values.iter().map(|v| (v - middle).abs()).collect();
    1.4826 * median(&mut off)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_stray_value_moves_neither() {
        let mut values = [3.0, 1.0, 2.0, 1e30, 2.5];
        assert_eq!(median(&mut values), 2.5);
        assert_eq!(robust_sigma(&values, 2.5), 1.4826 * 0.5);
    }

    proptest! {
        #[test]
        fn as_many_values_lie_below_the_median_as_above(mut values in prop::collection::vec(-1e6f32..1e6, 1..40)) {
            let middle = median(&mut values);
            let below = values.iter().filter(|v| **v < middle).count();
            let above = values.iter().filter(|v| **v > middle).count();
            prop_assert!(values.contains(&middle));
            prop_assert!(below <= values.len() / 2 && above <= values.len() / 2);
        }

        #[test]
        fn deviation_follows_the_scale(values in prop::collection::vec(-100f32..100.0, 1..40), factor in 1u8..8) {
            let factor = f32::from(1u8 << (factor - 1));
            let larger: Vec<f32> = values.iter().map(|v| v * factor).collect();
            prop_assert_eq!(robust_sigma(&larger, 0.0), factor * robust_sigma(&values, 0.0));
        }
    }
}
