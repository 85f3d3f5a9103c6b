//! Directional interpolation with a posteriori decision (Menon, Andriani and Calvagno 2007): green
//! is interpolated along rows and along columns, the direction with smaller changes of colour is
//! chosen, and red and blue follow it.

use super::band::{Band, MARGIN};
use multiversion::multiversion;

/// Planes of a band with its margins. At a photosite of red or blue, a difference is that colour
/// minus green; at one of green it is 0.
#[derive(Default)]
pub struct Scratch {
    /// Differences with green interpolated along rows, and along columns.
    along: [Vec<f32>; 2],
    /// Changes of those differences from one photosite of the colour to the next.
    changes: [Vec<f32>; 2],
    /// Differences in the chosen direction.
    chosen: Vec<f32>,
    /// At photosites of green, blue minus red.
    apart: Vec<f32>,
    /// Whether the direction along the row was chosen.
    rows: Vec<bool>,
}

/// Chooses the direction at each photosite, and its difference to green.
fn choose_ways(band: &Band, scratch: &mut Scratch) {
    let stride = band.stride();
    let height = band.size[1] + 2 * MARGIN;
    let Scratch { along, changes, chosen, rows, .. } = scratch;
    for plane in along.iter_mut().chain(changes.iter_mut()).chain([&mut *chosen]) {
        plane.resize(stride * height, 0.0);
    }
    rows.resize(stride * height, true);
    // Each step needs less of the margin than the one before.
    let each = |margin: usize| (margin..height - margin).map(move |y| (y, y * stride));
    let part = |at: usize, off: isize| worked_on(at, off, stride);
    let s = stride as isize;
    for (y, row) in each(2) {
        let at = row + REACH;
        for (along, step) in along.iter_mut().zip([1, s]) {
            let near = [-step, step, -2 * step, 2 * step, 0];
            let near = near.map(|off| &band.light[part(at, off)]);
            let out = part(at, 0);
            difference(near, &mut along[out]);
            // Where green was recorded, nothing is missing.
            let green = usize::from(band.colour(REACH, y) != 1);
            along[at + green..at + stride - 2 * REACH].iter_mut().step_by(2).for_each(|v| *v = 0.0);
        }
    }
    for (_, row) in each(4) {
        let at = row + REACH;
        for ((change, along), step) in changes.iter_mut().zip(along.iter()).zip([1, s]) {
            let (here, next) = (part(at, 0), part(at, 2 * step));
            let out = part(at, 0);
            apart_by(&along[here], &along[next], &mut change[out]);
        }
    }
    for (_, row) in each(7) {
        let at = row + REACH;
        let [across, down] = [(1, s), (s, 1)].map(|(step, side)| {
            let change = &changes[usize::from(step != 1)];
            let offs = [
                0,
                -2 * step,
                -2 * side,
                -2 * side - 2 * step,
                2 * side,
                2 * side - 2 * step,
                -side - step,
                side - step,
            ];
            offs.map(|off| &change[part(at, off)])
        });
        let here = part(at, 0);
        let both = [0, 1].map(|way| &along[way][here.clone()]);
        choose(across, down, both, &mut rows[here.clone()], &mut chosen[here]);
    }
}

/// The columns of a row that are worked on, or as many with an offset.
fn worked_on(at: usize, off: isize, stride: usize) -> std::ops::Range<usize> {
    let from = (at as isize + off) as usize;
    from..from + stride - 2 * REACH
}

pub fn green(band: &Band, scratch: &mut Scratch, out: &mut [f32]) {
    choose_ways(band, scratch);
    let stride = band.stride();
    for (y, out) in out.chunks_exact_mut(band.size[0]).enumerate() {
        let here = (y + MARGIN) * stride + MARGIN..(y + MARGIN) * stride + stride - MARGIN;
        // At photosites of green there is nothing to subtract.
        let pixels = band.light[here.clone()].iter().zip(&scratch.chosen[here]);
        out.iter_mut().zip(pixels).for_each(|(out, (value, chosen))| *out = value - chosen);
    }
}

