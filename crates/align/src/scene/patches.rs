//! Subpixel shifts of patches of the reference frame in a frame whose motion is nearly known, by
//! inverse-compositional Gauss-Newton on brightness differences with gain and offset (Lucas &
//! Kanade 1981; Baker & Matthews 2004). Where blur differs, it also measures how much of a patch's
//! fine detail is visible.

use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_optics::resample::{self, Scratch};
use jade_optics::space::{InFrame, InReference};
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::progress::Watch;
use multiversion::multiversion;
use nalgebra::{SMatrix, SVector};
use std::sync::LazyLock;

/// Half the side of a patch in pixels.
const HALF: usize = 32;
/// Pixels around a patch that its shift and the smoothing may reach.
const MARGIN: usize = 8;
/// Larger shifts are considered something else that moved, in pixels.
const FURTHEST: f64 = 5.0;
const SIDE: usize = 2 * HALF + 1;
const OUTER: usize = SIDE + 2 * MARGIN;
/// Rounds of smoothing that blur a patch: a Gaussian of 2.4 pixels.
const BLURS: usize = 3;
/// Most values that are fitted to a patch: its shift, gain, offset, and the gain of its blurred
/// version.
const VALUES: usize = 5;

/// How the blur of two pictures compares.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Blur {
    /// Practically alike.
    Alike,
    /// Different from place to place, as the focus moves.
    Changing,
}

/// One patch seen in both pictures.
#[derive(Debug, Clone, Copy)]
pub struct Sighting {
    /// Position in the frame in pixels.
    pub at: [f64; 2],
    /// Position in the reference frame in pixels.
    pub reference: [f64; 2],
    /// Expected error along one axis in pixels, relative to the other patches'.
    pub error: f64,
    /// Strength of its fine detail in the frame, relative to the reference frame: 1 where both are
    /// as sharp, or where blur is assumed alike.
    pub detail: f64,
}

/// Patches of the reference picture, prepared for searching.
pub struct Patches {
    places: Vec<Region>,
    templates: Vec<Template>,
    roots: bool,
}

/// A patch of the reference picture, smoothed, with precomputed values.
struct Template {
    /// Values minus their mean, and slopes along x and y; [`SIDE`] x [`SIDE`].
    values: Vec<f32>,
    slopes: [Vec<f32>; 2],
    /// The values blurred; empty where blur is alike.
    blurred: Vec<f32>,
    /// Inverse of the normal equations.
    inverse: SMatrix<f64, VALUES, VALUES>,
    /// Weighted variance of the values.
    contrast: f64,
}

impl Patches {
    /// Takes patches around positions of the reference picture that lie far enough inside. With
    /// `roots`, brightness is compared by its square root, which equalises the noise of shadows and
    /// highlights.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn new(
        reference: &dyn Light,
        places: impl Iterator<Item = [f64; 2]>,
        roots: bool,
        blur: Blur,
    ) -> Result<Self, PictureError> {
        let (width, height) = reference.size();
        let reach = (HALF + MARGIN) as i64;
        let places: Vec<Region> = places
            .filter_map(|[x, y]| {
                let (x, y) = (x.round() as i64 - reach, y.round() as i64 - reach);
                let side = OUTER as i64;
                let inside =
                    x >= 0 && y >= 0 && x + side <= width as i64 && y + side <= height as i64;
                let (x, y, side) = (x as u32, y as u32, OUTER as u32);
                inside.then_some(Region { x, y, width: side, height: side })
            })
            .collect();
        let mut kept = Self { places: vec![], templates: vec![], roots };
        for place in places {
            let planes = reference.planes(place)?;
            // A patch without detail in both directions has no shift to tell.
            let outer = smoothed(grey(planes.each_ref(), roots));
            if let Some(template) = Template::new(outer, blur) {
                kept.places.push(place);
                kept.templates.push(template);
            }
        }
        Ok(kept)
    }

    /// Number of patches.
    pub fn count(&self) -> usize {
        self.places.len()
    }

    /// Searches for patches, those at positions that count, in a frame whose motion is known to a
    /// few pixels.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] when `watch` says so.
    pub fn find(
        &self,
        frame: &dyn Light,
        motion: &Motion,
        counts: &dyn Fn([f64; 2]) -> bool,
        watch: &dyn Watch,
    ) -> Result<Vec<Sighting>, PictureError> {
        let backward = motion.backward();
        let mut scratch = Scratch::default();
        let mut planes = [(); 3].map(|()| vec![0.0; OUTER * OUTER]);
        let mut found = Vec::new();
        for (place, template) in self.places.iter().zip(&self.templates) {
            if watch.cancelled() {
                return Err(PictureError::Cancelled);
            }
            let middle = [place.x, place.y].map(|v| v as f64 + (HALF + MARGIN) as f64);
            if !counts(middle) {
                continue;
            }
            let out = planes.each_mut().map(Vec::as_mut_slice);
            if resample::read(frame, &backward, InReference(*place), out, &mut scratch)?.is_some() {
                continue;
            }
            let patch = smoothed(grey(planes.each_ref(), self.roots));
            let Some(Shift { by, error, detail }) = template.shift(&patch) else { continue };
            let moved = InReference([middle[0] + by[0], middle[1] + by[1]]);
            let InFrame(at) = backward.to_frame(moved);
            found.push(Sighting { at, reference: middle, error, detail });
        }
        Ok(found)
    }
}

