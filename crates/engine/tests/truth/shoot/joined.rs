//! Joined pictures against the truth near the skyline.

use super::truth::rms;

/// Pixels around the skyline that count as near it.
const BAND: usize = 12;
/// Half the side of the squares in which one picture is nearer to the truth than another.
const PLACE: usize = 4;

/// Whether each pixel lies near the skyline. `sky` holds their shares of sky, in rows of `width`.
pub fn band(sky: &[f32], width: usize) -> Vec<bool> {
    let height = sky.len() / width;
    let mut out = vec![false; sky.len()];
    for i in 0..sky.len() {
        let (x, y) = (i % width, i / width);
        let differs = |n: usize| (sky[n] > 0.5) != (sky[i] > 0.5);
        let edge = (0.002..0.998).contains(&sky[i])
            || (x + 1 < width && differs(i + 1))
            || (y + 1 < height && differs(i + width));
        if edge {
            for row in y.saturating_sub(BAND)..(y + BAND + 1).min(height) {
                let (left, right) = (x.saturating_sub(BAND), (x + BAND + 1).min(width));
                out[row * width + left..row * width + right].fill(true);
            }
        }
    }
    out
}

/// Squares of the differences of interleaved light to the truth, in each pixel.
pub fn squares(light: &[f32], truth: &[f32]) -> Vec<f64> {
    let pixels = light.as_chunks::<3>().0.iter().zip(truth.as_chunks::<3>().0);
    let one = |(light, truth): (&[f32; 3], &[f32; 3])| {
        light.iter().zip(truth).map(|(a, b)| f64::from(a - b).powi(2)).sum()
    };
    pixels.map(one).collect()
}

/// By how many decibels the squares of one picture in a band are above those of the better of two
/// others at each place.
pub fn behind(joined: &[f64], others: [&[f64]; 2], band: &[bool], width: usize) -> f64 {
    let mean = |values: &[f64]| -> Vec<f64> {
        let height = values.len() / width;
        (0..values.len())
            .map(|i| {
                let (x, y) = (i % width, i / width);
                let rows = y.saturating_sub(PLACE)..(y + PLACE + 1).min(height);
                let columns = x.saturating_sub(PLACE)..(x + PLACE + 1).min(width);
                let count = (rows.len() * columns.len()) as f64;
                rows.flat_map(|row| columns.clone().map(move |column| row * width + column))
                    .map(|n| values[n])
                    .sum::<f64>()
                    / count
            })
            .collect()
    };
    let (one, other) = (mean(others[0]), mean(others[1]));
    let (mut sum, mut least) = (0.0, 0.0);
    for i in (0..joined.len()).filter(|&i| band[i]) {
        sum += joined[i];
        least += if one[i] < other[i] { others[0][i] } else { others[1][i] };
    }
    10.0 * (sum / least).log10()
}

/// Share of the detail of the ground that a picture keeps: how far steps from pixel to pixel of the
/// truth are found in it again, in pure ground; 1 for one frame, but for its noise.
pub fn detail(light: &[f32], truth: &[f32], sky: &[f32], width: usize) -> f64 {
    let (mut both, mut square) = (0.0, 0.0);
    for i in 0..sky.len() - 1 {
        if (i + 1) % width == 0 || sky[i] > 0.0 || sky[i + 1] > 0.0 {
            continue;
        }
        let step = |light: &[f32]| f64::from(light[i * 3 + 4] - light[i * 3 + 1]);
        both += step(light) * step(truth);
        square += step(truth) * step(truth);
    }
    both / square
}

/// Noise of pure ground, or of pure sky without stars, against the truth.
pub fn noise(light: &[f32], truth: &[f32], counts: impl Fn(usize) -> bool) -> f32 {
    let mut off: Vec<f32> = (0..truth.len() / 3)
        .filter(|&i| counts(i))
        .map(|i| (light[i * 3 + 1] - truth[i * 3 + 1]).abs())
        .collect();
    off.sort_by(f32::total_cmp);
    // Without what stars and lamps leave.
    off.truncate(off.len() * 9 / 10);
    rms(off.into_iter())
}
