//! Lateral colour of developed mosaics.
//!
//! Where a mosaic's missing colours were filled in, each follows those beside it, and none lies any
//! longer where the lens drew it; only at their own photosites they are as recorded. So the mosaic is
//! taken back from the developed frame. Each recorded red is set against the green that belongs to it,
//! wherever the lens drew that; the difference, which is smooth, is carried to where that green is, and
//! green and this difference are the red that a photosite there would have recorded through a lens
//! without the flaw. From the mosaic of these the missing colours are found anew. Nothing is resampled
//! but differences.

use super::Geometry;
use crate::prepare::demosaic::{self, Band, Demosaic, MARGIN};
use jade_pixels::mosaic::Pattern;
use jade_pixels::read::Orientation;
use jade_pixels::tiled::Region;

/// Brings red and blue of one frame onto its green.
pub struct Realign {
    lens: Geometry,
    size: (u32, u32),
    way: Demosaic,
    /// Colours of the photosites as the frame is seen.
    pattern: Pattern,
    /// Parity of columns and rows that have photosites of red, and of blue.
    sites: [[u32; 2]; 2],
    reach: u32,
}

/// The colours that are moved.
const MOVED: [usize; 2] = [0, 2];
/// The first round sets colours against green that was found beside unmoved ones, each next one against
/// better green; after the third nothing is left that can be measured.
const ROUNDS: u32 = 3;

impl Realign {
    /// For a mosaic of a stored size that is seen under an orientation; `None` where the lens draws
    /// no colours apart.
    pub fn of(
        lens: &Geometry,
        way: Demosaic,
        pattern: Pattern,
        orientation: Orientation,
        stored: (u32, u32),
    ) -> Option<Self> {
        let size = orientation.size(stored);
        // Smaller pictures have no neighbours to find colours by.
        if !lens.parts_colours() || size.0.min(size.1) < 2 * MARGIN as u32 {
            return None;
        }
        let colour = |x: u32, y: u32| {
            let [x, y] = orientation.stored_place([f64::from(x), f64::from(y)], stored);
            pattern.colour(x as u32, y as u32)
        };
        let sites = MOVED.map(|own| {
            let places = (0..4).map(|i| [i % 2, i / 2]);
            places.into_iter().find(|[x, y]| colour(*x, *y) == own).unwrap_or_default()
        });
        let corner = [f64::from(size.0) - 1.0, f64::from(size.1) - 1.0];
        let far = |colour: usize| {
            let [x, y] = lens.colour(colour, corner);
            (x - corner[0]).hypot(y - corner[1])
        };
        // Sites on either side, the green around the furthest, and what curves on the way.
        let reach = (1.2 * far(0).max(far(2)) + 4.0).ceil() as u32 + MARGIN as u32;
        let mut colours = [[1; 2]; 2];
        for (own, [x, y]) in MOVED.into_iter().zip(sites) {
            colours[y as usize][x as usize] = own as u8;
        }
        let (lens, reach) = (lens.clone(), reach * ROUNDS);
        Some(Self { lens, size, way, pattern: Pattern::new(colours)?, sites, reach })
    }

    /// What has to be read of the frame for a region.
    pub fn around(&self, region: Region) -> Region {
        // Even, so that colours begin as they do in the frame.
        let before = |from: u32| from.saturating_sub(self.reach) & !1;
        let (x, y) = (before(region.x), before(region.y));
        let right = (region.x + region.width + self.reach).min(self.size.0);
        let low = (region.y + region.height + self.reach).min(self.size.1);
        Region { x, y, width: right - x, height: low - y }
    }

    /// Fills planes with the light of `region`, rows `stride` apart, from that of the region
    /// `around` it; all of it balanced, and not mixed.
    pub fn fill(
        &self,
        around: Region,
        light: &[Vec<f32>; 3],
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) {
        let (wide, tall) = (around.width as usize, around.height as usize);
        let moved = [0, 1].map(|i| self.moved(MOVED[i], self.sites[i], around));
        let mut found = vec![0.0; wide * tall * 3];
        let mut green = light[1].clone();
        for _ in 0..ROUNDS {
            let mosaic = self.mosaic(around, &moved, light, &green);
            let band = Band { size: [wide, tall], light: &mosaic, pattern: self.pattern };
            demosaic::demosaic(&band, self.way, &mut demosaic::Room::default(), &mut found);
            let pixels = found.as_chunks::<3>().0;
            green.iter_mut().zip(pixels).for_each(|(green, pixel)| *green = pixel[1]);
        }
        let pixels = found.as_chunks::<3>().0;
        let (left, top) = ((region.x - around.x) as usize, (region.y - around.y) as usize);
        for (colour, plane) in planes.into_iter().enumerate() {
            for y in 0..region.height as usize {
                let from = &pixels[(top + y) * wide + left..];
                let row = &mut plane[y * stride..][..region.width as usize];
                row.iter_mut().zip(from).for_each(|(to, pixel)| *to = pixel[colour]);
            }
        }
    }

    /// What the photosites would have recorded without the flaw, with a margin around them; `green`
    /// is that of the last round.
    fn mosaic(
        &self,
        around: Region,
        moved: &[Moved; 2],
        light: &[Vec<f32>; 3],
        green: &[f32],
    ) -> Vec<f32> {
        let (wide, tall) = (around.width as usize, around.height as usize);
        let mut own = light[1].clone();
        for (colour, moved) in MOVED.into_iter().zip(moved) {
            let beyond = moved.beyond_green(&light[colour], green, wide);
            for (j, drawn) in moved.drawn.chunks_exact(moved.across).enumerate() {
                let row = (2 * j + moved.first[1]) * wide + moved.first[0];
                for (i, drawn) in drawn.iter().enumerate() {
                    let at = row + 2 * i;
                    own[at] = green[at] + beyond.at(*drawn);
                }
            }
        }
        let stride = wide + 2 * MARGIN;
        let mut all = vec![0.0; stride * (tall + 2 * MARGIN)];
        for (y, row) in all.chunks_exact_mut(stride).enumerate() {
            let from = demosaic::mirrored(y as isize - MARGIN as isize, tall) * wide;
            row[MARGIN..MARGIN + wide].copy_from_slice(&own[from..from + wide]);
            for x in 0..MARGIN {
                let (before, after) = (x as isize - MARGIN as isize, (wide + x) as isize);
                row[x] = own[from + demosaic::mirrored(before, wide)];
                row[MARGIN + wide + x] = own[from + demosaic::mirrored(after, wide)];
            }
        }
        all
    }