fn grey([red, green, blue]: [&Vec<f32>; 3], roots: bool) -> Vec<f32> {
    let means = red.iter().zip(green).zip(blue).map(|((r, g), b)| (r + g + b) / 3.0);
    match roots {
        true => means.map(|v| v.max(0.0).sqrt()).collect(),
        false => means.collect(),
    }
}

/// Two passes of (1 4 6 4 1), a Gaussian of 1.4 pixels, so that noise and the sampling grid do not
/// influence the measured shift.
fn smoothed(mut values: Vec<f32>) -> Vec<f32> {
    let mut other = values.clone();
    for _ in 0..2 {
        for (to, row) in other.chunks_exact_mut(OUTER).zip(values.chunks_exact(OUTER)) {
            for x in 2..OUTER - 2 {
                to[x] = (row[x - 2] + row[x + 2] + 4.0 * (row[x - 1] + row[x + 1]) + 6.0 * row[x])
                    / 16.0;
            }
        }
        for y in 2..OUTER - 2 {
            for x in 0..OUTER {
                let row = |d: usize| other[(y + d - 2) * OUTER + x];
                values[y * OUTER + x] =
                    (row(0) + row(4) + 4.0 * (row(1) + row(3)) + 6.0 * row(2)) / 16.0;
            }
        }
        other.copy_from_slice(&values);
    }
    values
}

/// The inner part of a patch, with an offset to the right and down.
fn inner(outer: &[f32], [dx, dy]: [usize; 2]) -> Vec<f32> {
    let from = MARGIN - 1;
    (0..SIDE * SIDE).map(|i| outer[(i / SIDE + from + dy) * OUTER + i % SIDE + from + dx]).collect()
}

impl Template {
    fn new(outer: Vec<f32>, blur: Blur) -> Option<Self> {
        let total: f32 = WINDOW.iter().sum();
        let window = inner(&outer, [1, 1]);
        let mean = window.iter().zip(WINDOW.iter()).map(|(v, w)| v * w).sum::<f32>() / total;
        let from_mean =
            |values: Vec<f32>| -> Vec<f32> { values.iter().map(|v| v - mean).collect() };
        let values = from_mean(window);
        let slope = |after: [usize; 2], before: [usize; 2]| -> Vec<f32> {
            let (after, before) = (inner(&outer, after), inner(&outer, before));
            after.iter().zip(&before).map(|(a, b)| 0.5 * (a - b)).collect()
        };
        let slopes = [slope([2, 1], [0, 1]), slope([1, 2], [1, 0])];
        let blurred = match blur {
            Blur::Alike => vec![],
            Blur::Changing => {
                let outer = (0..BLURS).fold(outer, |outer, _| smoothed(outer));
                from_mean(inner(&outer, [1, 1]))
            }
        };
        let mut normal = SMatrix::<f64, VALUES, VALUES>::zeros();
        for (i, weight) in WINDOW.iter().enumerate() {
            let blurred = blurred.get(i).copied().unwrap_or(0.0);
            let row = [slopes[0][i], slopes[1][i], values[i], 1.0, blurred].map(f64::from);
            let row = SVector::<f64, VALUES>::from(row);
            normal += row * row.transpose() * f64::from(*weight);
        }
        if blurred.is_empty() {
            // Values that are not fitted stay zero.
            normal[(4, 4)] = 1.0;
        }
        let total = normal[(3, 3)];
        let contrast = normal[(2, 2)] / total - (normal[(2, 3)] / total).powi(2);
        let inverse = normal.try_inverse()?;
        (contrast > 1e-12).then_some(Self { values, slopes, blurred, inverse, contrast })
    }

