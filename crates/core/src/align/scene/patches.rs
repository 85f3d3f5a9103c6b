//! Subpixel shifts of patches between a frame, brought near by its known motion, and the reference
//! frame: Gauss-Newton on brightness differences with gain and offset (Lucas & Kanade 1981; Baker &
//! Matthews 2004).

use crate::align::Motion;
use crate::combine::resample::{self, Room};
use crate::frames::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use nalgebra::{SMatrix, SVector};

/// Half the side of a patch in pixels.
const HALF: usize = 20;
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
    templates: Vec<Vec<f32>>,
    roots: bool,
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
        let templates: Result<Vec<Vec<f32>>, PictureError> = places
            .iter()
            .map(|place| Ok(smoothed(grey(reference.planes(*place)?.each_ref(), roots))))
            .collect();
        Ok(Self { templates: templates?, places, roots })
    }

    /// Number of patches.
    pub fn count(&self) -> usize {
        self.places.len()
    }

    /// Looks for all patches in a frame whose motion is known to a few pixels.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn find(&self, frame: &dyn Light, motion: &Motion) -> Result<Vec<Sighting>, PictureError> {
        let backward = motion.backward();
        let mut room = Room::default();
        let mut planes = [(); 3].map(|()| vec![0.0; OUTER * OUTER]);
        let mut found = Vec::new();
        for (place, template) in self.places.iter().zip(&self.templates) {
            let out = planes.each_mut().map(Vec::as_mut_slice);
            if resample::read(frame, &backward, *place, out, &mut room)?.is_some() {
                continue;
            }
            let seen = smoothed(grey(planes.each_ref(), self.roots));
            let Some((shift, error)) = shift(template, &seen) else { continue };
            let middle = [place.x, place.y].map(|v| v as f64 + (HALF + MARGIN) as f64);
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

/// How far the content of `template` is shifted in `seen`, in pixels, and the expected error.
/// `None` where they do not match.
fn shift(template: &[f32], seen: &[f32]) -> Option<([f64; 2], f64)> {
    let (mut dx, mut dy, mut gain, mut offset) = (0.0f64, 0.0f64, 1.0f64, 0.0f64);
    let mut last = None;
    for round in 0..20 {
        let mut normal = SMatrix::<f64, 4, 4>::zeros();
        let mut right = SVector::<f64, 4>::zeros();
        let (mut sum, mut squares, mut light, mut light2) = (0.0, 0.0, 0.0, 0.0);
        for y in 0..SIDE {
            let wy = window(y);
            for x in 0..SIDE {
                let weight = wy * window(x);
                let wanted = template[(y + MARGIN) * OUTER + x + MARGIN] as f64;
                let (value, gx, gy) =
                    sample(seen, (x + MARGIN) as f64 + dx, (y + MARGIN) as f64 + dy);
                let off = gain * value + offset - wanted;
                let slope = SVector::<f64, 4>::new(gain * gx, gain * gy, value, 1.0);
                normal += slope * slope.transpose() * weight;
                right -= slope * (off * weight);
                sum += weight;
                squares += weight * off * off;
                light += weight * wanted;
                light2 += weight * wanted * wanted;
            }
        }
        let step = normal.cholesky()?.solve(&right);
        dx += step[0];
        dy += step[1];
        gain += step[2];
        offset += step[3];
        if dx.abs() > FURTHEST || dy.abs() > FURTHEST || !(0.2..5.0).contains(&gain) {
            return None;
        }
        let contrast = light2 / sum - (light / sum).powi(2);
        let inverse = normal.try_inverse()?;
        let noise = squares / sum;
        last = Some((noise / contrast.max(1e-12), noise, inverse));
        if round > 0 && step[0].abs() < 1e-3 && step[1].abs() < 1e-3 {
            break;
        }
        if round == 19 {
            return None;
        }
    }
    let (unlike, noise, inverse) = last?;
    // More than 0.35 of the patch's own variance unexplained: something else is seen there.
    if unlike > 0.35 {
        return None;
    }
    let error = (noise * (inverse[(0, 0)] + inverse[(1, 1)]) / 2.0).sqrt();
    (error.is_finite() && error < 0.5).then_some(([dx, dy], error.max(1e-4)))
}

/// Weight of a row or column of a patch: less towards its sides.
fn window(i: usize) -> f64 {
    let d = (i as f64 - HALF as f64) / (HALF as f64 + 1.0);
    1.0 - d * d
}

/// Value and slopes at a position, by Catmull-Rom cubics.
fn sample(values: &[f32], x: f64, y: f64) -> (f64, f64, f64) {
    let (ix, iy) = (x.floor(), y.floor());
    let (cx, dx) = cubic(x - ix);
    let (cy, dy) = cubic(y - iy);
    let start = (iy as usize - 1) * OUTER + ix as usize - 1;
    let (mut value, mut slope_x, mut slope_y) = (0.0, 0.0, 0.0);
    for j in 0..4 {
        let row = &values[start + j * OUTER..start + j * OUTER + 4];
        let (mut v, mut s) = (0.0, 0.0);
        for i in 0..4 {
            v += cx[i] * row[i] as f64;
            s += dx[i] * row[i] as f64;
        }
        value += cy[j] * v;
        slope_x += cy[j] * s;
        slope_y += dy[j] * v;
    }
    (value, slope_x, slope_y)
}

/// Weights of four neighbours at `t` after the second, and the slopes of those weights.
fn cubic(t: f64) -> ([f64; 4], [f64; 4]) {
    let (t2, t3) = (t * t, t * t * t);
    (
        [
            0.5 * (-t + 2.0 * t2 - t3),
            0.5 * (2.0 - 5.0 * t2 + 3.0 * t3),
            0.5 * (t + 4.0 * t2 - 3.0 * t3),
            0.5 * (t3 - t2),
        ],
        [
            0.5 * (-1.0 + 4.0 * t - 3.0 * t2),
            0.5 * (-10.0 * t + 9.0 * t2),
            0.5 * (1.0 + 8.0 * t - 9.0 * t2),
            0.5 * (3.0 * t2 - 2.0 * t),
        ],
    )
}
