//! What is out of focus, spread over the disc that a lens draws of a point.

use rayon::prelude::*;

/// Values of four channels on a grid: colour, already multiplied by how much of a place is covered,
/// and that itself.
#[derive(Clone)]
pub struct Sheet {
    /// Left top on the canvas.
    pub corner: [usize; 2],
    /// Width and height.
    pub size: [usize; 2],
    /// Red, green, blue, covered; row by row.
    pub values: Vec<[f32; 4]>,
}

/// Discs of this radius in pixels or larger are drawn at half the size: what they leave is so smooth
/// that it is hardly seen, and takes an eighth of the time.
const LARGE: f64 = 24.0;

impl Sheet {
    /// Spread over a disc of `radius` pixels, its edge through pixels in part. What lies beyond the
    /// sheet is empty; the sheet has room for what spreads.
    pub fn spread(&self, radius: f64) -> Self {
        if radius < 0.25 {
            return self.clone();
        }
        if radius >= LARGE {
            return self.like(&self.halved().spread(radius / 2.0));
        }
        let [width, height] = self.size;
        let chords = chords(radius);
        let area: f64 = chords.iter().map(|(_, half)| 2.0 * half).sum();
        let sums = self.sums();
        let mut values = vec![[0.0f32; 4]; self.values.len()];
        values.par_chunks_mut(width).enumerate().for_each(|(y, out)| {
            let mut total = vec![[0.0f64; 4]; width];
            for (dy, half) in &chords {
                let row = y as i64 + dy;
                if !(0..height as i64).contains(&row) {
                    continue;
                }
                let sums = &sums[row as usize * (width + 1)..][..width + 1];
                add_chord(&mut total, sums, *half);
            }
            for (out, total) in out.iter_mut().zip(&total) {
                *out = total.map(|v| (v / area) as f32);
            }
        });
        Self { values, ..*self }
    }

    /// Means of two by two pixels; beyond the sheet it is empty.
    fn halved(&self) -> Self {
        let [width, height] = self.size;
        let size = self.size.map(|n| n.div_ceil(2));
        let mut values = vec![[0.0f32; 4]; size[0] * size[1]];
        values.par_chunks_mut(size[0]).enumerate().for_each(|(y, out)| {
            for row in self.values[2 * y * width..(2 * y + 2).min(height) * width].chunks(width) {
                for (out, pair) in out.iter_mut().zip(row.chunks(2)) {
                    for sample in pair {
                        (0..4).for_each(|c| out[c] += sample[c] / 4.0);
                    }
                }
            }
        });
        Self { corner: [0, 0], size, values }
    }

    /// A sheet of half its size at its own, by straight lines between the middles of pixels.
    fn like(&self, half: &Self) -> Self {
        let [width, height] = self.size;
        // The nearer of two counts three times; beyond the sheet it is empty.
        let places = |at: usize| {
            let near = (at / 2) as isize;
            [(near, 0.75), (near + if at.is_multiple_of(2) { -1 } else { 1 }, 0.25)]
        };
        let at = |x: isize, y: isize| -> [f32; 4] {
            let [across, down] = half.size.map(|n| n as isize);
            let inside = (0..across).contains(&x) && (0..down).contains(&y);
            if inside { half.values[(y * across + x) as usize] } else { [0.0; 4] }
        };
        let mut values = vec![[0.0f32; 4]; width * height];
        values.par_chunks_mut(width).enumerate().for_each(|(y, out)| {
            let rows = places(y);
            for (x, out) in out.iter_mut().enumerate() {
                for ((column, share), (row, part)) in
                    places(x).into_iter().flat_map(|column| rows.map(|row| (column, row)))
                {
                    let light = at(column, row);
                    (0..4).for_each(|c| out[c] += share * part * light[c]);
                }
            }
        });
        Self { values, ..*self }
    }

    /// Sums along each row up to every pixel's left edge, and to the last one's right edge.
    fn sums(&self) -> Vec<[f64; 4]> {
        let width = self.size[0];
        let mut sums = vec![[0.0f64; 4]; (width + 1) * self.size[1]];
        let rows = sums.par_chunks_mut(width + 1).zip(self.values.par_chunks(width));
        rows.for_each(|(sums, row)| {
            for (x, value) in row.iter().enumerate() {
                sums[x + 1] = std::array::from_fn(|c| sums[x][c] + f64::from(value[c]));
            }
        });
        sums
    }

