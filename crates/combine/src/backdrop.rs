//! The light of a layer in coarse squares, extended to where the layer has none: what lies behind
//! an edge.

use jade_optics::light::Light;
use jade_optics::statistics::median;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TiledFile};

/// Side of a square in pixels.
pub const SQUARE: u32 = 16;
/// Least number of pixels by which the light of a square is measured.
const FEWEST: usize = 24;

/// The light of one side of a picture, extended beyond it.
pub struct Backdrop {
    across: usize,
    down: usize,
    light: Vec<[f32; 3]>,
}

/// The light of one square: the median of its pixels, or `None` where they are too few.
pub fn square(pixels: &[[f32; 3]]) -> Option<[f32; 3]> {
    (pixels.len() >= FEWEST)
        .then(|| [0, 1, 2].map(|c| median(&mut pixels.iter().map(|p| p[c]).collect::<Vec<_>>())))
}

impl Backdrop {
    /// From the light of squares, row by row, that cover a picture of this size; `None` for squares
    /// without light.
    pub fn new((width, height): (u32, u32), squares: &[Option<[f32; 3]>]) -> Self {
        let (across, down) = (width.div_ceil(SQUARE) as usize, height.div_ceil(SQUARE) as usize);
        let weights: Vec<f32> =
            squares.iter().map(|square| f32::from(u8::from(square.is_some()))).collect();
        let mut light: Vec<[f32; 3]> =
            squares.iter().map(|square| square.unwrap_or_default()).collect();
        extend(&mut light, &weights, across, down);
        Self { across, down, light }
    }

    /// The light at a pixel, interpolated linearly between the middles of squares.
    pub fn at(&self, x: f32, y: f32) -> [f32; 3] {
        let place = |v: f32, count: usize| {
            let v = ((v + 0.5) / SQUARE as f32 - 0.5).clamp(0.0, (count - 1) as f32);
            let low = (v as usize).min(count.saturating_sub(2));
            (low, (low + 1).min(count - 1), v - low as f32)
        };
        let (x0, x1, fx) = place(x, self.across);
        let (y0, y1, fy) = place(y, self.down);
        let light_at = |x: usize, y: usize| self.light[y * self.across + x];
        let (a, b, c, d) = (light_at(x0, y0), light_at(x1, y0), light_at(x0, y1), light_at(x1, y1));
        std::array::from_fn(|i| {
            let (top, low) = (a[i] + fx * (b[i] - a[i]), c[i] + fx * (d[i] - c[i]));
            top + fy * (low - top)
        })
    }
}

/// Fills pixels that have no light, or only a little weight, from those around them, by a pyramid
/// of weighted means (Burt & Adelson 1983; Gortler et al. 1996).
pub fn extend(light: &mut [[f32; 3]], weights: &[f32], width: usize, height: usize) {
    if width * height <= 1 {
        return;
    }
    let (half_width, half_height) = (width.div_ceil(2), height.div_ceil(2));
    let mut sums = vec![[0.0f32; 3]; half_width * half_height];
    let mut totals = vec![0.0f32; half_width * half_height];
    for (i, (cell, weight)) in light.iter().zip(weights).enumerate() {
        let to = i / width / 2 * half_width + i % width / 2;
        sums[to].iter_mut().zip(cell).for_each(|(sum, v)| *sum += weight * v);
        totals[to] += weight;
    }
    for (sum, total) in sums.iter_mut().zip(&mut totals) {
        *sum = sum.map(|v| v / total.max(1e-9));
        *total = total.min(1.0);
    }
    extend(&mut sums, &totals, half_width, half_height);
    for (i, (cell, weight)) in light.iter_mut().zip(weights).enumerate() {
        if *weight >= 1.0 {
            continue;
        }
        // Interpolated between the four nearest coarser ones.
        let place = |at: usize, count: usize| {
            let v = (at as f32 * 0.5 - 0.25).clamp(0.0, (count - 1) as f32);
            (v as usize, (v as usize + 1).min(count - 1), v.fract())
        };
        let (x0, x1, fx) = place(i % width, half_width);
        let (y0, y1, fy) = place(i / width, half_height);
        for (c, value) in cell.iter_mut().enumerate() {
            let at = |x: usize, y: usize| sums[y * half_width + x][c];
            let top = at(x0, y0) + fx * (at(x1, y0) - at(x0, y0));
            let low = at(x0, y1) + fx * (at(x1, y1) - at(x0, y1));
            *value = weight * *value + (1.0 - weight) * (top + fy * (low - top));
        }
    }
}

