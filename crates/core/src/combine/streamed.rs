//! Methods that take one frame after the other and need no ordering.

use super::reduce::{Prepared, Reduced};
use crate::plan::Method;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use multiversion::multiversion;

/// What has gathered at each position of a region.
pub struct Gathered {
    method: Method,
    planes: [Vec<f32>; 3],
    /// For the spread: sums of squares.
    squares: [Vec<f32>; 3],
    weights: Vec<f32>,
    counts: Vec<u16>,
    /// Whether every frame covers every position.
    complete: bool,
}

/// The light of one frame, memory that is used again for every region.
pub type Planes = [Vec<f32>; 3];

/// Gathers `frames` over `region` for mean, lightest, darkest or spread. `read` fills three planes
/// with the light of the frame with an index and tells which positions it covers unless all.
pub fn gather(
    method: Method,
    frames: &[Prepared],
    region: Region,
    planes: &mut Planes,
    mut read: impl FnMut(usize, [&mut [f32]; 3]) -> Result<Option<Vec<bool>>, PictureError>,
) -> Result<Gathered, PictureError> {
    let area = region.area();
    let start = match method {
        Method::Lightest => f32::NEG_INFINITY,
        Method::Darkest => f32::INFINITY,
        _ => 0.0,
    };
    let filled = |value: f32, wanted: bool| vec![value; if wanted { area } else { 0 }];
    let spread = method == Method::Spread;
    let mut all = Gathered {
        method,
        planes: [(); 3].map(|()| filled(start, true)),
        squares: [(); 3].map(|()| filled(0.0, spread)),
        weights: filled(0.0, true),
        counts: vec![0; area],
        complete: true,
    };
    // Sums of squares are taken about the first frame, so that little is lost to rounding.
    let mut about = [(); 3].map(|()| filled(0.0, spread));
    planes.iter_mut().for_each(|plane| plane.resize(area, 0.0));
    for (index, frame) in frames.iter().enumerate() {
        let covered = read(index, planes.each_mut().map(Vec::as_mut_slice))?;
        if spread {
            if index == 0 {
                about.clone_from(planes);
            }
            for (plane, about) in planes.iter_mut().zip(&about) {
                plane.iter_mut().zip(about).for_each(|(v, a)| *v -= a);
            }
        }
        match covered {
            None => all.add_whole(planes, frame.weight),
            Some(covered) => {
                all.complete = false;
                all.add_part(planes, frame.weight, &covered);
            }
        }
    }
    Ok(all)
}

impl Gathered {
    fn add_whole(&mut self, planes: &[Vec<f32>; 3], weight: f32) {
        for (c, plane) in planes.iter().enumerate() {
            match self.method {
                Method::Lightest => lighter(&mut self.planes[c], plane),
                Method::Darkest => darker(&mut self.planes[c], plane),
                _ => add(&mut self.planes[c], plane, weight),
            }
            if self.method == Method::Spread {
                add_squares(&mut self.squares[c], plane);
            }
        }
        self.weights.iter_mut().for_each(|w| *w += weight);
        self.counts.iter_mut().for_each(|n| *n += 1);
    }

    fn add_part(&mut self, planes: &[Vec<f32>; 3], weight: f32, covered: &[bool]) {
        for (i, _) in covered.iter().enumerate().filter(|(_, covered)| **covered) {
            for (c, plane) in planes.iter().enumerate() {
                let (have, v) = (&mut self.planes[c][i], plane[i]);
                match self.method {
                    Method::Lightest => *have = have.max(v),
                    Method::Darkest => *have = have.min(v),
                    _ => *have += weight * v,
                }
                if self.method == Method::Spread {
                    self.squares[c][i] += v * v;
                }
            }
            self.weights[i] += weight;
            self.counts[i] += 1;
        }
    }

    /// The planes as gathered so far.
    pub fn planes(&mut self) -> &mut [Vec<f32>; 3] {
        &mut self.planes
    }

    /// The picture, black where nothing was gathered, and its coverage.
    pub fn finish(self) -> Reduced {
        let mut light = vec![0.0; self.counts.len() * 3];
        for (i, pixel) in light.chunks_exact_mut(3).enumerate() {
            let n = self.counts[i] as f32;
            if n == 0.0 {
                continue;
            }
            for (c, out) in pixel.iter_mut().enumerate() {
                let sum = self.planes[c][i];
                *out = match self.method {
                    Method::Lightest | Method::Darkest => sum,
                    Method::Spread if n < 2.0 => 0.0,
                    Method::Spread => {
                        ((self.squares[c][i] - sum * sum / n).max(0.0) / (n - 1.0)).sqrt()
                    }
                    _ => sum / self.weights[i],
                };
            }
        }
        let coverage = if self.complete { vec![] } else { self.counts };
        Reduced { light, coverage, ..Reduced::default() }
    }
}

#[multiversion(targets("x86_64+avx512f+avx512vl", "x86_64+avx2"))]
fn add(sum: &mut [f32], values: &[f32], weight: f32) {
    for (sum, v) in sum.iter_mut().zip(values) {
        *sum += weight * v;
    }
}

#[multiversion(targets("x86_64+avx512f+avx512vl", "x86_64+avx2"))]
fn add_squares(sum: &mut [f32], values: &[f32]) {
    for (sum, v) in sum.iter_mut().zip(values) {
        *sum += v * v;
    }
}

#[multiversion(targets("x86_64+avx512f+avx512vl", "x86_64+avx2"))]
fn lighter(have: &mut [f32], values: &[f32]) {
    for (have, &v) in have.iter_mut().zip(values) {
        *have = if v > *have { v } else { *have };
    }
}

#[multiversion(targets("x86_64+avx512f+avx512vl", "x86_64+avx2"))]
fn darker(have: &mut [f32], values: &[f32]) {
    for (have, &v) in have.iter_mut().zip(values) {
        *have = if v < *have { v } else { *have };
    }
}