    /// Brightness of a pixel as the fitted values explain it.
    fn explained(&self, i: usize, found: &SVector<f64, VALUES>) -> f32 {
        let [_, _, gain, offset, blur] = std::array::from_fn(|k| found[k] as f32);
        let blurred = self.blurred.get(i).map_or(0.0, |blurred| blurred * blur);
        self.values[i] * (1.0 + gain) + blurred + offset
    }

    /// Shift of the patch's content in `values`; `None` where they do not match.
    fn shift(&self, values: &[f32]) -> Option<Shift> {
        let (mut dx, mut dy) = (0.0f64, 0.0f64);
        let mut shifted = Shifted::default();
        let mut settled = false;
        let mut solution = SVector::<f64, VALUES>::zeros();
        let mut gain = 1.0;
        for _ in 0..25 {
            take(&mut shifted, values, dx, dy);
            let sums = compare(self, &shifted.values);
            solution = self.inverse * SVector::<f64, VALUES>::from(sums);
            // Coarse detail changes by both gains.
            gain = 1.0 + solution[2] + solution[4];
            if !(0.2..5.0).contains(&gain) {
                return None;
            }
            let (sx, sy) = (solution[0] / gain, solution[1] / gain);
            dx -= sx;
            dy -= sy;
            if dx.abs() > FURTHEST || dy.abs() > FURTHEST {
                return None;
            }
            if sx.abs() < 1e-3 && sy.abs() < 1e-3 {
                settled = true;
                break;
            }
        }
        if !settled {
            return None;
        }
        let (mut squares, mut total) = (0.0f64, 0.0f64);
        for (i, (value, weight)) in shifted.values.iter().zip(WINDOW.iter()).enumerate() {
            let off = f64::from(value - self.explained(i, &solution));
            squares += f64::from(*weight) * off * off;
            total += f64::from(*weight);
        }
        let noise = squares / total;
        // More than 0.35 of the patch's own variance is unexplained: something else is seen there.
        if noise > 0.35 * self.contrast * gain * gain {
            return None;
        }
        let error = (noise * (self.inverse[(0, 0)] + self.inverse[(1, 1)]) / 2.0).sqrt();
        let detail = if self.blurred.is_empty() { 1.0 } else { 1.0 + solution[2] };
        let known = error.is_finite() && error < 0.5;
        known.then_some(Shift { by: [dx, dy], error: error.max(1e-4), detail })
    }
}

/// Weighted sums of the differences between `shifted` and a template, one for each value that may
/// explain them.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
#[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
fn compare(template: &Template, shifted: &[f32]) -> [f64; VALUES] {
    const LANES: usize = 16;
    let mut sums = [0.0f64; VALUES];
    for row in 0..SIDE {
        let range = row * SIDE..(row + 1) * SIDE;
        let (found, wanted) = (&shifted[range.clone()], &template.values[range.clone()]);
        let [gx, gy] = [&template.slopes[0][range.clone()], &template.slopes[1][range.clone()]];
        let weights = &WINDOW[range.clone()];
        let blurred = template.blurred.get(range);
        let mut parts = [[0.0f32; LANES]; VALUES];
        let mut from = 0;
        while from < SIDE {
            let length = if SIDE - from < LANES { SIDE - from } else { LANES };
            for lane in 0..length {
                let i = from + lane;
                let off = weights[i] * (found[i] - wanted[i]);
                parts[0][lane] += off * gx[i];
                parts[1][lane] += off * gy[i];
                parts[2][lane] += off * wanted[i];
                parts[3][lane] += off;
            }
            if let Some(blurred) = blurred {
                for lane in 0..length {
                    let i = from + lane;
                    parts[4][lane] += weights[i] * (found[i] - wanted[i]) * blurred[i];
                }
            }
            from += length;
        }
        for (sum, part) in sums.iter_mut().zip(&parts) {
            *sum += f64::from(part.iter().sum::<f32>());
        }
    }
    sums
}

/// Shift of a patch in pixels, its expected error, and the strength of its fine detail.
struct Shift {
    by: [f64; 2],
    error: f64,
    detail: f64,
}

/// The inner part of a patch, read at one shift for all its pixels.
#[derive(Default)]
struct Shifted {
    rows: Vec<f32>,
    values: Vec<f32>,
}

