//! Subpixel shifts of patches between a frame, brought near by its known motion, and the reference
//! frame: inverse-compositional Gauss-Newton on brightness differences with gain and offset (Lucas &
//! Kanade 1981; Baker & Matthews 2004).

use crate::align::Motion;
use crate::combine::resample::{self, Room};
use crate::frames::Light;
use crate::progress::Watch;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use multiversion::multiversion;
use nalgebra::{SMatrix, SVector};
use std::sync::LazyLock;

/// Half the side of a patch in pixels.
const HALF: usize = 32;
/// Pixels beyond a patch that its shift and the smoothing may reach.
const MARGIN: usize = 8;
/// Shifts beyond this are taken for something else that moved, in pixels.
const FURTHEST: f64 = 5.0;
const SIDE: usize = 2 * HALF + 1;
const OUTER: usize = SIDE + 2 * MARGIN;

/// One patch seen in both pictures.
#[derive(Debug, Clone, Copy)]
pub struct Sighting {
    /// Position in the frame in pixels.
    pub at: [f64; 2],
    /// Position in the reference frame in pixels.
    pub reference: [f64; 2],
    /// Expected error along one axis in pixels, relative to the other patches'.
    pub error: f64,
}

/// Patches of the reference picture, ready to be looked for.
pub struct Patches {
    places: Vec<Region>,
    templates: Vec<Template>,
    roots: bool,
}

/// A patch of the reference picture, smoothed, with what its comparison needs.
struct Template {
    /// Values, slopes along x and y; [`SIDE`] x [`SIDE`].
    values: Vec<f32>,
    slopes: [Vec<f32>; 2],
    /// Inverse of the normal equations for shift, gain and offset.
    inverse: SMatrix<f64, 4, 4>,
    /// Weighted variance of the values.
    contrast: f64,
}

