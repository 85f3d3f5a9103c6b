//! Finds stars: a matched filter over the background's noise, then centroids under a Gaussian
//! window.

use super::background::{Background, Mesh};
use super::matching::PositionIndex;
use jade_optics::light::Light;
use jade_optics::star::Star;
use jade_optics::statistics::robust_sigma;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use multiversion::multiversion;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::LazyLock;

/// Stars of one picture, and other figures from the search.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct StarList {
    /// Brightest first.
    pub stars: Vec<Star>,
    /// Median full width at half maximum of well measured stars in pixels, if there are any.
    pub star_width: Option<f32>,
    /// Median background level in linear light.
    pub sky_level: f32,
}

/// Width and height of a block that is searched at a time: whole tiles that fit, with intermediate
/// values, into the processor's nearer caches.
const BLOCK: [u32; 2] = [512, 128];
/// Reach of windows and filters beyond a block.
const MARGIN: u32 = 12;
/// Standard deviation of the matched filter in pixels.
const FILTER_SIGMA: f32 = 1.1;
/// Standard deviation of the centroid's window in pixels.
const WINDOW_SIGMA: f32 = 1.6;
/// Detection threshold, in standard deviations of the filtered noise.
const THRESHOLD: f32 = 5.0;
/// Second moment under the window (in square pixels) below which a light is an isolated pixel, not
/// an image that went through a lens.
const ISOLATED_PIXEL: f32 = 0.26;
/// Shorter by longer axis (as variances) below which a light is part of a line.
const LINE: f32 = 0.36;
/// Full width at half maximum in pixels beyond which the window measures only a slope.
const WIDEST: f32 = 10.0;
/// Least share of the noise that the matched filter is assumed to leave: 0.26 where the noise of
/// neighbouring pixels is independent, less where a frame was sharpened.
const LEAST_NOISE: f32 = 0.15;
/// Most stars that are kept.
const MOST: usize = 6000;

/// Finds the stars of a picture; memory is bounded by the block, whatever the picture's size.
///
/// # Errors
/// [`PictureError::Io`], [`PictureError::Cancelled`] when `stop` says so.
pub fn find(light: &dyn Light, stop: &(dyn Fn() -> bool + Sync)) -> Result<StarList, PictureError> {
    let background = Background::measure(light)?;
    let (width, height) = light.size();
    let found: Result<Vec<Vec<Star>>, PictureError> = Region::covering(width, height, BLOCK)
        .into_par_iter()
        .map_init(FilteredBlock::default, |patch, block| {
            if stop() {
                return Err(PictureError::Cancelled);
            }
            let outer = block.widened(MARGIN, (width, height));
            patch.read(light, &background, outer)?;
            Ok(patch.search(block))
        })
        .collect();
    let mut stars: Vec<Star> = found?.into_iter().flatten().collect();
    stars.sort_by(|a, b| b.flux.total_cmp(&a.flux));
    stars.truncate(MOST);
    let star_width = typical_width(&stars);
    Ok(StarList { stars, star_width, sky_level: background.median_level() })
}

impl StarList {
    /// Standard error of `star_width` in pixels.
    pub fn star_width_error(&self) -> Option<f32> {
        let widths: Vec<f32> =
            self.stars.iter().filter(|s| s.measures_well()).map(|s| s.width).collect();
        // The error of a median is a quarter above that of a mean (normal distribution).
        let spread = robust_sigma(&widths, self.star_width?);
        Some(1.253 * spread / (widths.len() as f32).sqrt())
    }
}

fn typical_width(stars: &[Star]) -> Option<f32> {
    let widths = stars.iter().filter(|s| s.measures_well()).map(|s| s.width).collect();
    middle(widths)
}

fn middle(mut widths: Vec<f32>) -> Option<f32> {
    (!widths.is_empty()).then(|| jade_optics::statistics::median(&mut widths))
}

/// Median width in `result` of those stars that measure well in `reference`, so that the two widths
/// can be compared; `origin` is the result's top-left pixel in the reference frame.
pub fn width_of_the_same(result: &[Star], reference: &[Star], origin: [u32; 2]) -> Option<f32> {
    let well: Vec<&Star> = reference.iter().filter(|s| s.measures_well()).collect();
    let shifted = |s: &&Star| [s.x - origin[0] as f64, s.y - origin[1] as f64];
    let places = PositionIndex::new(well.iter().map(shifted).collect(), 4.0);
    let same = result.iter().filter(|s| places.nearest([s.x, s.y], 1.5).is_some());
    middle(same.map(|s| s.width).collect())
}

