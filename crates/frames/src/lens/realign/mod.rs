//! Lateral colour of demosaiced frames.
//!
//! Demosaicing derives a pixel's missing colours from its neighbours, so only at their photosites
//! are red and blue where the lens drew them. The mosaic is therefore taken back from the developed
//! frame. Each recorded red is compared with the green of the same place in the scene, wherever the
//! lens drew that. The difference is smooth; it is moved to the position of that green, and green
//! plus the difference is the red that a photosite there would have recorded through a lens without
//! the flaw. The missing colours are then interpolated again from this mosaic. Only differences are
//! resampled.

mod drift;

use crate::demosaic::{self, Band, MARGIN};
use drift::Drift;
use jade_optics::lens::Geometry;
use jade_pixels::mosaic::Pattern;
use jade_pixels::read::Orientation;
use jade_pixels::tiled::Region;
use jade_plan::Demosaic;

/// Aligns red and blue of one frame with its green.
pub struct Realign {
    lens: Geometry,
    size: (u32, u32),
    way: Demosaic,
    /// The pattern of the frame's photosites, upright.
    pattern: Pattern,
    /// Parity of the columns and rows that have photosites of red, and of blue.
    sites: [[u32; 2]; 2],
}

/// The colours that are moved.
const MOVED: [usize; 2] = [0, 2];
/// The first round compares colours to a plain mean of green, the second to green that was
/// interpolated with aligned colours; the error that remains is below that of the measurement.
const ROUNDS: u32 = 2;
/// Rows and columns that demosaicing depends on.
const FOUND_BY: u32 = 8;

impl Realign {
    /// For a mosaic of a stored size that is shown under an orientation; `None` where there is no
    /// lateral colour.
    pub fn of(
        lens: &Geometry,
        way: Demosaic,
        pattern: Pattern,
        orientation: Orientation,
        stored: (u32, u32),
    ) -> Option<Self> {
        let size = orientation.size(stored);
        // Smaller pictures have no neighbours for demosaicing.
        if !lens.parts_colours() || size.0.min(size.1) < 2 * MARGIN as u32 {
            return None;
        }
        let colour = |x: u32, y: u32| {
            let [x, y] = orientation.stored_place([f64::from(x), f64::from(y)], stored);
            pattern.colour(x as u32, y as u32)
        };
        let sites = MOVED.map(|which| {
            let places = (0..4).map(|i| [i % 2, i / 2]);
            places.into_iter().find(|[x, y]| colour(*x, *y) == which).unwrap_or_default()
        });
        let mut colours = [[1; 2]; 2];
        for (which, [x, y]) in MOVED.into_iter().zip(sites) {
            colours[y as usize][x as usize] = which as u8;
        }
        let pattern = Pattern::new(colours)?;
        Some(Self { lens: lens.clone(), size, way, pattern, sites })
    }

    /// The region of the frame that has to be read for a region.
    pub fn around(&self, region: Region) -> Region {
        self.grown(region, ROUNDS)
    }

    /// A region with the surroundings that some rounds need.
    fn grown(&self, region: Region, rounds: u32) -> Region {
        let (right, low) = (region.x + region.width, region.y + region.height);
        let far = |x: u32, y: u32, colour: usize| {
            let at = [f64::from(x), f64::from(y)];
            let drawn = self.lens.colour(colour, at);
            (drawn[0] - at[0]).hypot(drawn[1] - at[1])
        };
        // The offset is largest at one of the corners.
        let corners = [(region.x, region.y), (right, region.y), (region.x, low), (right, low)];
        let furthest = corners
            .into_iter()
            .flat_map(|(x, y)| MOVED.map(|colour| far(x, y, colour)))
            .fold(0.0, f64::max);
        // Beside the offset itself: what demosaicing depends on, and the taps of the cubic.
        let reach = rounds * ((1.2 * furthest + 3.0).ceil() as u32 + FOUND_BY);
        // Even, so that the pattern keeps its phase.
        let before = |from: u32| from.saturating_sub(reach) & !1;
        let (x, y) = (before(region.x), before(region.y));
        let width = (right + reach).min(self.size.0) - x;
        Region { x, y, width, height: (low + reach).min(self.size.1) - y }
    }