    /// The rows of it from one row of the canvas to another, as far as it has them.
    pub fn rows(&self, from: usize, to: usize) -> Self {
        let (top, low) = (self.corner[1], self.corner[1] + self.size[1]);
        let (from, to) = (from.clamp(top, low), to.clamp(top, low));
        let width = self.size[0];
        let values = self.values[(from - top) * width..(to - top) * width].to_vec();
        Self { corner: [self.corner[0], from], size: [width, to - from], values }
    }

    /// Lays the sheet over what is behind it, which is `width` pixels wide.
    pub fn over(&self, behind: &mut [[f32; 3]], width: usize) {
        let [left, top] = self.corner;
        behind.par_chunks_mut(width).skip(top).zip(self.values.par_chunks(self.size[0])).for_each(
            |(behind, front)| {
                for (behind, pixel) in behind[left..].iter_mut().zip(front) {
                    *behind = std::array::from_fn(|c| behind[c] * (1.0 - pixel[3]) + pixel[c]);
                }
            },
        );
    }
}

/// For each row that a disc reaches, half of how wide it is there, taken as a mean over the row.
fn chords(radius: f64) -> Vec<(i64, f64)> {
    const PARTS: i64 = 8;
    let reach = (radius + 0.5).floor() as i64;
    let half = |dy: i64| {
        let part = |k: i64| {
            let y = dy as f64 + (k as f64 + 0.5) / PARTS as f64 - 0.5;
            (radius * radius - y * y).max(0.0).sqrt()
        };
        (0..PARTS).map(part).sum::<f64>() / PARTS as f64
    };
    (-reach..=reach).map(|dy| (dy, half(dy))).collect()
}

/// Adds to each pixel of a row the light within `half` pixels on either side of its middle.
fn add_chord(total: &mut [[f64; 4]], sums: &[[f64; 4]], half: f64) {
    let width = total.len();
    let first = [0.5 - half, 0.5 + half].map(f64::floor);
    let [part, more] = [0.5 - half - first[0], 0.5 + half - first[1]];
    // Where both ends lie within the row, they lie alike between two edges of pixels.
    let from = (-first[0]).max(0.0) as usize;
    let end = width.saturating_sub(first[1] as usize).max(from);
    if from < end {
        let edges = |first: f64| {
            let at = (from as f64 + first) as usize;
            let count = end - from;
            sums[at..at + count].iter().zip(&sums[at + 1..at + 1 + count])
        };
        let ends = edges(first[0]).zip(edges(first[1]));
        for (total, ((a, b), (c, d))) in total[from..end].iter_mut().zip(ends) {
            (0..4).for_each(|i| {
                total[i] += c[i] + more * (d[i] - c[i]) - (a[i] + part * (b[i] - a[i]));
            });
        }
    }
    for x in (0..from.min(width)).chain(end..width) {
        let [low, high] = [-half, half].map(|reach| between(sums, x as f64 + 0.5 + reach));
        (0..4).for_each(|c| total[x][c] += high[c] - low[c]);
    }
}

