//! The sky of every frame without the ground in front of it. Samples that show ground are left out,
//! so that the sky there comes from frames that see it; what the ground still adds to samples
//! beside it is subtracted first.

use super::backdrop::Backdrop;
use crate::mask::{Mask, Side};
use jade_optics::light::{Ahead, Light, Rows};
use jade_optics::motion::Backward;
use jade_optics::resample::{FINE, SourcePositions};
use jade_optics::space::InReference;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Part, Region, TiledFile};
use rayon::prelude::*;

/// Least share of sky of a sample that counts as sky, where the ground's part is subtracted.
const MOSTLY: u8 = 60;
/// Least share of sky of a sample that counts as pure sky.
const SKY: u8 = 252;
/// Pixels around a position that its resampled value depends on.
const REACH: usize = 3;
/// Side of the squares that are summarised, in pixels.
const SQUARE: usize = 64;

/// Which pixels of a frame show clear sky, for a camera that stood still.
pub struct SkyVisibility {
    width: usize,
    height: usize,
    clear: Vec<bool>,
    /// For each square, whether none of its pixels, or all of them, are clear.
    squares: Vec<[bool; 2]>,
}

impl SkyVisibility {
    /// From the mask of the frames. `taken_off` is the part of the frames in which the ground's
    /// part is subtracted; outside it, resampling must not reach the ground.
    pub fn of(mask: &Mask, taken_off: Option<Region>) -> Self {
        let (width, height) = (mask.size().0 as usize, mask.size().1 as usize);
        let shares = mask.shares();
        let freed = |x: usize, y: usize| {
            taken_off.is_some_and(|part| {
                let inside = |v: usize, from: u32, length: u32, size: usize| {
                    // At the edges of the frame there is nothing beyond to reach.
                    let (from, to) = (from as usize, (from + length) as usize);
                    (from == 0 || v >= from + REACH) && (to == size || v + REACH < to)
                };
                inside(x, part.x, part.width, width) && inside(y, part.y, part.height, height)
            })
        };
        let mut clear = vec![false; shares.len()];
        clear.par_chunks_mut(width).enumerate().for_each(|(y, out)| {
            let rows = y.saturating_sub(REACH)..(y + REACH + 1).min(height);
            let here = &shares[y * width..][..width];
            let mut least = here.to_vec();
            for row in rows {
                let row = &shares[row * width..][..width];
                least.iter_mut().zip(row).for_each(|(least, value)| *least = (*least).min(*value));
            }
            for (x, out) in out.iter_mut().enumerate() {
                *out = if freed(x, y) {
                    here[x] >= MOSTLY
                } else {
                    let around = x.saturating_sub(REACH)..(x + REACH + 1).min(width);
                    least[around].iter().all(|share| *share >= SKY)
                };
            }
        });
        let across = width.div_ceil(SQUARE);
        let squares = (0..across * height.div_ceil(SQUARE))
            .into_par_iter()
            .map(|i| {
                let (x, y) = (i % across * SQUARE, i / across * SQUARE);
                let (right, low) = ((x + SQUARE).min(width), (y + SQUARE).min(height));
                let rows = || (y..low).map(|y| &clear[y * width + x..y * width + right]);
                let all = rows().all(|row| row.iter().all(|clear| *clear));
                let none = !all && rows().all(|row| row.iter().all(|clear| !clear));
                [none, all]
            })
            .collect();
        Self { width, height, clear, squares }
    }

    /// How much clear sky a frame shows in a region of the reference frame.
    pub fn through(&self, backward: &Backward, region: InReference<Region>) -> ClearSky {
        let places = SourcePositions::new(backward, region);
        let Some([left, top, right, low]) = places.bounds() else { return ClearSky::Nothing };
        let square =
            |v: f64, size: usize| (v.round().clamp(0.0, size as f64 - 1.0)) as usize / SQUARE;
        let across = self.width.div_ceil(SQUARE);
        let columns = square(left, self.width)..=square(right, self.width);
        let rows = square(top, self.height)..=square(low, self.height);
        let cells = rows.flat_map(|y| columns.clone().map(move |x| y * across + x));
        let (none, all) = cells.fold((true, true), |(none, all), i| {
            (none && self.squares[i][0], all && self.squares[i][1])
        });
        match (none, all) {
            (true, _) => ClearSky::Nothing,
            (_, true) => ClearSky::Everything,
            _ => ClearSky::Some(places),
        }
    }

    /// ClipScratch positions without clear sky as uncovered.
    pub fn cover(&self, places: &SourcePositions, covered: &mut [bool]) {
        places.rows(|from, length, xs, ys| {
            let places = nearest([xs, ys], [self.width, self.height]);
            for (covered, at) in covered[from..from + length].iter_mut().zip(places) {
                *covered &= self.clear[at as usize];
            }
        });
    }
}