/// Reads `light` by Catmull-Rom cubics along rows, then along columns.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
fn take(shifted: &mut Shifted, light: &[f32], dx: f64, dy: f64) {
    let (ix, iy) = (dx.floor(), dy.floor());
    let (wx, wy) = (cubic((dx - ix) as f32), cubic((dy - iy) as f32));
    let (left, top) = (
        (MARGIN as isize + ix as isize - 1) as usize,
        (MARGIN as isize + iy as isize - 1) as usize,
    );
    shifted.rows.resize((SIDE + 3) * SIDE, 0.0);
    shifted.values.resize(SIDE * SIDE, 0.0);
    for (row, to) in shifted.rows.chunks_exact_mut(SIDE).enumerate() {
        let from = &light[(top + row) * OUTER + left..][..SIDE + 3];
        for (x, to) in to.iter_mut().enumerate() {
            *to = wx[0] * from[x] + wx[1] * from[x + 1] + wx[2] * from[x + 2] + wx[3] * from[x + 3];
        }
    }
    for (row, to) in shifted.values.chunks_exact_mut(SIDE).enumerate() {
        let from: [&[f32]; 4] = std::array::from_fn(|k| &shifted.rows[(row + k) * SIDE..][..SIDE]);
        for (x, to) in to.iter_mut().enumerate() {
            *to = wy[0] * from[0][x] + wy[1] * from[1][x] + wy[2] * from[2][x] + wy[3] * from[3][x];
        }
    }
}

/// Weights of the pixels of a patch: less towards its sides.
static WINDOW: LazyLock<Vec<f32>> = LazyLock::new(|| {
    let side = |i: usize| {
        let d = (i as f32 - HALF as f32) / (HALF as f32 + 1.0);
        1.0 - d * d
    };
    (0..SIDE * SIDE).map(|i| side(i % SIDE) * side(i / SIDE)).collect()
});

/// Weights of four neighbours at `t` after the second (Catmull & Rom 1974).
fn cubic(t: f32) -> [f32; 4] {
    let (t2, t3) = (t * t, t * t * t);
    [
        0.5 * (-t + 2.0 * t2 - t3),
        0.5 * (2.0 - 5.0 * t2 + 3.0 * t3),
        0.5 * (t + 4.0 * t2 - 3.0 * t3),
        0.5 * (t3 - t2),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Dots that are sharp around one row and the more blurred the farther from it, with a shift to
    /// the right and down.
    fn patch(sharp: f32, fast: f32, [dx, dy]: [f32; 2]) -> Vec<f32> {
        let mut random = 7u32;
        let mut next = || {
            random = random.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (random >> 8) as f32 / (1 << 24) as f32
        };
        let side = OUTER as f32 + 20.0;
        let dots: Vec<[f32; 3]> =
            (0..700).map(|_| [next() * side - 10.0, next() * side - 10.0, next()]).collect();
        let mut values = vec![0.0; OUTER * OUTER];
        for (i, value) in values.iter_mut().enumerate() {
            let (x, y) = ((i % OUTER) as f32, (i / OUTER) as f32);
            for [dot_x, dot_y, light] in &dots {
                let width = 1.5 + fast * (dot_y - sharp).powi(2);
                let far = ((x - dot_x - dx).powi(2) + (y - dot_y - dy).powi(2)) / width;
                *value += if far < 20.0 { light / width * (-0.5 * far).exp() } else { 0.0 };
            }
        }
        values
    }

    #[test]
    fn a_patch_is_found_while_the_focus_moves_over_it() {
        let middle = OUTER as f32 / 2.0;
        let shift = |blur: Blur, [from, to]: [f32; 2]| {
            let (one, other) =
                (patch(middle + from, 0.03, [0.0, 0.0]), patch(middle + to, 0.03, [0.4, -0.3]));
            Template::new(one, blur).unwrap().shift(&other)
        };
        let off = |found: &Shift| (found.by[0] - 0.4).hypot(found.by[1] + 0.3);
        // Without blur it would count as something else.
        assert!(shift(Blur::Alike, [-6.0, 6.0]).is_none());
        for moves in [[-6.0, 6.0], [0.0, 12.0]] {
            let found = shift(Blur::Changing, moves).unwrap();
            assert!(off(&found) < 0.08, "{moves:?}: {:.3} px", off(&found));
            assert!(found.detail < 0.6, "{moves:?}: {:.2}", found.detail);
        }
        // In the same focus the detail is as strong.
        for blur in [Blur::Alike, Blur::Changing] {
            let found = shift(blur, [0.0, 0.0]).unwrap();
            assert!(off(&found) < 0.03, "{blur:?}: {:.3} px", off(&found));
            assert!((0.95..1.05).contains(&found.detail), "{blur:?}: {:.2}", found.detail);
        }
    }
}
