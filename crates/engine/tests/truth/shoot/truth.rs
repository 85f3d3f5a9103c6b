//! Light against the light that it was made from.

use jade_pixels::tiled::Region;
use jade_plan::LensPlan;
use jade_scenes::night_sky::NightSky;

/// Root of the mean square of the differences to the truth, over all colours.
pub fn error(light: &[Vec<f32>; 3], truth: &[f32]) -> f64 {
    let squares = truth.as_chunks::<3>().0.iter().enumerate().flat_map(|(i, truth)| {
        (0..3).map(move |c| f64::from(light[c][i] - truth[c].clamp(0.0, 1.0)).powi(2))
    });
    (squares.sum::<f64>() / truth.len() as f64).sqrt()
}

/// By how much, as a share, the mean light of a block of sky is off at most, where single pixels do
/// not matter; blocks with light near white are left out, as camera colours are clipped otherwise.
pub fn block_error(
    light: &[Vec<f32>; 3],
    truth: &[f32],
    sky: &[f32],
    (width, height): (u32, u32),
) -> f64 {
    const BLOCK: u32 = 50;
    let blocks = Region::covering(width, height, [BLOCK; 2]);
    let errors = blocks.iter().flat_map(|block| {
        let rows = block.y..block.y + block.height;
        let places: Vec<usize> = rows
            .flat_map(|y| (block.x..block.x + block.width).map(move |x| (y * width + x) as usize))
            .collect();
        let left_out =
            places.iter().any(|i| sky[*i] < 1.0 || truth[i * 3..][..3].iter().any(|v| *v > 0.8));
        (0..3).map(move |c| {
            let sum: f64 = places.iter().map(|i| f64::from(light[c][*i])).sum();
            let wanted: f64 = places.iter().map(|i| f64::from(truth[i * 3 + c])).sum();
            if left_out { 0.0 } else { (sum / wanted - 1.0).abs() }
        })
    });
    errors.fold(0.0, f64::max)
}

/// The middle light of blocks of sky, in which stars do not matter.
pub fn blocks(light: &[f32], sky: &[f32], (width, height): (u32, u32)) -> Vec<f32> {
    const BLOCK: u32 = 40;
    let blocks = Region::covering(width, height, [BLOCK; 2]);
    let middles = blocks.iter().filter_map(|block| {
        let rows = block.y..block.y + block.height;
        let places: Vec<usize> = rows
            .flat_map(|y| (block.x..block.x + block.width).map(move |x| (y * width + x) as usize))
            .collect();
        if places.iter().any(|i| sky[*i] < 1.0) {
            return None;
        }
        let mut values: Vec<f32> = places.iter().map(|i| light[*i]).collect();
        values.sort_by(f32::total_cmp);
        Some(values[values.len() / 2])
    });
    middles.collect()
}

/// Root of the mean square.
pub fn rms(values: impl Iterator<Item = f32>) -> f32 {
    let squares: Vec<f32> = values.map(|v| v * v).collect();
    (squares.iter().sum::<f32>() / squares.len() as f32).sqrt()
}

/// The furthest that a lens puts anything from where a straight one would, in pixels.
pub fn furthest(scene: &NightSky, lens: &LensPlan) -> f64 {
    let size = (scene.options().width, scene.options().height);
    let geometry = lens.geometry(size).unwrap();
    let places = (0..=12).flat_map(|i| (0..=8).map(move |j| [i as f64 / 12.0, j as f64 / 8.0]));
    let apart = places.map(|[u, v]| {
        let at = [u * f64::from(size.0 - 1), v * f64::from(size.1 - 1)];
        let ([x, y], [tx, ty]) = (geometry.to_corrected(at), scene.straightened(at));
        (x - tx).hypot(y - ty)
    });
    apart.fold(0.0, f64::max)
}

/// Intersection over union of shares of sky, 0 to 255, with the true ones, 0 to 1.
pub fn overlap(shares: &[u8], truth: &[f32]) -> f64 {
    let (mut least, mut most) = (0.0, 0.0);
    for (share, truth) in shares.iter().zip(truth) {
        let (share, truth) = (f64::from(*share) / 255.0, f64::from(*truth));
        least += share.min(truth);
        most += share.max(truth);
    }
    least / most
}
