//! Colour data of a raw file.

use rawler::RawImage;
use rawler::imgop::xyz::Illuminant;

/// The raw values of grey by the camera's white balance, green 1.
pub fn neutral(image: &RawImage) -> Option<[f32; 3]> {
    let [red, green, blue, _] = image.wb_coeffs;
    let neutral = [green / red, 1.0, green / blue];
    neutral.iter().all(|v| v.is_finite() && *v > 0.0).then_some(neutral)
}

/// CIE XYZ to the camera's colours under daylight.
pub fn xyz_to_camera(image: &RawImage) -> Option<[[f32; 3]; 3]> {
    let matrix = [Illuminant::D65, Illuminant::Daylight, Illuminant::D55, Illuminant::D50]
        .iter()
        .find_map(|light| image.color_matrix.get(light))
        .or_else(|| image.color_matrix.values().next())?;
    matrix.as_chunks::<3>().0.first_chunk::<3>().copied()
}
