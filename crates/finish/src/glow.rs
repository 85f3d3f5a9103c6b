//! Sky glow: the uneven brightness of a sky lit from below. A smooth surface is fitted to the
//! medians of squares of sky, which stars do not affect. What the surface exceeds its darkest place
//! by is subtracted, so that the sky keeps the level and colour of its least lit place.

use crate::adjustment::{Adjustment, Layer};
use jade_optics::light::Light;
use jade_optics::statistics::{median, robust_sigma};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, SIDE};
use jade_plan::report::FinishReport;
use jade_plan::{CoreError, FinishPlan};
use nalgebra::{DMatrix, DVector};
use rayon::prelude::*;

/// Side of the squares, in pixels.
const SQUARE: u32 = SIDE / 4;
/// Pixels that a square needs, and squares that a surface needs.
const FEWEST_PIXELS: usize = 64;
const FEWEST_SQUARES: usize = 60;
/// Highest sum of the exponents of x and y.
const DEGREE: usize = 4;
/// Number of terms x^i y^j up to [`DEGREE`].
const TERMS: usize = (DEGREE + 1) * (DEGREE + 2) / 2;
/// Standard deviations at which a square's weight is halved (Cauchy's loss), so that lamps, clouds
/// and the band of the galaxy do not attract the surface.
const ROBUST: f64 = 3.0;

/// The middle of a square, in pixels, and the median of its light.
pub type Square = ([f64; 2], [f32; 3]);