/// The pixels of a frame that are nearest to positions in it, for at most 2^23 columns and rows.
fn nearest([xs, ys]: [&[f32; FINE]; 2], [width, height]: [usize; 2]) -> [u32; FINE] {
    /// From this value on, floating-point numbers have no fractional digits.
    const WHOLE: f32 = 8_388_608.0;
    let whole = |place: f32, size: usize| {
        let last = size as f32 - 1.0;
        let place = if place > last { last } else { place };
        let place = if place > 0.0 { place } else { 0.0 };
        (place + WHOLE).to_bits() - WHOLE.to_bits()
    };
    std::array::from_fn(|i| whole(ys[i], height) * width as u32 + whole(xs[i], width))
}

/// How much clear sky a frame shows in a region.
pub enum ClearSky {
    /// None.
    Nothing,
    /// Clear sky only.
    Everything,
    /// Clear sky at some of these positions.
    Some(SourcePositions),
}

/// What stands in front of the sky in a tile: what the unaligned stack shows beyond the backdrop of
/// its sky.
pub fn standing(
    shares: &[u8],
    mut unaligned: Vec<f32>,
    tile: Region,
    backdrop: &Backdrop,
) -> Vec<f32> {
    let pixels = unaligned.as_chunks_mut::<3>().0.iter_mut().zip(shares);
    for (i, (pixel, share)) in pixels.enumerate() {
        // It fades in, as pixels of pure sky must not change.
        let part = ((255.0 - f32::from(*share)) / 25.0).min(1.0);
        let (x, y) = (i as u32 % tile.width, i as u32 / tile.width);
        let sky = match part > 0.0 {
            true => backdrop.at((tile.x + x) as f32, (tile.y + y) as f32),
            false => [0.0; 3],
        };
        pixel.iter_mut().zip(sky).for_each(|(light, sky)| *light = part * (*light - sky));
    }
    unaligned
}

/// A frame from which what stands in front of the sky is subtracted, so that only the sky's share
/// of each sample remains.
pub struct Unground<'a> {
    /// The frame's light.
    pub frame: &'a dyn Light,
    /// The mask of all frames.
    pub mask: &'a Mask,
    /// What stands in front of the sky, from [`standing`], near the skyline.
    pub before: &'a TiledFile<f32>,
    /// Its top-left pixel in the frame.
    pub origin: [u32; 2],
}

impl Unground<'_> {
    /// The part of `before`, in its own pixels, that lies in a region of the frame; `None` where
    /// the region shows pure sky.
    fn stands_in(&self, region: Region) -> Option<Region> {
        let [left, top] = self.origin;
        let (width, height) = (self.before.width(), self.before.height());
        let shared = region.shared_with(Region { x: left, y: top, width, height })?;
        let there = Region { x: shared.x - left, y: shared.y - top, ..shared };
        // The camera stood still: the mask of the reference frame is that of every frame.
        (self.mask.side(InReference(region)) != Side::Sky).then_some(there)
    }
}

impl Light for Unground<'_> {
    fn size(&self) -> (u32, u32) {
        self.frame.size()
    }

    fn fill(
        &self,
        region: Region,
        mut planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        self.frame.fill(region, planes.each_mut().map(|plane| &mut **plane), stride)?;
        let [left, top] = self.origin;
        let Some(there) = self.stands_in(region) else { return Ok(()) };
        let [red, green, blue] = planes;
        self.before.visit_region(there, &mut Vec::new(), |x, y, samples| {
            let at = (y + top - region.y) as usize * stride + (x + left - region.x) as usize;
            take_off(samples, [&mut red[at..], &mut green[at..], &mut blue[at..]]);
        })
    }

    fn rows<'a>(
        &'a self,
        region: Region,
        ahead: &'a mut Ahead,
    ) -> Result<Box<dyn Rows + 'a>, PictureError> {
        let Some(there) = self.stands_in(region) else { return self.frame.rows(region, ahead) };
        let (light, ahead) = ahead.for_two();
        let before = self.before.part(there, light)?;
        let shared = there.moved(self.origin);
        Ok(Box::new(TakenOff { rows: self.frame.rows(region, ahead)?, before, there, shared }))
    }
}

/// Rows of a frame from which what stands in front of the sky is subtracted.
struct TakenOff<'a> {
    rows: Box<dyn Rows + 'a>,
    before: Part<'a, f32>,
    /// The part that is subtracted, in pixels of `before`, and the same part in pixels of the
    /// frame.
    there: Region,
    shared: Region,
}

impl Rows for TakenOff<'_> {
    fn row(&self, x: u32, y: u32, mut planes: [&mut [f32]; 3]) {
        self.rows.row(x, y, planes.each_mut().map(|plane| &mut **plane));
        let Self { there, shared, .. } = self;
        let from = x.max(shared.x);
        let to = (x + planes[0].len() as u32).min(shared.x + shared.width);
        if from >= to || !(shared.y..shared.y + shared.height).contains(&y) {
            return;
        }
        let mut at = (from - x) as usize;
        let (column, row) = (there.x + from - shared.x, there.y + y - shared.y);
        for run in self.before.runs(column, row, to - from) {
            let length = run.len() / 3;
            take_off(run, planes.each_mut().map(|plane| &mut plane[at..at + length]));
            at += length;
        }
    }
}