/// A block's light above the background, before and after the matched filter; scratch memory for
/// every block.
#[derive(Default)]
struct FilteredBlock {
    region: Option<Region>,
    above: Vec<f32>,
    filtered: Vec<f32>,
    mesh: Mesh,
    /// Standard deviation of the noise in `filtered`, in units of the mesh's noise.
    noise: f32,
    rows: Vec<f32>,
    sample: Vec<f32>,
}

impl FilteredBlock {
    fn read(
        &mut self,
        light: &dyn Light,
        background: &Background,
        region: Region,
    ) -> Result<(), PictureError> {
        self.region = Some(region);
        let Self { above, filtered, mesh, rows, sample, .. } = self;
        filtered.resize(region.area(), 0.0);
        // The last window reads beyond the last value.
        above.resize(region.area() + WINDOW, 0.0);
        let above = &mut above[..region.area()];
        light.fill_mean(region, above)?;
        background.mesh(region, mesh);
        let width = region.width as usize;
        matched(above, width, rows, filtered, |y, row| mesh.subtract_level(y, row));
        // The noise of neighbouring pixels may be correlated, so the filtered noise is measured:
        // from differences to pixels on both sides, as the subtracted level is wrong for a while
        // where brightness jumps.
        const STEP: usize = 61;
        const APART: usize = 8;
        sample.clear();
        for (y, row) in filtered.chunks_exact(width).enumerate() {
            let some = row.windows(2 * APART + 1).enumerate().skip(y * 7 % STEP).step_by(STEP);
            sample.extend(some.map(|(x, f)| {
                let off = f[APART] - (f[0] + f[2 * APART]) / 2.0;
                off / mesh.noise(x + APART, y)
            }));
        }
        let spread = if sample.is_empty() { 1.0 } else { robust_sigma(sample, 0.0) };
        self.noise = (spread / 1.5f32.sqrt()).clamp(LEAST_NOISE, 1.0);
        Ok(())
    }

    fn search(&self, block: Region) -> Vec<Star> {
        let mut stars = Vec::new();
        let (mut thresholds, mut bright) = (Vec::new(), Vec::new());
        let Some(region) = self.region else { return stars };
        let (width, height) = (region.width as usize, region.height as usize);
        let (left, top) = ((block.x - region.x) as usize, (block.y - region.y) as usize);
        let columns = left.max(4)..(left + block.width as usize).min(width.saturating_sub(4));
        if columns.is_empty() {
            return stars;
        }
        for y in top.max(4)..(top + block.height as usize).min(height.saturating_sub(4)) {
            let row = &self.filtered[y * width..][columns.clone()];
            thresholds.clear();
            let begins = columns.clone().step_by(RUN);
            thresholds.extend(begins.map(|from| THRESHOLD * self.noise_at(from, y)));
            bright.resize(thresholds.len(), false);
            runs_with_light(row, &thresholds, &mut bright);
            // Most runs contain nothing.
            for (run, threshold) in thresholds.iter().enumerate().filter(|(i, _)| bright[*i]) {
                let from = columns.start + run * RUN;
                for x in from..(from + RUN).min(columns.end) {
                    let at = y * width + x;
                    let value = self.filtered[at];
                    if value >= *threshold
                        && self.is_peak(at, width, value)
                        && value - self.around([x, y], [width, height]) >= *threshold
                    {
                        stars.extend(self.measure(region, x, y));
                    }
                }
            }
        }
        stars
    }

    /// Standard deviation of the noise in `filtered`.
    fn noise_at(&self, x: usize, y: usize) -> f32 {
        self.noise * self.mesh.noise(x, y)
    }

    fn is_peak(&self, at: usize, width: usize, value: f32) -> bool {
        (0..5).all(|dy| {
            let row = at + dy * width - 2 * width - 2;
            self.filtered[row..row + 5]
                .iter()
                .enumerate()
                // Of equal neighbours the last one wins.
                .all(|(dx, &v)| if (dy, dx) <= (2, 2) { v <= value } else { v < value })
        })
    }

    /// The median of `filtered` in a ring around a pixel: on a slope, or at the rim of a surface,
    /// it equals the local level.
    fn around(&self, [x, y]: [usize; 2], [width, height]: [usize; 2]) -> f32 {
        const RING: [[isize; 2]; 8] =
            [[-7, 0], [-5, -5], [0, -7], [5, -5], [7, 0], [5, 5], [0, 7], [-5, 5]];
        let mut ring = RING.map(|[dx, dy]| {
            let x = x.saturating_add_signed(dx).min(width - 1);
            let y = y.saturating_add_signed(dy).min(height - 1);
            self.filtered[y * width + x]
        });
        ring.sort_unstable_by(f32::total_cmp);
        (ring[3] + ring[4]) / 2.0
    }

