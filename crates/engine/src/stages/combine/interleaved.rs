//! Pixels of three planes.

/// Light of three planes, pixel by pixel.
pub fn interleaved([red, green, blue]: &[Vec<f32>; 3]) -> Vec<f32> {
    red.iter().zip(green).zip(blue).flat_map(|((r, g), b)| [*r, *g, *b]).collect()
}