/// A sum up to a place between two edges of pixels; nothing is added beyond the ends.
fn between(sums: &[[f64; 4]], at: f64) -> [f64; 4] {
    let at = at.clamp(0.0, sums.len() as f64 - 1.0);
    let first = (at as usize).min(sums.len() - 2);
    let part = at - first as f64;
    let (here, next) = (sums[first], sums[first + 1]);
    std::array::from_fn(|c| here[c] + part * (next[c] - here[c]))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A sheet with one bright pixel in its middle.
    fn point() -> Sheet {
        let mut values = vec![[0.0; 4]; 41 * 41];
        values[20 * 41 + 20] = [1.0, 0.5, 0.25, 1.0];
        Sheet { corner: [0, 0], size: [41, 41], values }
    }

    #[test]
    fn a_point_becomes_an_even_disc_of_the_same_light() {
        for radius in [0.8, 3.3, 12.0] {
            let disc = point().spread(radius);
            let sum: f32 = disc.values.iter().map(|v| v[0]).sum();
            assert!((sum - 1.0).abs() < 1e-4, "{sum} of the light at {radius}");
            let even = 1.0 / (std::f64::consts::PI * radius * radius);
            for (i, value) in disc.values.iter().enumerate() {
                let (x, y) = ((i % 41) as f64 - 20.0, (i / 41) as f64 - 20.0);
                let expected = match x.hypot(y) {
                    far if far > radius + 1.0 => 0.0,
                    near if near < radius - 1.0 => even,
                    _ => continue,
                };
                let off = (f64::from(value[3]) - expected).abs();
                assert!(off < 0.03 * even, "{value:?} instead of {expected} at {x}, {y}");
            }
        }
    }

    #[test]
    fn a_chord_holds_the_same_light_within_a_row_and_over_its_ends() {
        for width in [1usize, 2, 3, 9, 40] {
            let row: Vec<f64> = (0..width).map(|x| (x * x % 7) as f64 + 0.5).collect();
            let up_to = |x: usize| [1.0, 2.0, 0.0, 0.5].map(|c| c * row[..x].iter().sum::<f64>());
            let sums: Vec<[f64; 4]> = (0..=width).map(up_to).collect();
            for half in [0.0, 0.3, 0.5, 1.0, 2.7, 6.5, 30.0] {
                let mut total = vec![[0.0; 4]; width];
                add_chord(&mut total, &sums, half);
                for (x, total) in total.iter().enumerate() {
                    // Each pixel counts by how much of it the chord covers.
                    let (low, high) = (x as f64 + 0.5 - half, x as f64 + 0.5 + half);
                    let part = |i: usize| (high.min(i as f64 + 1.0) - low.max(i as f64)).max(0.0);
                    let light: f64 = row.iter().enumerate().map(|(i, v)| v * part(i)).sum();
                    let expected = [1.0, 2.0, 0.0, 0.5].map(|c| c * light);
                    for (value, expected) in total.iter().zip(expected) {
                        assert!((value - expected).abs() < 1e-9, "{half} at {x} of {width}");
                    }
                }
            }
        }
    }

    #[test]
    fn large_discs_are_as_they_would_be_at_full_size() {
        // A square of light, as wide as the discs are, at an odd place.
        let (width, height) = (161usize, 150usize);
        let lit = |i: usize| (50..97).contains(&(i % width)) && (53..90).contains(&(i / width));
        let values: Vec<[f32; 4]> = (0..width * height)
            .map(|i| if lit(i) { [0.6, 0.4, 0.2, 1.0] } else { [0.0; 4] })
            .collect();
        let sheet = Sheet { corner: [3, 4], size: [width, height], values };
        let radius = LARGE + 2.0;
        let half = sheet.spread(radius);
        assert_eq!((half.corner, half.size), ([3, 4], [width, height]));
        // Just below, all of it is at full size.
        let (below, beside) = (sheet.spread(LARGE - 0.01), sheet.spread(LARGE));
        let pairs = beside.values.iter().flatten().zip(below.values.iter().flatten());
        let off: Vec<f32> = pairs.map(|(half, full)| (half - full).abs()).collect();
        let worst = off.iter().copied().fold(0.0, f32::max);
        let mean = off.iter().sum::<f32>() / off.len() as f32;
        // The disc's edge is softer by a pixel, whose slope there is up to 2 sqrt(2 r) / (pi r^2), from
        // both sides of the square.
        let slope = 2.0 * (2.0 * LARGE).sqrt() / (std::f64::consts::PI * LARGE * LARGE);
        assert!(f64::from(worst) < 2.0 * slope, "{worst} at worst");
        assert!(mean < 0.0005, "{mean} in the mean");
        let light = |sheet: &Sheet| sheet.values.iter().map(|v| f64::from(v[0])).sum::<f64>();
        assert!((light(&half) / light(&sheet) - 1.0).abs() < 1e-3);
    }

    #[test]
    fn what_is_covered_half_shows_half_of_what_is_behind() {
        let mut behind = vec![[1.0f32; 3]; 50 * 50];
        let values = vec![[0.1, 0.2, 0.3, 0.5]; 100];
        Sheet { corner: [7, 9], size: [10, 10], values }.over(&mut behind, 50);
        assert_eq!(behind[9 * 50 + 7], [0.6, 0.7, 0.8]);
        assert_eq!((behind[8 * 50 + 7], behind[9 * 50 + 17]), ([1.0; 3], [1.0; 3]));
    }
}
