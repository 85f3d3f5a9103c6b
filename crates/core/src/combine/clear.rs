//! The sky of every frame without the ground before it. Samples that show ground are left out, so
//! that the sky behind it comes from the frames that see it; what the ground still adds to those
//! beside it is taken off first.

use super::backdrop::Backdrop;
use super::resample::Places;
use crate::align::Motion;
use crate::frames::{Ahead, Light, Planes, Rows};
use crate::skyline::{Mask, Side};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TiledFile};
use rayon::prelude::*;

/// Shares of sky from here on are sky, where the ground's part is taken off.
const MOSTLY: u8 = 60;
/// Shares of sky from here on count as sky alone.
const SKY: u8 = 252;
/// Pixels around a place that a resampled sample is made from.
const REACH: usize = 3;
/// Side of the squares that are counted together.
const SQUARE: usize = 64;

/// Which pixels of a frame that stood still show sky.
pub struct Clear {
    width: usize,
    height: usize,
    clear: Vec<bool>,
    /// For each square, whether none of its pixels, or all, are clear.
    squares: Vec<[bool; 2]>,
}

impl Clear {
    /// From the mask of the frames. Where the ground's part is not taken off, as it is in a part of
    /// the frames, resampling must not reach it.
    pub fn of(mask: &Mask, taken_off: Option<Region>) -> Self {
        let (width, height) = (mask.size().0 as usize, mask.size().1 as usize);
        let shares = mask.shares();
        let freed = |x: usize, y: usize| {
            taken_off.is_some_and(|part| {
                let inside = |v: usize, from: u32, long: u32, size: usize| {
                    // At the edges of the frame there is nothing that could be reached beyond.
                    let (from, to) = (from as usize, (from + long) as usize);
                    (from == 0 || v >= from + REACH) && (to == size || v + REACH < to)
                };
                inside(x, part.x, part.width, width) && inside(y, part.y, part.height, height)
            })
        };
        let mut clear = vec![false; shares.len()];
        clear.par_chunks_mut(width).enumerate().for_each(|(y, out)| {
            let rows = y.saturating_sub(REACH)..(y + REACH + 1).min(height);
            let own = &shares[y * width..][..width];
            let mut least = own.to_vec();
            for row in rows {
                let row = &shares[row * width..][..width];
                least.iter_mut().zip(row).for_each(|(least, own)| *least = (*least).min(*own));
            }
            for (x, out) in out.iter_mut().enumerate() {
                *out = if freed(x, y) {
                    own[x] >= MOSTLY
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

    /// Whether a frame shows no clear sky in a region of the reference frame, or clear sky alone;
    /// otherwise where it does.
    pub fn seen(&self, backward: &Motion, region: Region) -> Seen {
        let places = Places::new(backward, region);
        let Some([left, top, right, low]) = places.bounds() else { return Seen::Nothing };
        let square =
            |v: f64, size: usize| (v.round().clamp(0.0, size as f64 - 1.0)) as usize / SQUARE;
        let across = self.width.div_ceil(SQUARE);
        let columns = square(left, self.width)..=square(right, self.width);
        let rows = square(top, self.height)..=square(low, self.height);
        let own = rows.flat_map(|y| columns.clone().map(move |x| y * across + x));
        let (none, all) = own.fold((true, true), |(none, all), i| {
            (none && self.squares[i][0], all && self.squares[i][1])
        });
        match (none, all) {
            (true, _) => Seen::Nothing,
            (_, true) => Seen::Everything,
            _ => Seen::Some(places),
        }
    }

    /// Marks what is not clear as uncovered.
    pub fn cover(&self, places: &Places, covered: &mut [bool]) {
        let (right, low) = (self.width as f32 - 1.0, self.height as f32 - 1.0);
        places.rows(|from, xs, ys| {
            let covered = &mut covered[from..from + xs.len()];
            for ((covered, x), y) in covered.iter_mut().zip(xs).zip(ys) {
                let x = (x.clamp(0.0, right) + 0.5) as usize;
                let y = (y.clamp(0.0, low) + 0.5) as usize;
                *covered &= self.clear[y * self.width + x];
            }
        });
    }
}

/// What of the clear sky a frame shows in a region.
pub enum Seen {
    /// Nothing of it.
    Nothing,
    /// Nothing else.
    Everything,
    /// Something, at these places.
    Some(Places),
}

/// What the unaligned stack shows beyond the sky's backdrop in a tile of it: what stands still
/// before the sky.
pub fn standing(
    shares: &[u8],
    mut unaligned: Vec<f32>,
    tile: Region,
    backdrop: &Backdrop,
) -> Vec<f32> {
    let pixels = unaligned.as_chunks_mut::<3>().0.iter_mut().zip(shares);
    for (i, (pixel, share)) in pixels.enumerate() {
        // Fading in, as pixels of sky alone are left as they are.
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

/// A frame from which what stands still before the sky is taken off: of what stays, only the sky's
/// own share is seen.
pub struct Unground<'a> {
    /// The frame.
    pub frame: &'a dyn Light,
    /// The mask of all frames.
    pub mask: &'a Mask,
    /// What [`standing`] tells, near the skyline.
    pub before: &'a TiledFile<f32>,
    /// Its left top in the frame.
    pub origin: [u32; 2],
}

impl Unground<'_> {
    fn is_sky(&self, region: Region) -> bool {
        self.mask.side(region) == Side::Sky
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
        let (width, height) = (self.before.width(), self.before.height());
        let shared = region.shared_with(Region { x: left, y: top, width, height });
        let Some(shared) = shared.filter(|_| !self.is_sky(region)) else { return Ok(()) };
        let there = Region { x: shared.x - left, y: shared.y - top, ..shared };
        let [red, green, blue] = planes;
        self.before.visit_region(there, &mut Vec::new(), |x, y, samples| {
            let at = (y + top - region.y) as usize * stride + (x + left - region.x) as usize;
            let pixels = samples.as_chunks::<3>().0;
            let planes = red[at..].iter_mut().zip(&mut green[at..]).zip(&mut blue[at..]);
            for (((red, green), blue), pixel) in planes.zip(pixels) {
                *red -= pixel[0];
                *green -= pixel[1];
                *blue -= pixel[2];
            }
        })
    }

    fn rows<'a>(
        &'a self,
        region: Region,
        ahead: &'a mut Ahead,
    ) -> Result<Box<dyn Rows + 'a>, PictureError> {
        match self.is_sky(region) {
            true => self.frame.rows(region, ahead),
            false => Ok(Box::new(Planes::of(self, region, ahead)?)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::Matrix3;

    #[test]
    fn samples_that_the_ground_has_a_part_in_are_left_out() {
        let share = |i: u32| if i / 300 < 100 { 255 } else { 0 };
        let mask = Mask::new((300, 200), (0..300 * 200).map(share).collect());
        let clear = Clear::of(&mask, None);
        // The sky went down by ten pixels and to the right by four.
        let shift = Matrix3::new(1.0, 0.0, 4.0, 0.0, 1.0, 10.0, 0.0, 0.0, 1.0);
        let motion = Motion::Homography(shift);
        let backward = motion.backward();
        let at = |x, y, width, height| Region { x, y, width, height };
        assert!(matches!(clear.seen(&backward, at(0, 0, 60, 40)), Seen::Everything));
        assert!(matches!(clear.seen(&backward, at(0, 150, 60, 40)), Seen::Nothing));
        let region = at(100, 64, 64, 64);
        let Seen::Some(places) = clear.seen(&backward, region) else { panic!("partly clear") };
        let mut covered = vec![true; region.area()];
        clear.cover(&places, &mut covered);
        for (i, covered) in covered.iter().enumerate() {
            // Row 96 of the frame is the last one that no kernel leaves; it stands at row 106.
            assert_eq!(*covered, 64 + i / 64 <= 106, "row {}", 64 + i / 64);
        }
        // Where the ground is taken off, all of the sky counts; beside that part it does not.
        let part = at(90, 0, 210, 200);
        let freed = Clear::of(&mask, Some(part));
        assert_eq!([97, 99, 100].map(|y| freed.clear[y * 300 + 150]), [true, true, false]);
        assert_eq!([96, 97].map(|y| freed.clear[y * 300 + 91]), [true, false]);
    }
}