impl Patches {
    /// Takes patches around places of the reference picture that lie far enough inside. With
    /// `roots` brightness is compared by its square root, which evens out the noise of shadows and
    /// highlights.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn new(
        reference: &dyn Light,
        places: impl Iterator<Item = [f64; 2]>,
        roots: bool,
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
            if let Some(template) = Template::new(&smoothed(grey(planes.each_ref(), roots))) {
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

    /// Looks for patches, those at places that count, in a frame whose motion is known to a few pixels.
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
        let mut room = Room::default();
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
            if resample::read(frame, &backward, *place, out, &mut room)?.is_some() {
                continue;
            }
            let seen = smoothed(grey(planes.each_ref(), self.roots));
            let Some((shift, error)) = template.shift(&seen) else { continue };
            let at = backward.to_reference([middle[0] + shift[0], middle[1] + shift[1]]);
            found.push(Sighting { at, reference: middle, error });
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

/// Two passes of (1 4 6 4 1): a Gaussian of 1.4 pixels, so that noise and the sampling grid have
/// no say in where a patch seems to lie.
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

impl Template {
    fn new(outer: &[f32]) -> Option<Self> {
        // Counted from one pixel up and left, so that a step back stays inside.
        let from = |dx: usize, dy: usize| {
            (0..SIDE * SIDE).map(move |i| {
                outer[(i / SIDE + MARGIN - 1 + dy) * OUTER + i % SIDE + MARGIN - 1 + dx]
            })
        };
        let values: Vec<f32> = from(1, 1).collect();
        let slope = |after: (usize, usize), before: (usize, usize)| -> Vec<f32> {
            let after = from(after.0, after.1);
            after.zip(from(before.0, before.1)).map(|(a, b)| 0.5 * (a - b)).collect()
        };
        let slopes = [slope((2, 1), (0, 1)), slope((1, 2), (1, 0))];
        let mut normal = SMatrix::<f64, 4, 4>::zeros();
        for (i, weight) in WINDOW.iter().enumerate() {
            let row = [slopes[0][i], slopes[1][i], values[i], 1.0].map(f64::from);
            let row = SVector::<f64, 4>::from(row);
            normal += row * row.transpose() * f64::from(*weight);
        }
        let total = normal[(3, 3)];
        let contrast = normal[(2, 2)] / total - (normal[(2, 3)] / total).powi(2);
        let inverse = normal.try_inverse()?;
        (contrast > 1e-12).then_some(Self { values, slopes, inverse, contrast })
    }

    /// How far the patch's content is shifted in `seen`, in pixels, and the expected error. `None`
    /// where they do not match.
    fn shift(&self, seen: &[f32]) -> Option<([f64; 2], f64)> {
        let (mut dx, mut dy) = (0.0f64, 0.0f64);
        let mut shifted = Shifted::default();
        let mut settled = false;
        let mut solution = SVector::<f64, 4>::zeros();
        for _ in 0..25 {
            take(&mut shifted, seen, dx, dy);
            let sums = compare(self, &shifted.values);
            solution = self.inverse * SVector::<f64, 4>::from(sums);
            let gain = 1.0 + solution[2];
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
        let (gain, offset) = ((1.0 + solution[2]) as f32, solution[3] as f32);
        let (mut squares, mut total) = (0.0f64, 0.0f64);
        for ((seen, own), weight) in shifted.values.iter().zip(&self.values).zip(WINDOW.iter()) {
            let off = f64::from(seen - (gain * own + offset));
            squares += f64::from(*weight) * off * off;
            total += f64::from(*weight);
        }
        let noise = squares / total;
        // More than 0.35 of the patch's own variance unexplained: something else is seen there.
        if noise > 0.35 * self.contrast * f64::from(gain * gain) {
            return None;
        }
        let error = (noise * (self.inverse[(0, 0)] + self.inverse[(1, 1)]) / 2.0).sqrt();
        (error.is_finite() && error < 0.5).then_some(([dx, dy], error.max(1e-4)))
    }
}

/// Weighted sums of the differences of `shifted` from a template with its slopes, values and one.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
#[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
fn compare(template: &Template, shifted: &[f32]) -> [f64; 4] {
    const LANES: usize = 16;
    let mut sums = [0.0f64; 4];
    for row in 0..SIDE {
        let range = row * SIDE..(row + 1) * SIDE;
        let (seen, own) = (&shifted[range.clone()], &template.values[range.clone()]);
        let [gx, gy] = [&template.slopes[0][range.clone()], &template.slopes[1][range.clone()]];
        let weights = &WINDOW[range];
        let mut parts = [[0.0f32; LANES]; 4];
        let mut from = 0;
        while from < SIDE {
            let long = if SIDE - from < LANES { SIDE - from } else { LANES };
            for lane in 0..long {
                let i = from + lane;
                let off = weights[i] * (seen[i] - own[i]);
                parts[0][lane] += off * gx[i];
                parts[1][lane] += off * gy[i];
                parts[2][lane] += off * own[i];
                parts[3][lane] += off;
            }
            from += long;
        }
        for k in 0..4 {
            sums[k] += f64::from(parts[k].iter().sum::<f32>());
        }
    }
    sums
}

/// The inner part of a patch, read at a shift that is the same for all of it.
#[derive(Default)]
struct Shifted {
    rows: Vec<f32>,
    values: Vec<f32>,
}

/// Reads `seen` by Catmull-Rom cubics along rows, then along columns.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
fn take(shifted: &mut Shifted, seen: &[f32], dx: f64, dy: f64) {
    let (ix, iy) = (dx.floor(), dy.floor());
    let (wx, wy) = (cubic((dx - ix) as f32), cubic((dy - iy) as f32));
    let (left, top) = (
        (MARGIN as isize + ix as isize - 1) as usize,
        (MARGIN as isize + iy as isize - 1) as usize,
    );
    shifted.rows.resize((SIDE + 3) * SIDE, 0.0);
    shifted.values.resize(SIDE * SIDE, 0.0);
    for (row, to) in shifted.rows.chunks_exact_mut(SIDE).enumerate() {
        let from = &seen[(top + row) * OUTER + left..][..SIDE + 3];
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

/// Weights of a patch's pixels: less towards its sides.
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
