//! Lateral colour, from stars: each is a point, so its red and blue should coincide with its green.

use jade_optics::lens::half_diagonal;
use jade_optics::star::Star;
use jade_optics::statistics::median;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use nalgebra::{Matrix4, Vector4};

/// Half the side of the square around a star, in pixels.
const HALF: u32 = 9;
/// Standard deviation, in pixels, of the window under which its position is measured.
const WINDOW: f64 = 1.6;
/// Least number of stars.
const FEWEST: usize = 40;
/// Most stars of one frame.
const MOST: usize = 800;

/// Samples of one colour: column, row and light of each.
pub type Samples = Vec<[f64; 3]>;

/// Offsets of the colours of one star from its green, in one frame.
#[derive(Debug, Clone, Copy)]
pub struct ColourOffsets {
    /// Its position relative to the middle; the corner is at distance 1.
    at: [f64; 2],
    /// Offsets of red and of blue, in pixels.
    off: [[f64; 2]; 2],
    weight: f64,
}

/// Measured lateral colour of red or blue.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LateralColour {
    /// As [`jade_plan::LensPlan::red`].
    pub values: [f32; 2],
    /// Offset of the colour from green at the corners, in pixels; outward above 0.
    pub corner_px: f64,
    /// Standard error of that offset, in pixels.
    pub error_px: f64,
}

/// Measures the colours of stars in a picture of a size, given brightest first. `samples` returns
/// the samples of a region by colour: column, row and light of each. Those of a mosaic must be as
/// recorded, as demosaicing pulls colours towards each other.
///
/// # Errors
/// The error of `samples`.
pub fn colour_offsets(
    (width, height): (u32, u32),
    stars: &[Star],
    samples: &dyn Fn(Region) -> Result<[Samples; 3], PictureError>,
) -> Result<Vec<ColourOffsets>, PictureError> {
    let half = half_diagonal((width, height));
    let centre = [width, height].map(|v| (f64::from(v) - 1.0) / 2.0);
    let alone = |star: &Star| {
        let near = |other: &&Star| {
            (other.x - star.x).hypot(other.y - star.y) < f64::from(HALF)
                && other.flux > 0.02 * star.flux
        };
        stars.iter().filter(near).count() == 1
    };
    let good = stars.iter().filter(|s| s.snr > 40.0 && !s.saturated && s.roundness > 0.6);
    let mut found = Vec::new();
    for star in good.take(MOST) {
        let (x, y) = (star.x.round() as i64, star.y.round() as i64);
        let reach = i64::from(HALF);
        let inside = x >= reach
            && y >= reach
            && x + reach < i64::from(width)
            && y + reach < i64::from(height);
        if !inside || !alone(star) {
            continue;
        }
        let side = 2 * HALF + 1;
        let square =
            Region { x: (x - reach) as u32, y: (y - reach) as u32, width: side, height: side };
        let places = samples(square)?.map(|samples| place(&samples, square, [star.x, star.y]));
        let [Some(red), Some(green), Some(blue)] = places else { continue };
        let off = [red, blue].map(|plane| [plane[0] - green[0], plane[1] - green[1]]);
        let at = [(star.x - centre[0]) / half, (star.y - centre[1]) / half];
        found.push(ColourOffsets { at, off, weight: f64::from(star.snr.min(300.0)).powi(2) });
    }
    Ok(found)
}

/// The position of a star in one colour: its centroid under a window that follows it (Stone 1989).
fn place(samples: &Samples, square: Region, from: [f64; 2]) -> Option<[f64; 2]> {
    let near = |at: f64, from: u32| {
        let (low, high) = (f64::from(from), f64::from(from + square.width - 1));
        at < low + 2.0 || at > high - 2.0
    };
    let border = samples.iter().filter(|[x, y, _]| near(*x, square.x) || near(*y, square.y));
    let level = f64::from(median(&mut border.map(|[_, _, v]| *v as f32).collect::<Vec<_>>()));
    let mut at = from;
    for _ in 0..40 {
        let mut sums = [0.0; 3];
        for [x, y, value] in samples {
            let (dx, dy) = (x - at[0], y - at[1]);
            let window = (-(dx * dx + dy * dy) / (2.0 * WINDOW * WINDOW)).exp();
            let light = window * (value - level);
            sums = [sums[0] + light, sums[1] + light * dx, sums[2] + light * dy];
        }
        if sums[0] <= 0.0 {
            return None;
        }
        // The window pulls the centroid towards its own middle, so that a step is only half of the
        // way.
        let step = [2.0 * sums[1] / sums[0], 2.0 * sums[2] / sums[0]];
        at = [at[0] + step[0], at[1] + step[1]];
        if (at[0] - from[0]).hypot(at[1] - from[1]) > 6.0 {
            return None;
        }
        if step[0].hypot(step[1]) < 1e-3 {
            return Some(at);
        }
    }
    None
}

/// Lateral colour of red and blue, from the stars of all frames of a size; `None` where they are
/// too few. Atmospheric dispersion, which moves all stars alike, is separated.
pub fn lateral_colour(stars: &[ColourOffsets], size: (u32, u32)) -> Option<[LateralColour; 2]> {
    if stars.len() < FEWEST {
        return None;
    }
    let half = half_diagonal(size);
    let [red, blue] = [0, 1].map(|colour| fit(stars, colour, half));
    Some([red?, blue?])
}

fn fit(stars: &[ColourOffsets], colour: usize, half: f64) -> Option<LateralColour> {
    // The colour's magnification, its growth, and the common shift; two rows for each star, one per
    // axis.
    let rows: Vec<(Vector4<f64>, f64, f64)> = stars
        .iter()
        .flat_map(|star| {
            let [x, y] = star.at;
            let r2 = x * x + y * y;
            let across = (Vector4::new(x, x * r2, 1.0, 0.0), star.off[colour][0], star.weight);
            let down = (Vector4::new(y, y * r2, 0.0, 1.0), star.off[colour][1], star.weight);
            [across, down]
        })
        .collect();
    let mut found = Vector4::zeros();
    let mut left = Matrix4::zeros();
    let mut typical = f64::INFINITY;
    for _ in 0..10 {
        left = Matrix4::zeros();
        let mut right = Vector4::zeros();
        for (row, value, weight) in &rows {
            let off = (value - row.dot(&found)) * weight.sqrt() / (3.0 * typical);
            let weight = weight / (1.0 + off * off);
            left += row * row.transpose() * weight;
            right += row * *value * weight;
        }
        found = left.lu().solve(&right)?;
        let mut off: Vec<f32> = rows
            .iter()
            .map(|(row, value, weight)| ((value - row.dot(&found)).abs() * weight.sqrt()) as f32)
            .collect();
        typical = (1.4826 * f64::from(median(&mut off))).max(1e-9);
    }
    let spread = left.try_inverse()? * (typical * typical);
    let error = spread[(0, 0)] + spread[(1, 1)] + 2.0 * spread[(0, 1)];
    Some(LateralColour {
        values: [found[0] / half, found[1] / half].map(|v| v as f32),
        corner_px: found[0] + found[1],
        error_px: error.max(0.0).sqrt(),
    })
}