/// A layer of a picture whose gaps are filled from its backdrop.
pub struct Extended<'a> {
    /// The layer; pixels without light are NaN.
    pub layer: &'a TiledFile<f32>,
    /// Its top-left pixel in the reference frame.
    pub origin: [u32; 2],
    /// The reference frame's size.
    pub size: (u32, u32),
    /// The light of the gaps, in pixels of the layer.
    pub backdrop: &'a Backdrop,
}

impl Light for Extended<'_> {
    fn size(&self) -> (u32, u32) {
        self.size
    }

    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        let [left, top] = self.origin;
        let (right, low) = (left + self.layer.width(), top + self.layer.height());
        let (x0, y0) = (region.x.max(left), region.y.max(top));
        let x1 = (region.x + region.width).min(right);
        let y1 = (region.y + region.height).min(low);
        let [red, green, blue] = planes;
        let whole = (x0, y0, x1, y1)
            == (region.x, region.y, region.x + region.width, region.y + region.height);
        if !whole {
            // Beyond the layer, the light is the backdrop's.
            for y in 0..region.height {
                for x in 0..region.width {
                    let inner = |v: u32, from: u32| v as f32 - from as f32;
                    let place = (inner(region.x + x, left), inner(region.y + y, top));
                    let at = y as usize * stride + x as usize;
                    [red[at], green[at], blue[at]] = self.backdrop.at(place.0, place.1);
                }
            }
        }
        if x0 >= x1 || y0 >= y1 {
            return Ok(());
        }
        let there = Region { x: x0 - left, y: y0 - top, width: x1 - x0, height: y1 - y0 };
        self.layer.visit_region(there, &mut Vec::new(), |x, y, samples| {
            let row = (y + top - region.y) as usize * stride;
            let at = row + (x + left - region.x) as usize;
            let pixels = samples.as_chunks::<3>().0;
            for (i, pixel) in pixels.iter().enumerate() {
                let pixel = match pixel[0].is_nan() {
                    true => self.backdrop.at((x + i as u32) as f32, y as f32),
                    false => *pixel,
                };
                [red[at + i], green[at + i], blue[at + i]] = pixel;
            }
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn light_goes_on_smoothly_where_there_is_none() {
        let (width, height) = (40usize, 30usize);
        let slope = |x: usize| 0.2 + 0.004 * x as f32;
        let mut light: Vec<[f32; 3]> =
            (0..width * height).map(|i| [slope(i % width), 0.5, 9.0]).collect();
        let weights: Vec<f32> =
            (0..width * height).map(|i| if i / width < 15 { 1.0 } else { 0.0 }).collect();
        let known = light.clone();
        for (cell, weight) in light.iter_mut().zip(&weights) {
            if *weight == 0.0 {
                *cell = [f32::MAX, -7.0, 0.0];
            }
        }
        extend(&mut light, &weights, width, height);
        for (i, (cell, known)) in light.iter().zip(&known).enumerate() {
            let off = (cell[0] - known[0]).abs();
            // The light is that of a few pixels around; further beyond, of more of them.
            let limit = if i / width < 15 { 0.0 } else { 0.004 * (2 * (i / width) - 22) as f32 };
            assert!(off <= limit, "{off} in column {}, row {}", i % width, i / width);
            assert!((cell[1] - 0.5).abs() < 1e-4 && (cell[2] - 9.0).abs() < 1e-3);
        }
    }

    #[test]
    fn a_backdrop_gives_back_what_is_straight() {
        let size = (320, 200);
        let squares: Vec<Option<[f32; 3]>> = (0..20 * 13)
            .map(|i| Some([(i % 20) as f32 * 16.0 + 7.5, (i / 20) as f32 * 16.0 + 7.5, 1.0]))
            .collect();
        let backdrop = Backdrop::new(size, &squares);
        for (x, y) in [(40.0, 90.0), (200.3, 100.7)] {
            let [found_x, found_y, one] = backdrop.at(x, y);
            assert!((found_x - x).abs() < 1e-2 && (found_y - y).abs() < 1e-2 && one == 1.0);
        }
        assert_eq!(square(&[[1.0; 3]; 5]), None);
        assert_eq!(square(&[[0.25; 3]; 30]), Some([0.25; 3]));
    }
}