    /// Fills planes with the light of `region`, rows `stride` apart, from that of the region
    /// `around` it; balanced and not mixed.
    pub fn fill(
        &self,
        around: Region,
        light: &[Vec<f32>; 3],
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) {
        let mut green = self.plain_green(around, &light[1]);
        let (mut mosaic, mut scratch) = (Vec::new(), demosaic::Scratch::default());
        let mut found = Vec::new();
        let mut area = around;
        for round in 0..ROUNDS {
            // Each round is valid in a smaller area; the last one in the region.
            let inner = if round == 0 { around } else { self.grown(region, ROUNDS - round) };
            green = part(&green, area, inner);
            let light = light.each_ref().map(|plane| part(plane, around, inner));
            area = inner;
            self.mosaic(area, &light, &green, &mut mosaic);
            let size = [area.width as usize, area.height as usize];
            let band = Band { size, light: &mosaic, pattern: self.pattern };
            if round + 1 < ROUNDS {
                demosaic::green(&band, self.way, &mut scratch, &mut green);
            } else {
                found.resize(area.area() * 3, 0.0);
                demosaic::demosaic(&band, self.way, &mut scratch, &mut found);
            }
        }
        let (around, width) = (area, area.width as usize);
        let pixels = found.as_chunks::<3>().0;
        let (left, top) = ((region.x - around.x) as usize, (region.y - around.y) as usize);
        for (colour, plane) in planes.into_iter().enumerate() {
            for y in 0..region.height as usize {
                let from = &pixels[(top + y) * width + left..];
                let row = &mut plane[y * stride..][..region.width as usize];
                row.iter_mut().zip(from).for_each(|(to, pixel)| *to = pixel[colour]);
            }
        }
    }

    /// Green where it was recorded, and the mean of its neighbours elsewhere, so that misaligned
    /// colours have no influence.
    fn plain_green(&self, around: Region, green: &[f32]) -> Vec<f32> {
        let (width, height) = (around.width as usize, around.height as usize);
        let mut plain = green.to_vec();
        for sites in self.sites {
            for y in (sites[1] as usize..height).step_by(2) {
                for x in (sites[0] as usize..width).step_by(2) {
                    let at = y * width + x;
                    let beside = [
                        if x > 0 { at - 1 } else { at + 1 },
                        if x + 1 < width { at + 1 } else { at - 1 },
                        if y > 0 { at - width } else { at + width },
                        if y + 1 < height { at + width } else { at - width },
                    ];
                    plain[at] = beside.iter().map(|i| green[*i]).sum::<f32>() / 4.0;
                }
            }
        }
        plain
    }

    /// What the photosites would have recorded without lateral colour, with a margin, into
    /// `mosaic`; `green` is that of the last round.
    fn mosaic(&self, around: Region, light: &[Vec<f32>; 3], green: &[f32], mosaic: &mut Vec<f32>) {
        let (width, height) = (around.width as usize, around.height as usize);
        let mut corrected = light[1].clone();
        let mut offsets = Vec::new();
        for (colour, parity) in MOVED.into_iter().zip(self.sites) {
            let sites = Sites::of(parity, around);
            let drift = Drift::of(&self.lens, colour, around);
            let beyond = sites.beyond_green(&drift, &light[colour], green, width);
            for y in sites.rows() {
                drift.row(y, &mut offsets);
                for x in sites.columns() {
                    let [[right, down], _] = Drift::at(&offsets, x);
                    let at = y * width + x;
                    corrected[at] = green[at] + beyond.at([x as f32 + right, y as f32 + down]);
                }
            }
        }
        let stride = width + 2 * MARGIN;
        mosaic.resize(stride * (height + 2 * MARGIN), 0.0);
        for (y, row) in mosaic.chunks_exact_mut(stride).enumerate() {
            let from = demosaic::mirrored(y as isize - MARGIN as isize, height) * width;
            row[MARGIN..MARGIN + width].copy_from_slice(&corrected[from..from + width]);
            for x in 0..MARGIN {
                let (before, after) = (x as isize - MARGIN as isize, (width + x) as isize);
                row[x] = corrected[from + demosaic::mirrored(before, width)];
                row[MARGIN + width + x] = corrected[from + demosaic::mirrored(after, width)];
            }
        }
    }
}

/// The part of a plane over the region `to`; the plane covers the region `from`.
fn part(plane: &[f32], from: Region, to: Region) -> Vec<f32> {
    let (left, top) = ((to.x - from.x) as usize, (to.y - from.y) as usize);
    let rows = plane.chunks_exact(from.width as usize).skip(top).take(to.height as usize);
    let mut part = Vec::with_capacity(to.area());
    rows.for_each(|row| part.extend_from_slice(&row[left..left + to.width as usize]));
    part
}

/// Photosites of one colour in a region, in every second column and row; positions are relative to
/// its corner.
struct Sites {
    first: [usize; 2],
    size: [usize; 2],
}

impl Sites {
    fn of(parity: [u32; 2], around: Region) -> Self {
        let corner = [around.x, around.y];
        Self {
            first: [0, 1].map(|axis| ((corner[axis] + parity[axis]) % 2) as usize),
            size: [around.width as usize, around.height as usize],
        }
    }

