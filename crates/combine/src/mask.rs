//! The mask: the share of sky in every pixel, after loading, moving, softening and painting.

use jade_optics::space::InReference;
use jade_pixels::colour::Encoding;
use jade_pixels::read::PictureFile;
use jade_pixels::tiled::Region;
use jade_pixels::write::{Picture, Target, write_picture};
use jade_plan::{CoreError, SkylinePlan, Stroke};
use rayon::prelude::*;
use std::path::Path;

/// Largest distance by which a mask can be moved or softened, in pixels.
pub const MOST_PX: f32 = 24.0;
/// Side of the squares that are worked on at a time.
const SQUARE: u32 = 128;

/// The share of sky in every pixel of a picture.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mask {
    size: (u32, u32),
    shares: Vec<u8>,
}

/// The layers that a region shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// Sky alone.
    Sky,
    /// Ground alone.
    Ground,
    /// Both layers, or mixed pixels.
    Both,
}

impl Mask {
    /// A mask from shares of sky, 0 for ground to 255 for sky, one for each pixel, row by row.
    pub fn new(size: (u32, u32), shares: Vec<u8>) -> Self {
        assert_eq!(shares.len(), size.0 as usize * size.1 as usize, "one share for each pixel");
        Self { size, shares }
    }

    /// Width and height in pixels.
    pub fn size(&self) -> (u32, u32) {
        self.size
    }

    /// The shares, row by row.
    pub fn shares(&self) -> &[u8] {
        &self.shares
    }

    /// Share of a region that is sky, 0 to 1.
    pub fn sky(&self, InReference(region): InReference<Region>) -> f32 {
        let of_row = |row: &[u8]| row.iter().map(|share| u64::from(*share)).sum::<u64>();
        let sum: u64 = self.rows(region).map(of_row).sum();
        (sum as f64 / (255.0 * region.area() as f64)) as f32
    }

    /// Share of the whole picture that is sky, 0 to 1.
    pub fn sky_of_all(&self) -> f32 {
        let (width, height) = self.size;
        self.sky(InReference(Region { x: 0, y: 0, width, height }))
    }

    /// The share at a pixel; outside the picture, that of the nearest edge pixel.
    pub fn at(&self, x: i64, y: i64) -> u8 {
        let x = x.clamp(0, i64::from(self.size.0) - 1) as usize;
        let y = y.clamp(0, i64::from(self.size.1) - 1) as usize;
        self.shares[y * self.size.0 as usize + x]
    }

    /// The shares of a region, which must lie inside the picture, row by row.
    pub fn region(&self, InReference(region): InReference<Region>) -> Vec<u8> {
        self.rows(region).flatten().copied().collect()
    }

    fn rows(&self, region: Region) -> impl Iterator<Item = &[u8]> {
        let width = self.size.0 as usize;
        (region.y..region.y + region.height).map(move |y| {
            let from = y as usize * width + region.x as usize;
            &self.shares[from..from + region.width as usize]
        })
    }

    /// The layers that a region shows.
    pub fn side(&self, InReference(region): InReference<Region>) -> Side {
        let first = self.at(region.x.into(), region.y.into());
        // Shares are compared in batches, which is faster than stopping at the first difference.
        let same = |some: &[u8]| some.iter().fold(true, |same, share| same & (*share == first));
        let alike = self.rows(region).all(|row| row.chunks(64).all(same));
        match (alike, first) {
            (true, 255) => Side::Sky,
            (true, 0) => Side::Ground,
            _ => Side::Both,
        }
    }

