//! Interleaving of planes.

/// Three planes of light as interleaved pixels.
pub fn interleaved([red, green, blue]: &[Vec<f32>; 3]) -> Vec<f32> {
    red.iter().zip(green).zip(blue).flat_map(|((r, g), b)| [*r, *g, *b]).collect()
}