pub fn demosaic(band: &Band, scratch: &mut Scratch, out: &mut [f32]) {
    choose_ways(band, scratch);
    let stride = band.stride();
    let height = band.size[1] + 2 * MARGIN;
    let Scratch { chosen, apart, rows, .. } = scratch;
    apart.resize(stride * height, 0.0);
    let s = stride as isize;
    let part = |at: usize, off: isize| worked_on(at, off, stride);
    for y in 8..height - 8 {
        let at = y * stride + REACH;
        let near = [-1, 1, -s, s].map(|off| &chosen[part(at, off)]);
        let out = part(at, 0);
        // In a row of red, neighbours left and right are red, those above and below blue.
        let sign = if has_red(band, y) { 1.0 } else { -1.0 };
        between(near, sign, &mut apart[out]);
    }
    for (y, out) in out.chunks_exact_mut(band.size[0] * 3).enumerate() {
        let y = y + MARGIN;
        let from = y * stride + MARGIN;
        let red = has_red(band, y);
        let green = usize::from(band.colour(MARGIN, y) != 1);
        let pixels = out.as_chunks_mut::<3>().0;
        for (x, pixel) in pixels.iter_mut().enumerate().skip(green).step_by(2) {
            let (at, value) = (from + x, band.light[from + x]);
            let beside = (chosen[at - 1] + chosen[at + 1]) / 2.0;
            let above = (chosen[at - stride] + chosen[at + stride]) / 2.0;
            *pixel = match red {
                true => [value + beside, value, value + above],
                false => [value + above, value, value + beside],
            };
        }
        for (x, pixel) in pixels.iter_mut().enumerate().skip(1 - green).step_by(2) {
            let (at, value) = (from + x, band.light[from + x]);
            let step = if rows[at] { 1 } else { stride };
            let apart = (apart[at - step] + apart[at + step]) / 2.0;
            *pixel = match red {
                true => [value, value - chosen[at], value + apart],
                false => [value - apart, value - chosen[at], value],
            };
        }
    }
}

/// Whether a row holds photosites of red.
fn has_red(band: &Band, y: usize) -> bool {
    band.colour(0, y) == 0 || band.colour(1, y) == 0
}

/// Columns at either end that are not worked on, as they lack neighbours.
const REACH: usize = 3;

/// A colour minus green, from the neighbours `before` and `after`, those two away, and the sample
/// itself.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
fn difference([before, after, before2, after2, here]: [&[f32]; 5], out: &mut [f32]) {
    for i in 0..out.len() {
        let green = (before[i] + after[i]) / 2.0 + (2.0 * here[i] - before2[i] - after2[i]) / 4.0;
        out[i] = here[i] - green;
    }
}

#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
fn apart_by(here: &[f32], next: &[f32], out: &mut [f32]) {
    for ((out, a), b) in out.iter_mut().zip(here).zip(next) {
        *out = (a - b).abs();
    }
}

/// Chooses the direction with smaller changes around a photosite.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
fn choose(
    across: [&[f32]; 8],
    down: [&[f32]; 8],
    both: [&[f32]; 2],
    rows: &mut [bool],
    chosen: &mut [f32],
) {
    let count = chosen.len();
    let (across, down, both) =
        (across.map(|v| &v[..count]), down.map(|v| &v[..count]), both.map(|v| &v[..count]));
    let rows = &mut rows[..count];
    for i in 0..count {
        let [across, down] = [&across, &down].map(|v| {
            3.0 * (v[0][i] + v[1][i]) + v[2][i] + v[3][i] + v[4][i] + v[5][i] + v[6][i] + v[7][i]
        });
        rows[i] = across <= down;
        chosen[i] = if rows[i] { both[0][i] } else { both[1][i] };
    }
}

/// Half of what lies above and below minus what lies on both sides.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
fn between([before, after, above, below]: [&[f32]; 4], sign: f32, out: &mut [f32]) {
    for i in 0..out.len() {
        out[i] = sign * (above[i] + below[i] - before[i] - after[i]) / 2.0;
    }
}