    /// The mask at half the size: means of two by two pixels, of fewer at an odd edge.
    pub fn halved(&self) -> Self {
        let (width, height) = (self.size.0 as usize, self.size.1 as usize);
        let size = (self.size.0.div_ceil(2), self.size.1.div_ceil(2));
        let mut shares = vec![0u8; size.0 as usize * size.1 as usize];
        let rows = shares.par_chunks_mut(size.0 as usize).with_min_len(32).enumerate();
        rows.for_each(|(y, out)| {
            let row = |y: usize| &self.shares[y.min(height - 1) * width..][..width];
            let ((top, top_last), (low, low_last)) =
                (row(2 * y).as_chunks::<2>(), row(2 * y + 1).as_chunks::<2>());
            for (out, (top, low)) in out.iter_mut().zip(top.iter().zip(low)) {
                let sum = |pair: &[u8; 2]| u16::from(pair[0]) + u16::from(pair[1]);
                *out = ((sum(top) + sum(low) + 2) / 4) as u8;
            }
            if let ([top], [low], Some(out)) = (top_last, low_last, out.last_mut()) {
                *out = (u16::from(*top) + u16::from(*low)).div_ceil(2) as u8;
            }
        });
        Self { size, shares }
    }

    /// The smallest region that holds the mixed pixels of a region and the pixels on both sides of
    /// each border; `None` where the region shows one layer alone.
    pub fn border(&self, InReference(region): InReference<Region>) -> Option<Region> {
        let (mut rows, mut columns) = ([u32::MAX, 0], [u32::MAX, 0]);
        let mut above: Option<&[u8]> = None;
        for (y, row) in (region.y..).zip(self.rows(region)) {
            // Most rows are pure, as the row above.
            let pure = row[0] == 0 || row[0] == 255;
            if pure && row.iter().all(|share| *share == row[0]) && above.is_none_or(|a| a == row) {
                above = Some(row);
                continue;
            }
            for (i, (x, share)) in (region.x..).zip(row).enumerate() {
                let left = i.checked_sub(1).is_some_and(|left| row[left] != *share);
                let top = above.is_some_and(|above| above[i] != *share);
                if left || top || (*share != 0 && *share != 255) {
                    rows = [rows[0].min(y - u32::from(top)), rows[1].max(y)];
                    columns = [columns[0].min(x - u32::from(left)), columns[1].max(x)];
                }
            }
            above = Some(row);
        }
        (rows[0] <= rows[1]).then(|| Region {
            x: columns[0],
            y: rows[0],
            width: columns[1] + 1 - columns[0],
            height: rows[1] + 1 - rows[0],
        })
    }

    /// Reads a grey or coloured picture of 8 or 16 bits as a mask: white is sky. Its samples are
    /// not converted by its profile.
    ///
    /// # Errors
    /// [`CoreError::Picture`] when it cannot be read; [`CoreError::Setting`] when it is not of this
    /// size.
    pub fn read(path: &Path, size: (u32, u32)) -> Result<Self, CoreError> {
        let file = PictureFile::open(path)?;
        let found = (file.facts().width, file.facts().height);
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        if found != size {
            return Err(CoreError::Setting(format!(
                "{name}: this mask has {} x {} pixels and the frames {} x {}; choose one of their size.",
                found.0, found.1, size.0, size.1
            )));
        }
        if file.is_float() || file.sensor().is_some() {
            return Err(CoreError::Setting(format!(
                "{name}: a mask is a grey picture of 8 or 16 bits; save it as PNG or TIFF."
            )));
        }
        let mut shares = Vec::with_capacity(size.0 as usize * size.1 as usize);
        file.rows(&mut |_, codes| {
            let share = |code: u16| ((u32::from(code) + 128) / 257) as u8;
            shares.extend(codes.as_chunks::<3>().0.iter().map(|pixel| share(pixel[1])));
            Ok(())
        })?;
        Ok(Self::new(size, shares))
    }

    /// Writes it as a grey picture of 16 bits, white for sky.
    ///
    /// # Errors
    /// [`CoreError::Picture`]; nothing is left behind then.
    pub fn write(&self, path: &Path, target: Target) -> Result<(), CoreError> {
        let (width, height) = self.size;
        let encoding = Encoding::srgb();
        let out = Picture { width, height, channels: 1, encoding: &encoding, taken: None };
        write_picture(path, target, &out, &mut |y, rows| {
            let from = &self.shares[y as usize * width as usize..][..rows.len()];
            rows.iter_mut().zip(from).for_each(|(to, share)| *to = u16::from(*share) * 257);
            Ok(())
        })?;
        Ok(())
    }