    /// Centre, width and flux under a Gaussian window that follows the centre.
    fn measure(&self, region: Region, px: usize, py: usize) -> Option<Star> {
        let (width, height) = (region.width as isize, region.height as isize);
        let (mut cx, mut cy) = (px as f32, py as f32);
        let mut moments = [0.0f32; 4];
        for _ in 0..12 {
            let (ix, iy) = (cx.round() as isize, cy.round() as isize);
            if ix < REACH || iy < REACH || ix >= width - REACH || iy >= height - REACH {
                return None;
            }
            let (columns, rows) = (window(cx - ix as f32), window(cy - iy as f32));
            // The columns' sums, and those weighted by the distance from the centre and its square.
            let mut sums = [[0.0f32; WINDOW]; 3];
            for (y, row) in (iy - REACH..=iy + REACH).zip(rows) {
                let from = (y * width + ix - REACH) as usize;
                let values: &[f32; WINDOW] =
                    self.above[from..from + WINDOW].try_into().expect("as long");
                let factors = [row.weight, row.weight * row.off, row.weight * row.off * row.off];
                for (sums, factor) in sums.iter_mut().zip(factors) {
                    for lane in 0..WINDOW {
                        sums[lane] += factor * values[lane];
                    }
                }
            }
            let (mut sum, mut sx, mut sy) = (0.0, 0.0, 0.0);
            let (mut sxx, mut syy, mut sxy) = (0.0, 0.0, 0.0);
            for (lane, column) in columns.iter().enumerate() {
                let [all, off, square] = sums.map(|sums| sums[lane] * column.weight);
                sum += all;
                sx += all * column.off;
                sy += off;
                sxx += all * column.off * column.off;
                syy += square;
                sxy += off * column.off;
            }
            if sum <= 0.0 {
                return None;
            }
            // Twice the windowed offset, as the window pulls towards its own middle.
            let (mx, my) = (2.0 * sx / sum, 2.0 * sy / sum);
            cx += mx;
            cy += my;
            moments = [sum, sxx / sum, syy / sum, sxy / sum];
            if (cx - px as f32).abs() > 2.0 || (cy - py as f32).abs() > 2.0 {
                return None;
            }
            if mx.abs() < 1e-3 && my.abs() < 1e-3 {
                break;
            }
        }
        let [flux, xx, yy, xy] = moments;
        let mean = (xx + yy) / 2.0;
        let split = ((xx - yy) / 2.0).hypot(xy);
        let (longer, shorter) = (mean + split, mean - split);
        if mean < ISOLATED_PIXEL || shorter < LINE * longer {
            return None;
        }
        // A Gaussian seen through a Gaussian window: the inverse variances add.
        let window = 1.0 / (WINDOW_SIGMA * WINDOW_SIGMA);
        let variance = 1.0 / (1.0 / mean - window).max(0.02);
        let at = py * width as usize + px;
        let star_width = 2.3548 * variance.sqrt();
        let saturated = self.above[at] + self.mesh.level(px, py) > 0.97;
        if star_width > WIDEST && !saturated {
            return None;
        }
        Some(Star {
            x: (region.x as f32 + cx) as f64,
            y: (region.y as f32 + cy) as f64,
            flux,
            width: star_width,
            roundness: (shorter / longer).sqrt(),
            snr: self.filtered[at] / self.noise_at(px, py),
            saturated,
        })
    }
}

/// Number of values that are compared with one threshold.
const RUN: usize = 16;
/// Reach of the centroid's window in pixels.
const REACH: isize = 5;
/// Values of a row that are read at once: the window, filled up to a vector register.
const WINDOW: usize = 16;

/// A column or row of the centroid's window.
#[derive(Clone, Copy, Default)]
struct WindowLine {
    /// Distance from the centre in pixels.
    off: f32,
    weight: f32,
}