    fn columns(&self) -> impl ExactSizeIterator<Item = usize> + use<> {
        (self.first[0]..self.size[0]).step_by(2)
    }

    fn rows(&self) -> impl ExactSizeIterator<Item = usize> + use<> {
        (self.first[1]..self.size[1]).step_by(2)
    }

    /// Light of the colour minus that of the green that belongs to it.
    fn beyond_green(&self, drift: &Drift, light: &[f32], green: &[f32], width: usize) -> Lattice {
        let (across, down) = (self.columns().len(), self.rows().len());
        let (mut values, mut offsets) = (Vec::with_capacity(across * down), Vec::new());
        for y in self.rows() {
            drift.row(y, &mut offsets);
            values.extend(self.columns().map(|x| {
                let [_, [right, down]] = Drift::at(&offsets, x);
                light[y * width + x] - cubic(green, width, [x as f32 + right, y as f32 + down])
            }));
        }
        Lattice { values, across, down, first: self.first.map(|v| v as f32) }
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
    /// Interpolated between four values.
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
fn cubic(plane: &[f32], width: usize, [x, y]: [f32; 2]) -> f32 {
    let height = plane.len() / width;
    let weights = |t: f32| {
        let (t2, t3) = (t * t, t * t * t);
        [
            -0.5 * t3 + t2 - 0.5 * t,
            1.5 * t3 - 2.5 * t2 + 1.0,
            -1.5 * t3 + 2.0 * t2 + 0.5 * t,
            0.5 * t3 - 0.5 * t2,
        ]
    };
    let mut sum = 0.0;
    if x >= 1.0 && y >= 1.0 && x + 3.0 < width as f32 && y + 3.0 < height as f32 {
        let (left, top) = (x as usize, y as usize);
        let (across, down) = (weights(x - left as f32), weights(y - top as f32));
        let from = (top - 1) * width + left - 1;
        for (j, down) in down.iter().enumerate() {
            let taps: &[f32; 4] = plane[from + j * width..][..4].try_into().expect("four");
            let line: f32 = across.iter().zip(taps).map(|(w, v)| w * v).sum();
            sum += down * line;
        }
        return sum;
    }
    let (left, top) = (x.floor(), y.floor());
    let (across, down) = (weights(x - left), weights(y - top));
    let place = |whole: f32, tap: usize, size: usize| {
        (whole as i64 + tap as i64 - 1).clamp(0, size as i64 - 1) as usize
    };
    for (j, down) in down.iter().enumerate() {
        let row = place(top, j, height) * width;
        let taps = across.iter().enumerate();
        let line: f32 = taps.map(|(i, w)| w * plane[row + place(left, i, width)]).sum();
        sum += down * line;
    }
    sum
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_plan::LensPlan;

    const SIZE: (u32, u32) = (96, 64);

    /// Light without a pattern; rotated by half a turn where `turned`.
    fn planes(turned: bool) -> [Vec<f32>; 3] {
        let count = (SIZE.0 * SIZE.1) as usize;
        [0, 1, 2].map(|colour| {
            let at = |i: usize| if turned { count - 1 - i } else { i };
            let light = |i: usize| {
                let hash = blake3::hash(&[at(i), colour].map(usize::to_le_bytes).concat());
                0.2 + f32::from(hash.as_bytes()[0]) / 1024.0
            };
            (0..count).map(light).collect()
        })
    }

    #[test]
    fn a_frame_that_was_held_upside_down_is_the_same_one_turned() {
        let plan = LensPlan { red: [0.02, 0.0], blue: [-0.015, 0.0], ..LensPlan::default() };
        let lens = plan.geometry(SIZE).unwrap();
        let whole = Region { x: 0, y: 0, width: SIZE.0, height: SIZE.1 };
        let of = |tag: u32, light: [Vec<f32>; 3]| {
            let orientation = Orientation::from_tag(tag);
            let realign =
                Realign::of(&lens, Demosaic::Fast, Pattern::RGGB, orientation, SIZE).unwrap();
            let mut out = [(); 3].map(|()| vec![0.0; whole.area()]);
            let planes = out.each_mut().map(Vec::as_mut_slice);
            realign.fill(whole, &light, whole, planes, SIZE.0 as usize);
            out
        };
        let (upright, turned) = (of(1, planes(false)), of(3, planes(true)));
        for (upright, turned) in upright.iter().zip(&turned) {
            for (i, (a, b)) in upright.iter().zip(turned.iter().rev()).enumerate() {
                assert!((a - b).abs() < 1e-4, "{a} and {b} at {i}");
            }
        }
        let recorded = planes(false);
        let moved = upright[0].iter().zip(&recorded[0]).filter(|(a, b)| (*a - *b).abs() > 0.01);
        assert!(moved.count() > 1000, "red lies elsewhere");
    }
}
