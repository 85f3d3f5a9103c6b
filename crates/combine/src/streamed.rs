//! Methods that take one frame after the other and do not sort.

use super::reduced::Reduced;
use jade_plan::Method;
use multiversion::multiversion;

/// The values gathered at each position of a region.
#[derive(Clone)]
pub struct Gathered {
    method: Method,
    area: usize,
    planes: Planes,
    /// For the standard deviation: sums of squares, and the first frame, which is subtracted so
    /// that little is lost to rounding.
    squares: Planes,
    about: Planes,
    /// Weight and number of the frames that cover every position.
    whole: (f32, u16),
    /// Weights and numbers of the other frames at each position, once there are any.
    others: Option<(Vec<f32>, Vec<u16>)>,
}

/// Three planes of light, one for each colour.
pub type Planes = [Vec<f32>; 3];

impl Gathered {
    /// Empty, for `area` positions; for mean, lightest, darkest or standard deviation.
    pub fn new(method: Method, area: usize) -> Self {
        let start = match method {
            Method::Lightest => f32::NEG_INFINITY,
            Method::Darkest => f32::INFINITY,
            _ => 0.0,
        };
        let squared = if method == Method::StdDev { area } else { 0 };
        Self {
            method,
            area,
            planes: [(); 3].map(|()| vec![start; area]),
            squares: [(); 3].map(|()| vec![0.0; squared]),
            about: Planes::default(),
            whole: (0.0, 0),
            others: None,
        }
    }

    /// Adds the light of one frame, and which positions it covers (`None` for all). The planes may
    /// be changed.
    pub fn add(&mut self, planes: &mut Planes, covered: Option<Vec<bool>>, weight: f32) {
        // A standard deviation is that of the samples, whatever their weight in a mean.
        let weight = if self.method == Method::StdDev { 1.0 } else { weight };
        if self.method == Method::StdDev {
            if self.about[0].is_empty() {
                self.about.clone_from(planes);
            }
            for (plane, about) in planes.iter_mut().zip(&self.about) {
                plane.iter_mut().zip(about).for_each(|(v, a)| *v -= a);
            }
        }
        match covered {
            None => self.add_whole(planes, weight),
            Some(covered) => self.add_part(planes, weight, &covered),
        }
    }

    fn add_whole(&mut self, planes: &Planes, weight: f32) {
        for (c, plane) in planes.iter().enumerate() {
            match self.method {
                Method::Lightest => lighter(&mut self.planes[c], plane),
                Method::Darkest => darker(&mut self.planes[c], plane),
                _ => add(&mut self.planes[c], plane, weight),
            }
            if self.method == Method::StdDev {
                add_squares(&mut self.squares[c], plane);
            }
        }
        self.whole = (self.whole.0 + weight, self.whole.1 + 1);
    }

    fn add_part(&mut self, planes: &Planes, weight: f32, covered: &[bool]) {
        let area = self.area;
        let (weights, counts) = self.others.get_or_insert_with(|| (vec![0.0; area], vec![0; area]));
        for (i, _) in covered.iter().enumerate().filter(|(_, covered)| **covered) {
            for (c, plane) in planes.iter().enumerate() {
                let (have, v) = (&mut self.planes[c][i], plane[i]);
                match self.method {
                    Method::Lightest => *have = have.max(v),
                    Method::Darkest => *have = have.min(v),
                    _ => *have += weight * v,
                }
                if self.method == Method::StdDev {
                    self.squares[c][i] += v * v;
                }
            }
            weights[i] += weight;
            counts[i] += 1;
        }
    }

    /// The planes as gathered so far.
    pub fn planes(&mut self) -> &mut Planes {
        &mut self.planes
    }

    /// The picture, black where nothing was gathered, and its coverage.
    pub fn finish(self) -> Reduced {
        let (weight, count) = self.whole;
        let others = self.others.as_ref();
        let mut light = vec![0.0; self.area * 3];
        for (i, pixel) in light.as_chunks_mut::<3>().0.iter_mut().enumerate() {
            let (weight, n) = match others {
                None => (weight, count as f32),
                Some((weights, counts)) => (weight + weights[i], (count + counts[i]) as f32),
            };
            if n == 0.0 {
                continue;
            }
            for (c, out) in pixel.iter_mut().enumerate() {
                let sum = self.planes[c][i];
                *out = match self.method {
                    Method::Lightest | Method::Darkest => sum,
                    Method::StdDev if n < 2.0 => 0.0,
                    Method::StdDev => {
                        ((self.squares[c][i] - sum * sum / n).max(0.0) / (n - 1.0)).sqrt()
                    }
                    _ => sum / weight,
                };
            }
        }
        let coverage = match self.others {
            None => vec![],
            Some((_, counts)) => counts.into_iter().map(|n| n + count).collect(),
        };
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