/// The Gaussian window around a centre that lies `part` pixels beyond the middle one; the products
/// `exp(-(k - part)^2 a) = exp(-k^2 a) exp(-part^2 a) exp(2 part a)^k` need two exponentials.
fn window(part: f32) -> [WindowLine; 2 * REACH as usize + 1] {
    const A: f32 = 0.5 / (WINDOW_SIGMA * WINDOW_SIGMA);
    static STILL: LazyLock<[f32; REACH as usize + 1]> =
        LazyLock::new(|| std::array::from_fn(|k| (-((k * k) as f32) * A).exp()));
    let middle = (-part * part * A).exp();
    let growth = (2.0 * part * A).exp();
    let mut parts = [WindowLine::default(); 2 * REACH as usize + 1];
    let (mut up, mut down) = (middle, middle);
    for (k, still) in STILL.iter().enumerate() {
        let (right, left) = (REACH as usize + k, REACH as usize - k);
        parts[right] = WindowLine { off: k as f32 - part, weight: still * up };
        parts[left] = WindowLine { off: -(k as f32) - part, weight: still * down };
        up *= growth;
        down /= growth;
    }
    parts
}

/// Reach of the matched filter in pixels.
const FILTER_REACH: usize = 4;

/// Convolution with a Gaussian of norm one, edges repeated, of rows that `prepare` provides. `ring`
/// is memory for rows that are filtered along rows only.
fn matched(
    values: &mut [f32],
    width: usize,
    ring: &mut Vec<f32>,
    out: &mut [f32],
    prepare: impl Fn(usize, &mut [f32]),
) {
    const TALL: usize = 2 * FILTER_REACH + 1;
    let mut kernel: [f32; TALL] = std::array::from_fn(|i| {
        let d = i as f32 - FILTER_REACH as f32;
        (-d * d / (2.0 * FILTER_SIGMA * FILTER_SIGMA)).exp()
    });
    let sum: f32 = kernel.iter().sum();
    kernel.iter_mut().for_each(|k| *k /= sum);
    let height = values.len() / width;
    ring.resize(TALL * width, 0.0);
    let mut padded = vec![0.0; width + 2 * FILTER_REACH];
    let mut ready = 0;
    for (y, to) in out.chunks_exact_mut(width).enumerate() {
        for y in ready..(y + FILTER_REACH + 1).min(height) {
            let from = &mut values[y * width..(y + 1) * width];
            prepare(y, from);
            padded[..FILTER_REACH].fill(from[0]);
            padded[FILTER_REACH..FILTER_REACH + width].copy_from_slice(from);
            padded[FILTER_REACH + width..].fill(from[width - 1]);
            let shifted = std::array::from_fn(|i| &padded[i..]);
            weigh(&kernel, shifted, &mut ring[y % TALL * width..][..width]);
        }
        ready = (y + FILTER_REACH + 1).min(height);
        let near = std::array::from_fn(|i| {
            let row = (y + i).saturating_sub(FILTER_REACH).min(height - 1);
            &ring[row % TALL * width..][..width]
        });
        weigh(&kernel, near, to);
    }
}

/// Marks the runs of [`RUN`] values in which some value reaches its threshold.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
#[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
fn runs_with_light(row: &[f32], thresholds: &[f32], bright: &mut [bool]) {
    const FEW: usize = 8;
    bright.fill(false);
    let any = |run: &[f32], threshold: f32| run.iter().any(|v| *v >= threshold);
    for (first, some) in row.chunks(FEW * RUN).enumerate() {
        let (first, last) = (first * FEW, first * FEW + some.len().div_ceil(RUN));
        // All runs at once, lane by lane, as most contain nothing.
        let (runs, rest) = some.as_chunks::<RUN>();
        let mut most = [-1.0f32; RUN];
        for (run, threshold) in runs.iter().zip(&thresholds[first..last]) {
            for lane in 0..RUN {
                let over = run[lane] - threshold;
                most[lane] = if over > most[lane] { over } else { most[lane] };
            }
        }
        if rest.is_empty() && most.iter().all(|over| *over < 0.0) {
            continue;
        }
        for ((run, threshold), bright) in
            some.chunks(RUN).zip(&thresholds[first..last]).zip(&mut bright[first..last])
        {
            *bright = any(run, *threshold);
        }
    }
}

