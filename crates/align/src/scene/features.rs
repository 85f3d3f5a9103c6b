//! Corners that can be recognised: where the structure tensor is strong in both directions (Shi &
//! Tomasi 1994), described by comparisons of brightness in pairs of positions that rotate with the
//! corner (after Calonder et al. 2010 and Rublee et al. 2011).

use super::sketch::Sketch;

/// A corner of a sketch.
#[derive(Debug, Clone)]
pub struct Corner {
    /// Place in pixels of the sketch.
    pub at: [f64; 2],
    /// Outcomes of the comparisons.
    pub description: [u64; 4],
}

/// Reach of a description around its corner in pixels.
const REACH: i64 = 15;
/// Cells along both sides over which corners are distributed.
const CELLS: [usize; 2] = [16, 11];
/// Most corners of one cell.
const PER_CELL: usize = 8;

/// The corners of a sketch, spread over it; the first ones are the strongest of their parts.
pub fn corners(sketch: &Sketch) -> Vec<Corner> {
    let smooth = sketch.smoothed(3);
    let strength = strengths(&smooth);
    let (width, height) = (sketch.width, sketch.height);
    let border = REACH as usize + 7;
    if width <= 2 * border || height <= 2 * border {
        return vec![];
    }
    let mut cells: Vec<Vec<(f32, usize)>> = vec![vec![]; CELLS[0] * CELLS[1]];
    for y in border..height - border {
        for x in border..width - border {
            let at = y * width + x;
            let value = strength[at];
            if value <= 0.0 {
                continue;
            }
            let peak = (0..5).all(|dy| {
                let from = at + dy * width - 2 * width - 2;
                strength[from..from + 5]
                    .iter()
                    .enumerate()
                    .all(|(dx, &v)| if (dy, dx) <= (2, 2) { v <= value } else { v < value })
            });
            if peak {
                let cell = y * CELLS[1] / height * CELLS[0] + x * CELLS[0] / width;
                cells[cell].push((value, at));
            }
        }
    }
    let pattern = pattern();
    let mut all = Vec::new();
    for cell in &mut cells {
        cell.sort_by(|a, b| b.0.total_cmp(&a.0));
        for (rank, &(strength, at)) in cell.iter().take(PER_CELL).enumerate() {
            let (x, y) = (at % width, at / width);
            let description = describe(&smooth, x, y, &pattern);
            all.push((rank, strength, Corner { at: [x as f64, y as f64], description }));
        }
    }
    // The best of each cell before the second best of any.
    all.sort_by(|a, b| a.0.cmp(&b.0).then(b.1.total_cmp(&a.1)));
    all.into_iter().map(|(_, _, corner)| corner).collect()
}

/// Smaller eigenvalue of the structure tensor over 5 x 5 pixels.
fn strengths(smooth: &Sketch) -> Vec<f32> {
    let (width, height) = (smooth.width, smooth.height);
    let mut products = [(); 3].map(|()| vec![0.0f32; width * height]);
    for y in 1..height.saturating_sub(1) {
        for x in 1..width.saturating_sub(1) {
            let at = y * width + x;
            let gx = smooth.values[at + 1] - smooth.values[at - 1];
            let gy = smooth.values[at + width] - smooth.values[at - width];
            products[0][at] = gx * gx;
            products[1][at] = gy * gy;
            products[2][at] = gx * gy;
        }
    }
    let [xx, yy, xy] = products.map(|p| boxed(&p, width, 2));
    xx.iter()
        .zip(&yy)
        .zip(&xy)
        .map(|((xx, yy), xy)| 0.5 * (xx + yy) - (0.25 * (xx - yy) * (xx - yy) + xy * xy).sqrt())
        .collect()
}

/// Sums over squares of `2 reach + 1` pixels; zero where the square leaves the picture.
fn boxed(values: &[f32], width: usize, reach: usize) -> Vec<f32> {
    let height = values.len() / width;
    let mut across = vec![0.0; values.len()];
    for (to, row) in across.chunks_exact_mut(width).zip(values.chunks_exact(width)) {
        for x in reach..width.saturating_sub(reach) {
            to[x] = row[x - reach..=x + reach].iter().sum();
        }
    }
    let mut out = vec![0.0; values.len()];
    for y in reach..height.saturating_sub(reach) {
        for row in y - reach..=y + reach {
            let (to, from) = (&mut out[y * width..(y + 1) * width], &across[row * width..]);
            to.iter_mut().zip(from).for_each(|(to, v)| *to += v);
        }
    }
    out
}

type Pattern = [([f32; 2], [f32; 2]); 256];

/// Pairs of positions around a corner, denser near it; always the same.
fn pattern() -> Pattern {
    let mut state = 0x9e37_79b9_7f4a_7c15u64;
    let mut next = || {
        // SplitMix64 (Steele et al. 2014).
        state = state.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = state;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 40) as f32 / (1u64 << 24) as f32
    };
    let mut place = || loop {
        let spread = |a: f32, b: f32| (a + b - 1.0) * 13.0;
        let (x, y) = (spread(next(), next()), spread(next(), next()));
        if x.hypot(y) <= 13.0 {
            return [x, y];
        }
    };
    std::array::from_fn(|_| (place(), place()))
}

fn describe(smooth: &Sketch, x: usize, y: usize, pattern: &Pattern) -> [u64; 4] {
    let value = |dx: i64, dy: i64| {
        let at = (y as i64 + dy) * smooth.width as i64 + x as i64 + dx;
        smooth.values[at as usize]
    };
    // The direction to the bright side.
    let (mut mx, mut my) = (0.0f32, 0.0f32);
    for dy in -REACH..=REACH {
        for dx in -REACH..=REACH {
            if dx * dx + dy * dy <= REACH * REACH {
                let v = value(dx, dy);
                mx += v * dx as f32;
                my += v * dy as f32;
            }
        }
    }
    let (s, c) = my.atan2(mx).sin_cos();
    let turned = |[px, py]: [f32; 2]| {
        value((c * px - s * py).round() as i64, (s * px + c * py).round() as i64)
    };
    let mut bits = [0u64; 4];
    for (i, (a, b)) in pattern.iter().enumerate() {
        if turned(*a) < turned(*b) {
            bits[i / 64] |= 1 << (i % 64);
        }
    }
    bits
}

/// Pairs of corners (index of the first list, index of the second) that are each other's best
/// match, and clearly better than the second best.
pub fn pairs(from: &[Corner], to: &[Corner]) -> Vec<(usize, usize)> {
    let best = |one: &Corner, all: &[Corner]| -> Option<(usize, u32, u32)> {
        let (mut place, mut least, mut second) = (None, u32::MAX, u32::MAX);
        for (i, other) in all.iter().enumerate() {
            let apart = one.description.iter().zip(&other.description);
            let apart: u32 = apart.map(|(a, b)| (a ^ b).count_ones()).sum();
            if apart < least {
                second = least;
                (place, least) = (Some(i), apart);
            } else if apart < second {
                second = apart;
            }
        }
        place.map(|p| (p, least, second))
    };
    let back: Vec<Option<usize>> = to.iter().map(|c| best(c, from).map(|b| b.0)).collect();
    let found = from.iter().enumerate().filter_map(|(i, corner)| {
        let (j, least, second) = best(corner, to)?;
        let clear = least < 72 && (least as f32) < 0.9 * second as f32;
        (clear && back[j] == Some(i)).then_some((i, j))
    });
    found.collect()
}