    /// Where the photosites of a colour and their green lie.
    fn moved(&self, colour: usize, sites: [u32; 2], around: Region) -> Moved {
        let corner = [around.x, around.y];
        let first = [0, 1].map(|axis| ((corner[axis] + sites[axis]) % 2) as usize);
        let count = |long: u32, first: usize| (long as usize).saturating_sub(first).div_ceil(2);
        let (across, down) = (count(around.width, first[0]), count(around.height, first[1]));
        let (mut green, mut drawn) = (Vec::new(), Vec::new());
        let offset = corner.map(f64::from);
        let inside = |at: [f64; 2]| [0, 1].map(|axis| (at[axis] - offset[axis]) as f32);
        for j in 0..down {
            for i in 0..across {
                let place = [first[0] + 2 * i, first[1] + 2 * j];
                let site = [0, 1].map(|axis| place[axis] as f64 + offset[axis]);
                let there = self.lens.colour(colour, site);
                drawn.push(inside(there));
                // Where the lens drew the green of what is red here, in two steps.
                let mut own = [0, 1].map(|axis| 2.0 * site[axis] - there[axis]);
                let there = self.lens.colour(colour, own);
                own = [0, 1].map(|axis| site[axis] - (there[axis] - own[axis]));
                green.push(inside(own));
            }
        }
        Moved { across, first, green, drawn }
    }
}

/// Photosites of one colour in a region, every second column and row of it; places are counted from
/// its corner.
struct Moved {
    across: usize,
    first: [usize; 2],
    /// Where the lens drew the green that belongs to what was recorded at each.
    green: Vec<[f32; 2]>,
    /// Where it drew the colour that belongs to the green at each.
    drawn: Vec<[f32; 2]>,
}

impl Moved {
    /// How much more light the colour has than the green that belongs to it.
    fn beyond_green(&self, own: &[f32], green: &[f32], wide: usize) -> Lattice {
        let mut values = Vec::with_capacity(self.green.len());
        for (j, places) in self.green.chunks_exact(self.across).enumerate() {
            let row = (2 * j + self.first[1]) * wide + self.first[0];
            let places = places.iter().enumerate();
            values.extend(places.map(|(i, there)| own[row + 2 * i] - cubic(green, wide, *there)));
        }
        let down = self.green.len() / self.across.max(1);
        Lattice { values, across: self.across, down, first: self.first.map(|v| v as f32) }
    }
}

/// Values at every second column and row.
struct Lattice {
    values: Vec<f32>,
    across: usize,
    down: usize,
    first: [f32; 2],
}

impl Lattice {
    /// Between four values.
    fn at(&self, [x, y]: [f32; 2]) -> f32 {
        let part = |at: f32, first: f32, count: usize| {
            let at = ((at - first) * 0.5).clamp(0.0, (count - 1) as f32);
            let whole = (at as usize).min(count.saturating_sub(2));
            (whole, at - whole as f32)
        };
        let (i, u) = part(x, self.first[0], self.across);
        let (j, v) = part(y, self.first[1], self.down);
        let row = |j: usize| {
            let at = j.min(self.down - 1) * self.across + i;
            let next = at + usize::from(i + 1 < self.across);
            self.values[at] + (self.values[next] - self.values[at]) * u
        };
        row(j) + (row(j + 1) - row(j)) * v
    }
}

/// A plane's value between its pixels, by the cubic through four along each axis (Keys 1981).
fn cubic(plane: &[f32], wide: usize, [x, y]: [f32; 2]) -> f32 {
    let tall = plane.len() / wide;
    let weights = |t: f32| {
        let (t2, t3) = (t * t, t * t * t);
        [
            -0.5 * t3 + t2 - 0.5 * t,
            1.5 * t3 - 2.5 * t2 + 1.0,
            -1.5 * t3 + 2.0 * t2 + 0.5 * t,
            0.5 * t3 - 0.5 * t2,
        ]
    };
    let (left, top) = (x.floor(), y.floor());
    let (across, down) = (weights(x - left), weights(y - top));
    let inside = left >= 1.0 && top >= 1.0 && left + 3.0 < wide as f32 && top + 3.0 < tall as f32;
    let mut sum = 0.0;
    if inside {
        let from = (top as usize - 1) * wide + left as usize - 1;
        for (j, down) in down.iter().enumerate() {
            let taps: &[f32; 4] = plane[from + j * wide..][..4].try_into().expect("four");
            let line: f32 = across.iter().zip(taps).map(|(w, v)| w * v).sum();
            sum += down * line;
        }
        return sum;
    }
    let place = |whole: f32, tap: usize, size: usize| {
        (whole as i64 + tap as i64 - 1).clamp(0, size as i64 - 1) as usize
    };
    for (j, down) in down.iter().enumerate() {
        let row = place(top, j, tall) * wide;
        let taps = across.iter().enumerate();
        let line: f32 = taps.map(|(i, w)| w * plane[row + place(left, i, wide)]).sum();
        sum += down * line;
    }
    sum
}