/// The weighted sum of nine rows.
#[multiversion(targets("x86_64+avx512f+avx512vl+fma", "x86_64+avx2+fma"))]
fn weigh(
    kernel: &[f32; 2 * FILTER_REACH + 1],
    rows: [&[f32]; 2 * FILTER_REACH + 1],
    to: &mut [f32],
) {
    const RUN: usize = 32;
    let mut begin = 0;
    while begin + RUN <= to.len() {
        let mut sums = [0.0f32; RUN];
        for (k, row) in kernel.iter().zip(rows) {
            let row: &[f32; RUN] = row[begin..begin + RUN].try_into().expect("as long");
            for lane in 0..RUN {
                sums[lane] += k * row[lane];
            }
        }
        to[begin..begin + RUN].copy_from_slice(&sums);
        begin += RUN;
    }
    for (i, to) in to.iter_mut().enumerate().skip(begin) {
        *to = kernel.iter().zip(rows).map(|(k, row)| k * row[i]).sum();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A faint level with stars at known places, noise, and one isolated bright pixel.
    struct Made {
        stars: Vec<(f64, f64, f64)>,
        isolated: (u32, u32),
        /// First row of a brighter surface, and its share of the noise.
        surface: Option<(u32, f64)>,
    }

    impl Light for Made {
        fn size(&self) -> (u32, u32) {
            (300, 200)
        }
        fn fill(
            &self,
            region: Region,
            planes: [&mut [f32]; 3],
            stride: usize,
        ) -> Result<(), PictureError> {
            let mut plane = Vec::new();
            for y in region.y..region.y + region.height {
                for x in region.x..region.x + region.width {
                    let hash = blake3::hash(&[x.to_le_bytes(), y.to_le_bytes()].concat());
                    let bytes = hash.as_bytes();
                    let noise: f64 = bytes[..12].iter().map(|&b| b as f64 / 255.0 - 0.5).sum();
                    if let Some((_, share)) = self.surface.filter(|(from, _)| y >= *from) {
                        plane.push((0.14 + 0.002 * share * noise) as f32);
                        continue;
                    }
                    let mut value = 0.03 + 0.002 * noise + 0.00005 * x as f64;
                    for &(sx, sy, peak) in &self.stars {
                        let r2 = (x as f64 - sx).powi(2) + (y as f64 - sy).powi(2);
                        value += peak * (-r2 / (2.0 * 0.95f64.powi(2))).exp();
                    }
                    if (x, y) == self.isolated {
                        value += 0.5;
                    }
                    plane.push(value as f32);
                }
            }
            for out in planes {
                let rows = out.chunks_mut(stride).zip(plane.chunks(region.width as usize));
                rows.for_each(|(out, row)| out[..row.len()].copy_from_slice(row));
            }
            Ok(())
        }
    }

    #[test]
    fn stars_are_found_where_they_are_and_lone_pixels_are_not() {
        let stars: Vec<(f64, f64, f64)> = (0..24)
            .map(|i| (20.3 + 45.17 * (i % 6) as f64, 25.6 + 44.71 * (i / 6) as f64, 0.06))
            .collect();
        let made = Made { stars: stars.clone(), isolated: (42, 47), surface: None };
        let list = find(&made, &|| false).unwrap();
        assert!(list.stars.iter().all(|s| (s.x - 42.0).hypot(s.y - 47.0) > 3.0), "lone pixel");
        let mut squares = 0.0;
        for &(x, y, _) in &stars {
            let off = list.stars.iter().map(|s| (s.x - x).hypot(s.y - y)).fold(99.0, f64::min);
            assert!(off < 0.2, "star at {x:.1} {y:.1} is off by {off:.3} px");
            squares += off * off / 2.0;
        }
        let rms = (squares / stars.len() as f64).sqrt();
        assert!(rms < 0.05, "{rms:.3} px rms along an axis at a peak of 30 sigma");
        let width = list.star_width.unwrap();
        assert!((width - 2.237).abs() < 0.1, "width {width}");
        assert!((list.sky_level - 0.0375).abs() < 0.002);
    }

    #[test]
    fn a_surface_shows_no_stars_whether_it_has_noise_or_not() {
        let stars: Vec<(f64, f64, f64)> = (0..24)
            .map(|i| (20.3 + 45.17 * (i % 6) as f64, 12.6 + 11.71 * (i / 6) as f64, 0.06))
            .collect();
        for share in [0.0, 0.01, 0.3, 1.0] {
            for from in [50, 64, 83, 96, 110] {
                let made =
                    Made { stars: stars.clone(), isolated: (42, 47), surface: Some((from, share)) };
                let list = find(&made, &|| false).unwrap();
                let (on_it, above): (Vec<Star>, Vec<Star>) =
                    list.stars.into_iter().partition(|s| s.y > from as f64 + 3.0);
                let said = format!("{on_it:?} with {share} of the noise from row {from}");
                // One in some ten thousand pixels of pure noise is that bright.
                assert!(on_it.len() <= 3 && above.len() >= 12, "{} and {said}", above.len());
            }
        }
    }
}