/// Subtracts interleaved light from planes.
fn take_off(pixels: &[f32], [red, green, blue]: [&mut [f32]; 3]) {
    let planes = red.iter_mut().zip(green).zip(blue);
    for (((red, green), blue), pixel) in planes.zip(pixels.as_chunks::<3>().0) {
        *red -= pixel[0];
        *green -= pixel[1];
        *blue -= pixel[2];
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_optics::drawn::Drawn;
    use jade_optics::motion::Motion;
    use jade_pixels::tiled::TileWriter;
    use nalgebra::Matrix3;

    #[test]
    fn samples_that_the_ground_has_a_part_in_are_left_out() {
        let share = |i: u32| if i / 300 < 100 { 255 } else { 0 };
        let mask = Mask::new((300, 200), (0..300 * 200).map(share).collect());
        let clear = SkyVisibility::of(&mask, None);
        // The sky moved down by ten pixels and to the right by four.
        let shift = Matrix3::new(1.0, 0.0, 4.0, 0.0, 1.0, 10.0, 0.0, 0.0, 1.0);
        let motion = Motion::Homography(shift);
        let backward = motion.backward();
        let at = |x, y, width, height| Region { x, y, width, height };
        assert!(matches!(
            clear.through(&backward, InReference(at(0, 0, 60, 40))),
            ClearSky::Everything
        ));
        assert!(matches!(
            clear.through(&backward, InReference(at(0, 150, 60, 40))),
            ClearSky::Nothing
        ));
        let region = at(100, 64, 64, 64);
        let ClearSky::Some(places) = clear.through(&backward, InReference(region)) else {
            panic!("partly clear")
        };
        let mut covered = vec![true; region.area()];
        clear.cover(&places, &mut covered);
        for (i, covered) in covered.iter().enumerate() {
            // Row 96 of the frame is the last one that no kernel leaves; it lies at row 106.
            assert_eq!(*covered, 64 + i / 64 <= 106, "row {}", 64 + i / 64);
        }
        // Where the ground is subtracted, all of the sky counts; outside that part it does not.
        let part = at(90, 0, 210, 200);
        let freed = SkyVisibility::of(&mask, Some(part));
        assert_eq!([97, 99, 100].map(|y| freed.clear[y * 300 + 150]), [true, true, false]);
        assert_eq!([96, 97].map(|y| freed.clear[y * 300 + 91]), [true, false]);
    }

    #[test]
    fn what_stands_before_the_sky_is_taken_off_rows_as_off_whole_regions() {
        let folder = tempfile::tempdir().unwrap();
        // What stands before the sky is known in a part of the frame only.
        let part = Region { x: 70, y: 50, width: 190, height: 140 };
        let path = folder.path().join("before");
        let writer = TileWriter::<f32>::create(&path, part.width, part.height, 3).unwrap();
        let light: Vec<f32> = (0..part.area() * 3).map(|i| (i % 7919) as f32).collect();
        let whole = Region { x: 0, y: 0, ..part };
        writer.write_region(whole, &light).unwrap();
        let before = writer.finish(false).unwrap();
        let share = |i: u32| if i / 300 < 150 { 255 } else { 0 };
        let mask = Mask::new((300, 200), (0..300 * 200).map(share).collect());
        let origin = [part.x, part.y];
        // Light that encodes its position.
        let of = |[x, y]: [u32; 2], c: usize| (x + 300 * y + 100_000 * c as u32) as f32;
        let ramp = Drawn { size: (300, 200), of };
        let sky = Unground { frame: &ramp, mask: &mask, before: &before, origin };
        let expected = |x: u32, y: u32, c: usize| {
            let value = (x + 300 * y) as f32 + 1e5 * c as f32;
            let inside = part.shared_with(Region { x, y, width: 1, height: 1 }).is_some();
            let i = |x: u32, y: u32| ((y - 50) * 190 + x - 70) as usize * 3 + c;
            if inside { value - light[i(x, y)] } else { value }
        };
        // Across the part's corner, inside it, and beyond its right and lower edges.
        for (x, y, width, height) in [(20, 30, 200, 150), (100, 140, 40, 40), (230, 120, 70, 80)] {
            let region = Region { x, y, width, height };
            let planes = sky.planes(region).unwrap();
            let mut ahead = Ahead::default();
            let rows = sky.rows(region, &mut ahead).unwrap();
            for row in 0..height {
                let mut through_rows = [(); 3].map(|()| vec![0.0; width as usize - 2]);
                rows.row(x + 1, y + row, through_rows.each_mut().map(Vec::as_mut_slice));
                for (column, c) in (0..width - 2).flat_map(|x| [0, 1, 2].map(|c| (x, c))) {
                    let (px, py) = (x + 1 + column, y + row);
                    let at = (row * width + column + 1) as usize;
                    assert_eq!(through_rows[c][column as usize], expected(px, py, c), "{px}, {py}");
                    assert_eq!(planes[c][at], expected(px, py, c), "{px}, {py}");
                }
            }
        }
    }
}
