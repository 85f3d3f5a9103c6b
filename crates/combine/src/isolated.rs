//! Isolated pixels of an unaligned stack that are off: flaws of the sensor. They stand as still as
//! the ground, so that no method of combining finds them.

use jade_optics::statistics::median;

/// Standard deviations of noise by which such a pixel is off its neighbours.
const SIGMAS: f32 = 6.0;
/// Share of that by which its neighbours left, right, above and below may be off, in the mean: no
/// image through a lens is this narrow.
const NARROW: f32 = 0.2;
/// Share of that by which any of the eight neighbours may be off, as along a wire.
const WIRE: f32 = 0.5;

/// Replaces isolated pixels of interleaved light, in rows of `width` pixels, by the median of their
/// neighbours, and returns their number. Without noise, as in drawings, there are none.
pub fn mend(light: &mut [f32], width: usize) -> usize {
    let pixels = light.as_chunks_mut::<3>().0;
    let height = pixels.len() / width;
    if width < 3 || height < 3 {
        return 0;
    }
    let sums: Vec<f32> = pixels.iter().map(|[r, g, b]| r + g + b).collect();
    let least = SIGMAS * noise(&sums, width);
    if least <= 0.0 {
        return 0;
    }
    let mut found = Vec::new();
    for (y, row) in sums.chunks_exact(width).enumerate() {
        for x in 0..width {
            // A quick test first: it is off both neighbours of its row by as much.
            let (left, right) = (row[x.saturating_sub(1)], row[(x + 1).min(width - 1)]);
            let off = |other: f32| (row[x] - other).abs() > least;
            let beside = (x == 0 || off(left)) && (x + 1 == width || off(right));
            if beside && is_lone(&sums, width, x, y, least) {
                found.push((x, y));
            }
        }
    }
    let mended: Vec<[f32; 3]> = found
        .iter()
        .map(|&(x, y)| {
            let of = |c: usize| {
                median(&mut around(width, height, x, y).map(|n| pixels[n][c]).collect::<Vec<_>>())
            };
            [of(0), of(1), of(2)]
        })
        .collect();
    for ((x, y), light) in found.iter().zip(mended) {
        pixels[y * width + x] = light;
    }
    found.len()
}

/// Typical noise of one pixel, from the second differences along rows.
fn noise(sums: &[f32], width: usize) -> f32 {
    let rows = sums.chunks_exact(width);
    let second = |near: &[f32]| (near[1] - 0.5 * (near[0] + near[2])).abs();
    let mut off: Vec<f32> = rows.flat_map(|row| row.windows(3).step_by(11).map(second)).collect();
    1.4826 * median(&mut off) / 1.5f32.sqrt()
}

fn is_lone(sums: &[f32], width: usize, x: usize, y: usize, least: f32) -> bool {
    let height = sums.len() / width;
    let mut ring = Vec::with_capacity(16);
    let (mut most, mut beside, mut count) = (0.0f32, 0.0, 0.0);
    for row in y.saturating_sub(2)..(y + 3).min(height) {
        for column in x.saturating_sub(2)..(x + 3).min(width) {
            if row.abs_diff(y).max(column.abs_diff(x)) == 2 {
                ring.push(sums[row * width + column]);
            }
        }
    }
    let base = median(&mut ring);
    let peak = sums[y * width + x] - base;
    for n in around(width, height, x, y) {
        // How far it is off to the same side.
        let off = (sums[n] - base) * peak.signum();
        most = most.max(off);
        if n / width == y || n % width == x {
            beside += off;
            count += 1.0;
        }
    }
    let peak = peak.abs();
    peak > least && beside < NARROW * peak * count && most < WIRE * peak
}

/// The neighbours of a pixel that lie inside the picture.
fn around(width: usize, height: usize, x: usize, y: usize) -> impl Iterator<Item = usize> {
    let rows = y.saturating_sub(1)..(y + 2).min(height);
    rows.flat_map(move |row| {
        let columns = x.saturating_sub(1)..(x + 2).min(width);
        columns.map(move |column| row * width + column)
    })
    .filter(move |n| *n != y * width + x)
}

#[cfg(test)]
mod tests {
    use super::*;

    const WIDE: usize = 64;

    fn noisy() -> Vec<f32> {
        let noise = |i: usize| ((i * 7919 % 101) as f32 / 101.0 - 0.5) * 0.01;
        (0..WIDE * 48 * 3).map(|i| 0.1 + noise(i)).collect()
    }

    fn add(light: &mut [f32], x: usize, y: usize, by: [f32; 3]) {
        let pixel = &mut light[(y * WIDE + x) * 3..][..3];
        pixel.iter_mut().zip(by).for_each(|(v, by)| *v += by);
    }

    #[test]
    fn a_flaw_is_mended_wherever_it_lies() {
        let places = [(20, 20), (0, 0), (63, 10), (30, 47)];
        let mut light = noisy();
        for (x, y) in places {
            add(&mut light, x, y, [0.4, 0.1, 0.0]);
        }
        add(&mut light, 40, 30, [-0.06, -0.06, -0.08]);
        assert_eq!(mend(&mut light, WIDE), 5);
        assert!(light.iter().all(|v| (v - 0.1).abs() < 0.006));
    }

    #[test]
    fn what_a_lens_draws_is_left_alone() {
        let mut light = noisy();
        // A lamp as narrow as a sharp lens images it, a wire one pixel wide, and an edge.
        for dy in -2i32..=2 {
            for dx in -2i32..=2 {
                let share = (-0.5 * (dx * dx + dy * dy) as f32 / 0.7f32.powi(2)).exp();
                add(&mut light, (20 + dx) as usize, (20 + dy) as usize, [0.5 * share; 3]);
            }
        }
        for i in 0..40 {
            add(&mut light, 20 + i, 4 + i, [0.3; 3]);
        }
        for y in 0..48 {
            (50..WIDE).for_each(|x| add(&mut light, x, y, [0.5; 3]));
        }
        let before = light.clone();
        assert_eq!(mend(&mut light, WIDE), 0);
        assert_eq!(light, before);
        let mut drawn = vec![0.1; WIDE * 48 * 3];
        add(&mut drawn, 20, 20, [0.5; 3]);
        assert_eq!(mend(&mut drawn, WIDE), 0);
    }
}