/// The squares of sky. `is_sky` says for the pixels of a region which are sky.
///
/// # Errors
/// [`PictureError::Io`]; [`PictureError::Cancelled`] once `stop` returns true.
pub fn squares(
    light: &dyn Light,
    is_sky: &(dyn Fn(Region) -> Result<Vec<bool>, PictureError> + Sync),
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Vec<Square>, PictureError> {
    let (width, height) = light.size();
    let found: Result<Vec<Vec<Square>>, PictureError> = Region::covering(width, height, [SIDE; 2])
        .into_par_iter()
        .map(|tile| {
            if stop() {
                return Err(PictureError::Cancelled);
            }
            let counts = is_sky(tile)?;
            if !counts.contains(&true) {
                return Ok(vec![]);
            }
            let planes = light.planes(tile)?;
            let squares = Region::covering(tile.width, tile.height, [SQUARE; 2]).into_iter();
            Ok(squares.filter_map(|square| of_square(square, tile, &planes, &counts)).collect())
        })
        .collect();
    Ok(found?.concat())
}

fn of_square(
    square: Region,
    tile: Region,
    planes: &[Vec<f32>; 3],
    counts: &[bool],
) -> Option<Square> {
    let rows = square.y..square.y + square.height;
    let places = rows.flat_map(|y| {
        (square.x..square.x + square.width).map(move |x| (y * tile.width + x) as usize)
    });
    let counted: Vec<usize> = places.filter(|i| counts[*i]).collect();
    if counted.len() < FEWEST_PIXELS {
        return None;
    }
    let middle = |from: u32, offset: u32, length: u32| {
        f64::from(from + offset) + f64::from(length - 1) / 2.0
    };
    let at = [middle(tile.x, square.x, square.width), middle(tile.y, square.y, square.height)];
    let of = |plane: &Vec<f32>| median(&mut counted.iter().map(|i| plane[*i]).collect::<Vec<_>>());
    Some((at, planes.each_ref().map(of)))
}

/// Subtracts a share of the sky glow.
struct TakenOff {
    glow: Glow,
    /// 0 (nothing) to 1 (all).
    amount: f32,
    /// Unevenness of the sky before and after.
    uneven: [f32; 2],
}

/// Fits the glow of a sky. Fails with [`CoreError::Frames`] if there is too little sky.
pub fn fit(
    plan: &FinishPlan,
    sky: &Layer,
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Option<Box<dyn Adjustment>>, CoreError> {
    let amount = plan.glow;
    if amount == 0.0 {
        return Ok(None);
    }
    let squares = squares(sky.light, sky.shows, stop)?;
    let glow = Glow::of(&squares, sky.light.size()).ok_or_else(|| {
        CoreError::Frames(
            "This picture shows too little sky to tell its glow; set sky glow to 0.".to_owned(),
        )
    })?;
    let uneven = [0.0, amount].map(|amount| glow.uneven(&squares, amount));
    Ok(Some(Box::new(TakenOff { glow, amount, uneven })))
}

impl Adjustment for TakenOff {
    fn reads_around(&self) -> bool {
        false
    }

    fn planes(&self, before: &dyn Light, region: Region) -> Result<[Vec<f32>; 3], PictureError> {
        let mut planes = before.planes(region)?;
        self.glow.take_off(self.amount, region, &mut planes);
        Ok(planes)
    }

    fn report(
        &self,
        _: &Layer,
        _: &dyn Light,
        report: &mut FinishReport,
    ) -> Result<(), PictureError> {
        report.uneven = Some(self.uneven);
        Ok(())
    }
}

/// The glow of a sky.
pub struct Glow {
    size: [f64; 2],
    /// Coefficients of the terms for each colour, without the level that stays.
    terms: [[f64; TERMS]; 3],
}

impl Glow {
    /// Fits the glow to squares of sky of a picture of this size; `None` if they are too few.
    pub fn of(squares: &[Square], (width, height): (u32, u32)) -> Option<Self> {
        if squares.len() < FEWEST_SQUARES {
            return None;
        }
        let size = [f64::from(width), f64::from(height)];
        let rows: Vec<[f64; TERMS]> = squares.iter().map(|(at, _)| row(*at, size)).collect();
        let colour = |c: usize| {
            let values: Vec<f64> = squares.iter().map(|(_, light)| f64::from(light[c])).collect();
            solve(&rows, &values)
        };
        let (red, (green, blue)) =
            rayon::join(|| colour(0), || rayon::join(|| colour(1), || colour(2)));
        let mut glow = Self { size, terms: [red?, green?, blue?] };
        // The level that stays is the 2nd percentile of the places: the least lit one is an outlier.
        let mut order: Vec<(f32, [f32; 3])> = rows
            .iter()
            .map(|row| {
                let light = glow.terms.each_ref().map(|terms| along(terms, row) as f32);
                (light.iter().sum(), light)
            })
            .collect();
        order.sort_by(|p, q| p.0.total_cmp(&q.0));
        let (_, darkest) = order[order.len() / 50];
        for (terms, level) in glow.terms.iter_mut().zip(darkest) {
            terms[0] -= f64::from(level);
        }
        Some(glow)
    }

    /// The glow at a pixel position, in linear light.
    pub fn at(&self, at: [f64; 2]) -> [f32; 3] {
        let row = row(at, self.size);
        self.terms.each_ref().map(|terms| along(terms, &row) as f32)
    }

    /// Unevenness of these squares with a share of the glow subtracted: the distance between the
    /// 5th and the 95th percentile of their light, as a share of the median.
    pub fn uneven(&self, squares: &[Square], amount: f32) -> f32 {
        let light = |(at, light): &Square| -> f32 {
            light.iter().zip(self.at(*at)).map(|(light, glow)| light - amount * glow).sum()
        };
        let mut all: Vec<f32> = squares.iter().map(light).collect();
        all.sort_by(f32::total_cmp);
        let twentieth = all.len() / 20;
        (all[all.len() - 1 - twentieth] - all[twentieth]) / all[all.len() / 2].max(1e-6)
    }

    /// Subtracts a share of the glow from the light of a region.
    pub fn take_off(&self, amount: f32, region: Region, planes: &mut [Vec<f32>; 3]) {
        let [width, _] = self.size;
        for (terms, plane) in self.terms.iter().zip(planes) {
            for (y, line) in plane.chunks_exact_mut(region.width as usize).enumerate() {
                // Along one row the surface is a polynomial of x alone.
                let v = place(f64::from(region.y) + y as f64, self.size[1]);
                let mut powers = [0.0; DEGREE + 1];
                let ys: [f64; DEGREE + 1] = std::array::from_fn(|j| v.powi(j as i32));
                for ((i, j), term) in exponents().zip(terms) {
                    powers[i] += term * ys[j];
                }
                for (x, light) in line.iter_mut().enumerate() {
                    let u = place(f64::from(region.x) + x as f64, width);
                    let glow = powers.iter().rev().fold(0.0, |sum, power| sum * u + power);
                    *light -= amount * glow as f32;
                }
            }
        }
    }
}

/// A pixel position scaled to -1 to 1.
fn place(at: f64, size: f64) -> f64 {
    (2.0 * at + 1.0) / size - 1.0
}

/// The exponents of x and y of each term.
fn exponents() -> impl Iterator<Item = (usize, usize)> {
    (0..=DEGREE).flat_map(|sum| (0..=sum).map(move |j| (sum - j, j)))
}

fn row(at: [f64; 2], size: [f64; 2]) -> [f64; TERMS] {
    let (u, v) = (place(at[0], size[0]), place(at[1], size[1]));
    let mut terms = exponents().map(|(i, j)| u.powi(i as i32) * v.powi(j as i32));
    std::array::from_fn(|_| terms.next().expect("there are as many terms"))
}

fn along(terms: &[f64; TERMS], row: &[f64; TERMS]) -> f64 {
    terms.iter().zip(row).map(|(term, value)| term * value).sum()
}

/// Fits the surface to values by weighted least squares, with a robust loss (Cauchy).
fn solve(rows: &[[f64; TERMS]], values: &[f64]) -> Option<[f64; TERMS]> {
    let mut weights = vec![1.0; rows.len()];
    let mut terms = [0.0; TERMS];
    for _ in 0..12 {
        let mut normal = DMatrix::<f64>::zeros(TERMS, TERMS);
        let mut right = DVector::<f64>::zeros(TERMS);
        for ((row, value), weight) in rows.iter().zip(values).zip(&weights) {
            for i in 0..TERMS {
                right[i] += weight * row[i] * value;
                for j in 0..=i {
                    normal[(i, j)] += weight * row[i] * row[j];
                }
            }
        }
        normal.fill_upper_triangle_with_lower_triangle();
        // In a narrow strip of sky not all terms are determined; the undetermined ones stay small.
        let little = 1e-9 * normal.trace();
        (0..TERMS).for_each(|i| normal[(i, i)] += little);
        let solved = normal.cholesky()?.solve(&right);
        terms.copy_from_slice(solved.as_slice());
        let rest: Vec<f32> = rows
            .iter()
            .zip(values)
            .map(|(row, value)| (value - along(&terms, row)) as f32)
            .collect();
        let scale = f64::from(robust_sigma(&rest, 0.0)).max(1e-9) * ROBUST;
        for (weight, rest) in weights.iter_mut().zip(&rest) {
            *weight = 1.0 / (1.0 + (f64::from(*rest) / scale).powi(2));
        }
    }
    Some(terms)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_optics::drawn::Drawn;

    const SIZE: (u32, u32) = (960, 640);
    /// Rows from this one on are ground.
    const GROUND: u32 = 480;

    fn glow_at([x, y]: [u32; 2], c: usize) -> f32 {
        let up = (GROUND as f32 - y as f32) / 640.0;
        let side = x as f32 / 960.0;
        [0.05, 0.03, 0.02][c] * (-up / 0.35).exp() * (0.5 + side)
    }

    fn sky([x, y]: [u32; 2], c: usize) -> f32 {
        if y >= GROUND {
            return 0.5;
        }
        // Stars in all squares, and a bank of clouds whose light is not the sky's.
        let star = if x % 23 == 4 && y % 19 == 7 { 0.6 } else { 0.0 };
        let cloud = if (300..460).contains(&x) && (120..220).contains(&y) { 0.1 } else { 0.0 };
        let grain = ((x * 7919 + y * 104_729 + c as u32 * 31) % 211) as f32 / 211.0 - 0.5;
        0.02 + glow_at([x, y], c) + star + cloud + 0.002 * grain
    }

    fn glow() -> (Vec<Square>, Glow) {
        let light = Drawn { size: SIZE, of: sky };
        let is_sky = |tile: Region| {
            let width = tile.width as usize;
            Ok((0..tile.area()).map(|i| tile.y + ((i / width) as u32) < GROUND).collect())
        };
        let squares = squares(&light, &is_sky, &|| false).unwrap();
        let glow = Glow::of(&squares, SIZE).unwrap();
        (squares, glow)
    }

    #[test]
    fn the_glow_of_the_sky_is_found_beside_stars_and_ground() {
        let (squares, glow) = glow();
        let lowest = |c: usize| glow_at([0, 0], c).min(glow_at([959, 0], c));
        for y in (8..GROUND - 8).step_by(24) {
            for x in (8..SIZE.0 - 8).step_by(24) {
                let found = glow.at([f64::from(x), f64::from(y)]);
                for (c, found) in found.into_iter().enumerate() {
                    let truth = glow_at([x, y], c) - lowest(c);
                    let off = (found - truth).abs();
                    assert!(off < 0.05 * glow_at([959, GROUND], c), "{found} {truth} at {x}, {y}");
                }
            }
        }
        let [with, without] = [0.0, 1.0].map(|amount| glow.uneven(&squares, amount));
        assert!(with > 0.5 && without < 0.06, "{with} {without}");
    }

    #[test]
    fn half_of_the_glow_is_taken_off_by_half() {
        let (_, glow) = glow();
        let region = Region { x: 130, y: 70, width: 40, height: 30 };
        let mut planes = [(); 3].map(|()| vec![0.3f32; region.area()]);
        glow.take_off(0.5, region, &mut planes);
        for (i, c) in (0..region.area()).flat_map(|i| [0, 1, 2].map(|c| (i, c))) {
            let at = [f64::from(130 + i as u32 % 40), f64::from(70 + i as u32 / 40)];
            assert!((planes[c][i] - (0.3 - 0.5 * glow.at(at)[c])).abs() < 1e-6);
        }
    }

    #[test]
    fn a_sky_of_a_few_squares_has_no_surface() {
        let few: Vec<Square> = (0..20).map(|i| ([f64::from(i); 2], [0.1; 3])).collect();
        assert!(Glow::of(&few, SIZE).is_none());
    }
}