    /// The mask that the plan asks for: moved, softened and painted.
    pub fn shaped(&self, plan: &SkylinePlan) -> Self {
        let mut mask = match plan.margin_px {
            0.0 => self.clone(),
            far => self.moved(far),
        };
        if plan.soft_px > 0.0 {
            mask = mask.softened(plan.soft_px);
        }
        for stroke in plan.strokes.iter().filter(|stroke| !stroke.paint.is_stroke()) {
            mask.paint(stroke);
        }
        mask
    }

    /// Moves the edge of the ground into the sky by `far` pixels, or into the ground where
    /// negative.
    fn moved(&self, far: f32) -> Self {
        let (grow, reach) = (far > 0.0, far.abs().ceil() as i64);
        let inside = |d: i64| (far * far - (d * d) as f32).max(0.0).sqrt().floor() as i64;
        self.by_squares(reach as u32, |around, width, out| {
            for (y, row) in out.chunks_exact_mut(SQUARE as usize).enumerate() {
                for dy in -reach..=reach {
                    if (dy * dy) as f32 > far * far {
                        continue;
                    }
                    let half = inside(dy);
                    let from = (y as i64 + reach + dy) as usize * width;
                    for dx in -half..=half {
                        let shifted = &around[from + (reach + dx) as usize..][..SQUARE as usize];
                        for (to, value) in row.iter_mut().zip(shifted) {
                            *to = if grow { (*to).min(*value) } else { (*to).max(*value) };
                        }
                    }
                }
            }
        })
    }

    /// Blurred by a Gaussian of this standard deviation in pixels.
    fn softened(&self, sigma: f32) -> Self {
        let reach = (3.0 * sigma).ceil() as usize;
        let weights: Vec<f32> = (0..=2 * reach)
            .map(|i| (-0.5 * ((i as f32 - reach as f32) / sigma).powi(2)).exp())
            .collect();
        let sum: f32 = weights.iter().sum();
        self.by_squares(reach as u32, |around, width, out| {
            let side = SQUARE as usize;
            let mut columns = vec![0.0f32; width * side];
            for (y, row) in columns.chunks_exact_mut(width).enumerate() {
                for (k, weight) in weights.iter().enumerate() {
                    let shifted = &around[(y + k) * width..][..width];
                    row.iter_mut().zip(shifted).for_each(|(to, v)| *to += weight * f32::from(*v));
                }
            }
            let mut line = vec![0.0f32; side];
            for (row, to) in columns.chunks_exact(width).zip(out.chunks_exact_mut(side)) {
                line.fill(0.0);
                for (k, weight) in weights.iter().enumerate() {
                    line.iter_mut().zip(&row[k..]).for_each(|(to, v)| *to += weight * v);
                }
                for (to, v) in to.iter_mut().zip(&line) {
                    *to = (v / (sum * sum)).round() as u8;
                }
            }
        })
    }

    /// Changes the squares within whose reach shares differ. `change` gets the shares of the square
    /// with `reach` pixels around it, their row length, and the square's own shares.
    fn by_squares(&self, reach: u32, change: impl Fn(&[u8], usize, &mut [u8]) + Sync) -> Self {
        let (width, height) = self.size;
        let squares = Region::covering(width, height, [SQUARE; 2]);
        let changed: Vec<(Region, Vec<u8>)> = squares
            .into_par_iter()
            .filter(|square| self.side(InReference(square.widened(reach, self.size))) == Side::Both)
            .map(|square| {
                let columns = (SQUARE + 2 * reach) as usize;
                let (left, top) = (
                    i64::from(square.x) - i64::from(reach),
                    i64::from(square.y) - i64::from(reach),
                );
                let around: Vec<u8> = (0..columns * columns)
                    .map(|i| self.at(left + (i % columns) as i64, top + (i / columns) as i64))
                    .collect();
                let side = SQUARE as usize;
                let share_at = |i: usize| {
                    around[(i / side + reach as usize) * columns + i % side + reach as usize]
                };
                let mut out: Vec<u8> = (0..side * side).map(share_at).collect();
                change(&around, columns, &mut out);
                (square, out)
            })
            .collect();
        let mut mask = self.clone();
        for (square, shares) in changed {
            for (y, row) in
                shares.chunks_exact(SQUARE as usize).enumerate().take(square.height as usize)
            {
                let at = (square.y as usize + y) * width as usize + square.x as usize;
                mask.shares[at..at + square.width as usize]
                    .copy_from_slice(&row[..square.width as usize]);
            }
        }
        mask
    }

    /// Paints a stroke.
    fn paint(&mut self, stroke: &Stroke) {
        let target = if stroke.paint.is_sky() { 255.0 } else { 0.0 };
        let brush = stroke.brush();
        let Some(bounds) = brush.bounds(self.size) else { return };
        let width = self.size.0 as usize;
        let rows = bounds.y as usize * width..(bounds.y + bounds.height) as usize * width;
        self.shares[rows].par_chunks_mut(width).enumerate().for_each(|(row, shares)| {
            let y = (bounds.y as usize + row) as f32;
            let here = &mut shares[bounds.x as usize..][..bounds.width as usize];
            let cover = brush.cover(bounds.x as f32, y, here.len());
            for (share, cover) in here.iter_mut().zip(cover) {
                let now = f32::from(*share);
                *share = (now + cover * (target - now)).round() as u8;
            }
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_plan::Paint;

    const SIZE: (u32, u32) = (300, 200);

    /// Ground below row 100, with a mast two pixels wide.
    fn mask() -> Mask {
        let share = |i: u32| match (i % 300, i / 300) {
            (_, 100..) | (150..152, 40..) => 0,
            _ => 255,
        };
        Mask::new(SIZE, (0..300 * 200).map(share).collect())
    }

    fn stroke(paint: Paint, points: &[[f32; 3]], soft: f32) -> Stroke {
        Stroke { paint, points: points.to_vec(), soft }
    }

    #[test]
    fn halving_takes_means() {
        let shares = vec![0, 10, 20, 100, 50, 60, 70, 200, 1, 2, 3, 9];
        let half = Mask::new((4, 3), shares).halved();
        assert_eq!((half.size(), half.shares()), ((2, 2), [30, 98, 2, 6].as_slice()));
        let odd = Mask::new((3, 1), vec![0, 255, 40]).halved();
        assert_eq!((odd.size(), odd.shares()), ((2, 1), [128, 40].as_slice()));
    }

    #[test]
    fn a_border_holds_what_is_mixed_and_what_meets() {
        let whole = Region { x: 0, y: 0, width: 20, height: 10 };
        let mask = |share: &dyn Fn(usize, usize) -> u8| {
            Mask::new((20, 10), (0..200).map(|i| share(i % 20, i / 20)).collect())
        };
        assert_eq!(mask(&|_, _| 255).border(InReference(whole)), None);
        assert_eq!(mask(&|_, _| 0).border(InReference(whole)), None);
        let found = |x, y, width, height| Some(Region { x, y, width, height });
        // Hard edges: the pixels on both sides.
        assert_eq!(
            mask(&|_, y| if y < 4 { 255 } else { 0 }).border(InReference(whole)),
            found(0, 3, 20, 2)
        );
        let post = mask(&|x, y| if x == 7 && y >= 5 { 0 } else { 255 });
        assert_eq!(post.border(InReference(whole)), found(6, 4, 3, 6));
        let mixed = mask(&|x, y| if (x, y) == (19, 0) { 100 } else { 255 });
        assert_eq!(mixed.border(InReference(whole)), found(18, 0, 2, 2));
        // Only pixels of the region itself count.
        let part = Region { x: 8, y: 0, width: 11, height: 10 };
        assert_eq!(post.border(InReference(part)), None);
    }

    #[test]
    fn a_moved_margin_lies_so_many_pixels_off() {
        let grown = mask().shaped(&SkylinePlan { margin_px: 3.0, ..SkylinePlan::default() });
        assert_eq!([96, 97].map(|y| grown.at(20, y)), [255, 0]);
        assert_eq!([146, 147, 154, 155].map(|x| grown.at(x, 60)), [255, 0, 0, 255]);
        let shrunk = mask().shaped(&SkylinePlan { margin_px: -3.0, ..SkylinePlan::default() });
        assert_eq!([102, 103].map(|y| shrunk.at(20, y)), [255, 0]);
        assert_eq!(shrunk.at(150, 60), 255, "the mast is gone");
    }

    #[test]
    fn a_softened_margin_keeps_its_place_and_the_mean() {
        let soft = mask().shaped(&SkylinePlan { soft_px: 2.0, ..SkylinePlan::default() });
        let column: Vec<f64> = (0..200).map(|y| f64::from(soft.at(20, y)) / 255.0).collect();
        assert!((column.iter().sum::<f64>() - 100.0).abs() < 0.05);
        assert!((column[99] - 0.6).abs() < 0.02 && (column[97] - 0.89).abs() < 0.02);
        assert_eq!([soft.at(20, 80), soft.at(20, 120)], [255, 0]);
    }

    #[test]
    fn a_brush_paints_the_mask_itself_and_strokes_leave_it() {
        let line = [[30.0, 120.0, 6.0], [60.0, 120.0, 6.0]];
        let mut plan = SkylinePlan {
            strokes: vec![stroke(Paint::SkyStroke, &line, 0.0)],
            ..SkylinePlan::default()
        };
        assert_eq!(mask().shaped(&plan), mask());
        plan.strokes.push(stroke(Paint::SkyBrush, &line, 0.0));
        let painted = mask().shaped(&plan);
        assert_eq!([112, 115, 120, 125, 128].map(|y| painted.at(45, y)), [0, 255, 255, 255, 0]);
        assert_eq!([22, 25, 65, 68].map(|x| painted.at(x, 120)), [0, 255, 255, 0]);
        plan.strokes.push(stroke(Paint::GroundBrush, &[[45.0, 120.0, 40.0]], 1.0));
        let again = mask().shaped(&plan);
        assert_eq!(again.at(45, 120), 0);
        assert!((40..215).contains(&again.at(62, 120)), "{}", again.at(62, 120));
        // Beyond the picture nothing is painted.
        let beyond = stroke(Paint::SkyBrush, &[[-50.0, 20.0, 5.0]], 0.0);
        assert_eq!(beyond.brush().bounds(SIZE), None);
    }

    #[test]
    fn a_mask_survives_its_file_and_must_have_the_size_of_the_frames() {
        let folder = tempfile::tempdir().unwrap();
        for (name, target) in [
            ("mask.png", Target::Png { sixteen_bit: true }),
            ("mask.tif", Target::Tiff { sixteen_bit: true, deflate: false }),
        ] {
            let path = folder.path().join(name);
            let soft = mask().shaped(&SkylinePlan { soft_px: 2.0, ..SkylinePlan::default() });
            soft.write(&path, target).unwrap();
            assert_eq!(Mask::read(&path, SIZE).unwrap(), soft);
            let said = Mask::read(&path, (400, 200)).unwrap_err().to_string();
            assert!(said.contains("300 x 200 pixels and the frames 400 x 200"), "{said}");
        }
    }

    #[test]
    fn regions_are_told_by_what_they_show() {
        let region = |x, y| Region { x, y, width: 30, height: 30 };
        assert_eq!(mask().side(InReference(region(0, 0))), Side::Sky);
        assert_eq!(mask().side(InReference(region(140, 50))), Side::Both);
        assert_eq!(mask().side(InReference(region(0, 110))), Side::Ground);
    }
}
