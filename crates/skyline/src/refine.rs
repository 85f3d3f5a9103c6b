//! The share of sky in every pixel, from the labels of cells and the appearance of sky and ground
//! around.

use super::evidence::Evidence;
use super::local_colour::{LocalColour, SAID, SURE};
use super::marks::{GROUND, SKY, STEPS, STEPS_SKY, THIN, reach, shares};
use super::strokes::Labels;
use super::view::View;
use jade_combine::mask::Mask;
use jade_combine::network::{LANES, Network, Row};
use jade_optics::grid::Grid;
use jade_optics::resample;
use jade_optics::space::InReference;
use jade_optics::statistics::median;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::CoreError;
use rayon::prelude::*;

/// Side of the squares that are worked on at a time, in pixels.
const SQUARE: u32 = 256;
/// Side of the parts of a square that are skipped where no pixel needs judging, in pixels.
const PART: u32 = 64;
/// Pixels around a part that influence it.
const MARGIN: u32 = REACH as u32;
/// Pixels to either side of the middle of a line along which thin things are distinguished from
/// noise.
const REACH: usize = 4;
/// Standard deviations by which a thin thing differs from the sky.
const SIGMAS: f32 = 4.0;
/// Texture below which nothing thin stands in front of the sky.
const STILL: f32 = 0.25;

/// What every pixel of the reference frame is by its own light.
#[derive(Clone)]
pub struct Pixels {
    size: (u32, u32),
    marks: Vec<u8>,
}

impl Pixels {
    /// Judges all pixels.
    ///
    /// # Errors
    /// [`CoreError::Picture`]; [`CoreError::Cancelled`] when `stop` says so.
    pub fn of(
        views: &[View],
        evidence: &Evidence,
        labels: &Labels,
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Self, CoreError> {
        let (width, height) = views[0].light.size();
        let marks = vec![0u8; width as usize * height as usize];
        let mut pixels = Self { size: (width, height), marks };
        let whole = Region { x: 0, y: 0, width, height };
        pixels.judge(views, evidence, labels, (whole, &|_| true), stop)?;
        Ok(pixels)
    }

    /// Judges the pixels of a part of the picture again, in and next to some cells of the grid.
    ///
    /// # Errors
    /// As for [`Pixels::of`].
    pub fn judge(
        &mut self,
        views: &[View],
        evidence: &Evidence,
        labels: &Labels,
        (part, here): (Region, &(dyn Fn(usize) -> bool + Sync)),
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<(), CoreError> {
        let (width, height) = self.size;
        let around = LocalColour::of(evidence, labels, views.len());
        let mut squares = Region::covering(width, height, [SQUARE; 2]);
        squares.retain(|square| square.shared_with(part).is_some());
        let network = Network::new(views.len(), &Network::median_rows(views.len()));
        // One square after the other, as those near the border take much longer.
        let marked: Result<Vec<(Region, Vec<u8>)>, PictureError> = squares
            .into_iter()
            .par_bridge()
            .map_init(Scratch::default, |scratch, square| match stop() {
                true => Err(PictureError::Cancelled),
                false => {
                    let size = (width, height);
                    let mut marks = self.copied(square);
                    let grid = evidence.grid;
                    scratch.mark(
                        views,
                        &network,
                        grid,
                        (&around, here),
                        (square, size),
                        &mut marks,
                    )?;
                    Ok((square, marks))
                }
            })
            .collect();
        for (square, part) in marked? {
            for (y, row) in part.chunks_exact(square.width as usize).enumerate() {
                let at = (square.y as usize + y) * width as usize + square.x as usize;
                self.marks[at..at + row.len()].copy_from_slice(row);
            }
        }
        Ok(())
    }

    /// The whole squares that contain a part of the picture.
    pub fn squares(&self, part: Region) -> Region {
        let (x, y) = (part.x / SQUARE * SQUARE, part.y / SQUARE * SQUARE);
        let end =
            |from: u32, length: u32, size: u32| (from + length).next_multiple_of(SQUARE).min(size);
        let right = end(part.x, part.width, self.size.0);
        let low = end(part.y, part.height, self.size.1);
        Region { x, y, width: right - x, height: low - y }
    }

    /// A copy of the marks of a region.
    pub fn copied(&self, region: Region) -> Vec<u8> {
        let width = self.size.0 as usize;
        let row =
            |y: u32| &self.marks[y as usize * width + region.x as usize..][..region.width as usize];
        (region.y..region.y + region.height).flat_map(row).copied().collect()
    }

    /// Restores copied marks.
    pub fn put_back(&mut self, region: Region, marks: &[u8]) {
        let width = self.size.0 as usize;
        for (y, row) in marks.chunks_exact(region.width as usize).enumerate() {
            let at = (region.y as usize + y) * width + region.x as usize;
            self.marks[at..at + row.len()].copy_from_slice(row);
        }
    }

    /// The share of sky in every pixel.
    pub fn mask(&self) -> Mask {
        let width = self.size.0 as usize;
        let mut marks = self.marks.clone();
        reach(&mut marks, width);
        Mask::new(self.size, shares(&marks, width))
    }
}

/// What is known of all pixels of a part without judging them.
#[derive(PartialEq)]
enum PartState {
    /// They keep their marks.
    Kept,
    /// All have this mark: nothing is near that they could be mistaken for.
    All(u8),
    Nothing,
}

/// Scratch memory of one thread.
#[derive(Default)]
struct Scratch {
    resampling: resample::Scratch,
    planes: Vec<[Vec<f32>; 3]>,
    rows: Vec<Row>,
    share: Vec<f32>,
    /// Mean share over a pixel and its neighbours.
    mean: Vec<f32>,
    sigma: Vec<f32>,
    sky: Vec<f32>,
    /// Light of the median, summed over the colours.
    light: Vec<f32>,
    /// Light that no sky of the square reaches without a star.
    dazzling: f32,
}

impl Scratch {
    /// Marks the pixels of a square of a picture of a size, in and next to some cells.
    fn mark(
        &mut self,
        views: &[View],
        network: &Network,
        grid: Grid,
        (around, here): (&LocalColour, &dyn Fn(usize) -> bool),
        (square, size): (Region, (u32, u32)),
        marks: &mut [u8],
    ) -> Result<(), PictureError> {
        let near = |region: Region| {
            let cells = |from: u32, length: u32, count: usize| {
                let (first, last) = (from / grid.step, (from + length - 1) / grid.step);
                (first as usize).saturating_sub(1)..(last as usize + 2).min(count)
            };
            let columns = cells(region.x, region.width, grid.across);
            let rows = cells(region.y, region.height, grid.down);
            rows.flat_map(move |y| columns.clone().map(move |x| y * grid.across + x))
        };
        let known = |part: Region| {
            let empty = |cell: usize| around.sky[cell] > SURE && around.texture[cell] < STILL;
            match () {
                () if !near(part).any(here) => PartState::Kept,
                () if near(part).all(|cell| around.sky[cell] < -SURE) => PartState::All(GROUND),
                () if near(part).all(empty) => PartState::All(STEPS_SKY | SKY),
                () => PartState::Nothing,
            }
        };
        match known(square) {
            PartState::Kept => return Ok(()),
            PartState::All(mark) => {
                marks.fill(mark);
                return Ok(());
            }
            PartState::Nothing => {}
        }
        self.dazzling = match far_enough(views, square) {
            // Stars that pass make single cells noisy.
            true => median(&mut near(square).map(|cell| around.dazzling[cell]).collect::<Vec<_>>()),
            false => f32::MAX,
        };
        let row_length = square.width as usize;
        for band in Region::covering(square.width, square.height, [square.width, PART]) {
            let parts: Vec<(Region, PartState)> =
                Region::covering(band.width, band.height, [PART; 2])
                    .into_iter()
                    .map(|part| part.moved([0, band.y]))
                    .map(|part| (part, known(part.moved([square.x, square.y]))))
                    .collect();
            // Adjacent parts are read at once.
            for run in parts.chunk_by(|a, b| a.1 == b.1) {
                let first = run[0].0;
                let width = run.iter().map(|(part, _)| part.width).sum();
                let joined = Region { width, ..first };
                let judged = match run[0].1 {
                    PartState::Kept => continue,
                    PartState::All(mark) => vec![mark; joined.area()],
                    PartState::Nothing => {
                        let there = joined.moved([square.x, square.y]);
                        let outer = there.widened(MARGIN, size);
                        self.read(views, network, grid, around, outer)?;
                        means(&self.share, outer.width as usize, &mut self.mean);
                        self.judge(there, outer)
                    }
                };
                for (y, row) in judged.chunks_exact(width as usize).enumerate() {
                    let at = (joined.y as usize + y) * row_length + joined.x as usize;
                    marks[at..at + row.len()].copy_from_slice(row);
                }
            }
        }
        Ok(())
    }

    /// Marks a part of the region that was read.
    fn judge(&self, part: Region, outer: Region) -> Vec<u8> {
        let (width, height) = (outer.width as usize, outer.height as usize);
        let (left, top) = ((part.x - outer.x) as usize, (part.y - outer.y) as usize);
        let mut marks = Vec::with_capacity(part.area());
        for y in top..top + part.height as usize {
            for x in left..left + part.width as usize {
                marks.push(self.mark_one(x, y, width, height, y * width + x));
            }
        }
        marks
    }

    fn mark_one(&self, x: usize, y: usize, width: usize, height: usize, i: usize) -> u8 {
        let (share, sigma, sky) = (self.share[i], self.sigma[i], self.sky[i]);
        let steps = (((1.0 - share).clamp(0.0, 1.0) * STEPS) as u8) << 2;
        if sky < -SURE {
            return GROUND;
        }
        if sky > SAID {
            return SKY;
        }
        // With its neighbours, relative to noise.
        let (mean, noise) = (self.mean[i], (sigma * sigma / 9.0 + 0.01).sqrt());
        if sky < SURE {
            let square = |off: f32| 0.5 * (off / noise).powi(2);
            let ratio = (square(mean - 1.0) - square(mean)).clamp(-9.0, 9.0);
            // Light far from both sides, as that of lamps and stars, says nothing.
            let ratio = if (-0.6..1.8).contains(&mean) { ratio } else { 0.0 };
            if ratio + sky < 0.0 {
                return steps | GROUND;
            }
        }
        // Light unlike sky and ground in the median of all frames stands still. It is a lamp if it
        // is equally bright in all frames, or if it is on a pole. Its rim is reached from its
        // middle.
        if self.light[i] > self.dazzling && self.still(i) {
            return if self.lamp(x, y, width, height) { GROUND } else { THIN };
        }
        if mean < -1.0 && mean < -8.0 * sigma && self.still(i) {
            return THIN;
        }
        if share > 2.0 * sigma || mean > 2.0 * noise {
            let line = self.line(x, y, width, height);
            if line > SIGMAS * sigma / (2.0 * REACH as f32 + 1.0).sqrt() && line > 0.12 {
                return steps | THIN;
            }
        }
        steps | SKY
    }

    /// Whether a pixel and all its neighbours are brighter than sky in all frames; a single faulty
    /// pixel of the sensor is not.
    fn lamp(&self, x: usize, y: usize, width: usize, height: usize) -> bool {
        let rows = y.saturating_sub(1)..(y + 2).min(height);
        rows.flat_map(|row| {
            let columns = x.saturating_sub(1)..(x + 2).min(width);
            columns.map(move |column| row * width + column)
        })
        .all(|i| self.light[i] > self.dazzling && self.still(i))
    }

    /// Whether a pixel is about equally bright in all frames.
    fn still(&self, i: usize) -> bool {
        let light = |planes: &[Vec<f32>; 3]| planes.iter().map(|plane| plane[i]).sum::<f32>();
        let all = || self.planes.iter().map(light);
        all().fold(f32::MAX, f32::min) > 0.6 * all().fold(0.0, f32::max)
    }

    /// The largest mean share along a line through a pixel.
    fn line(&self, x: usize, y: usize, width: usize, height: usize) -> f32 {
        /// Steps along eight directions, to one side.
        const DIRECTIONS: [[[i64; 2]; REACH]; 8] = [
            [[1, 0], [2, 0], [3, 0], [4, 0]],
            [[1, 0], [2, 1], [3, 1], [4, 2]],
            [[1, 1], [1, 1], [2, 2], [3, 3]],
            [[0, 1], [1, 2], [1, 3], [2, 4]],
            [[0, 1], [0, 2], [0, 3], [0, 4]],
            [[0, 1], [-1, 2], [-1, 3], [-2, 4]],
            [[-1, 1], [-1, 1], [-2, 2], [-3, 3]],
            [[-1, 0], [-2, 1], [-3, 1], [-4, 2]],
        ];
        let at = |x: i64, y: i64| {
            let x = x.clamp(0, width as i64 - 1) as usize;
            let y = y.clamp(0, height as i64 - 1) as usize;
            self.share[y * width + x].clamp(-1.0, 1.0)
        };
        let (x, y) = (x as i64, y as i64);
        let mean = |way: [[i64; 2]; REACH]| {
            let both = way.map(|[dx, dy]| at(x - dx, y - dy) + at(x + dx, y + dy));
            (at(x, y) + both.iter().sum::<f32>()) / (2 * REACH + 1) as f32
        };
        DIRECTIONS.into_iter().map(mean).fold(f32::MIN, f32::max)
    }

    /// Reads a region of all frames unaligned, and computes the share of ground in each pixel of
    /// their median.
    fn read(
        &mut self,
        views: &[View],
        network: &Network,
        grid: Grid,
        around: &LocalColour,
        region: Region,
    ) -> Result<(), PictureError> {
        let area = region.area();
        self.planes.resize_with(views.len(), Default::default);
        for (view, planes) in views.iter().zip(&mut self.planes) {
            planes.iter_mut().for_each(|plane| plane.resize(area, 0.0));
            let out = planes.each_mut().map(Vec::as_mut_slice);
            view.fill(region, out, &mut self.resampling)?;
        }
        self.share.clear();
        self.light.clear();
        self.light.resize(area, 0.0);
        self.sigma.clear();
        self.sky.clear();
        self.rows.resize(views.len(), [0.0; LANES]);
        let mut weights = [(); 3].map(|()| Vec::with_capacity(area));
        let [red, green, blue] = &mut weights;
        let all = [&around.weights[0], &around.weights[1], &around.weights[2]];
        grid.lay(region, all[0], red);
        grid.lay(region, all[1], green);
        grid.lay(region, all[2], blue);
        grid.lay(region, &around.sigma, &mut self.sigma);
        grid.lay(region, &around.sky, &mut self.sky);
        grid.lay(region, &around.offset, &mut self.share);
        self.share.iter_mut().for_each(|share| *share = -*share);
        let middle = Network::median_rows(views.len());
        for (c, weights) in weights.iter().enumerate() {
            for from in (0..area).step_by(LANES) {
                let length = LANES.min(area - from);
                for (row, planes) in self.rows.iter_mut().zip(&self.planes) {
                    row[..length].copy_from_slice(&planes[c][from..from + length]);
                }
                network.run(&mut self.rows);
                // The mean of the two in the middle, or the one in the middle twice.
                let (low, high) = (&self.rows[middle[0]], &self.rows[middle[middle.len() - 1]]);
                let light = low.iter().zip(high).map(|(low, high)| 0.5 * (low + high));
                let sums = self.share[from..].iter_mut().zip(&mut self.light[from..]);
                for ((share, sum), (weight, light)) in sums.zip(weights[from..].iter().zip(light)) {
                    *share += weight * light;
                    *sum += light;
                }
            }
        }
        Ok(())
    }
}

/// Means over each value and its eight neighbours inside the picture; outliers are clamped.
fn means(values: &[f32], width: usize, out: &mut Vec<f32>) {
    let height = values.len() / width;
    let mut columns = vec![0.0f32; width];
    out.clear();
    for y in 0..height {
        let rows = y.saturating_sub(1)..(y + 2).min(height);
        let part = 1.0 / rows.len() as f32;
        columns.fill(0.0);
        for row in values[rows.start * width..rows.end * width].chunks_exact(width) {
            columns.iter_mut().zip(row).for_each(|(sum, v)| *sum += part * v.clamp(-4.0, 4.0));
        }
        let (first, last) = (&columns[..width.min(2)], &columns[width.saturating_sub(2)..]);
        let mean = |values: &[f32]| values.iter().sum::<f32>() / values.len() as f32;
        out.push(mean(first));
        out.extend(columns.windows(3).map(|near| (near[0] + near[1] + near[2]) / 3.0));
        if width > 1 {
            out.push(mean(last));
        }
    }
}

/// Whether the sky moves so far at a place, over enough frames, that no star looks as if it stood
/// still.
fn far_enough(views: &[View], square: Region) -> bool {
    const FEWEST: usize = 3;
    const FAR: f64 = 4.0;
    let half = f64::from(SQUARE) / 2.0;
    let middle = [f64::from(square.x) + half, f64::from(square.y) + half];
    let place = |view: &View| view.motion.from_reference(InReference(middle)).0;
    let places = || views.iter().map(place);
    let far = |a: [f64; 2], b: [f64; 2]| (a[0] - b[0]).hypot(a[1] - b[1]);
    let most = places().flat_map(|a| places().map(move |b| far(a, b))).fold(0.0, f64::max);
    views.len() >= FEWEST && most > FAR
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::marks::around;

    #[test]
    fn means_are_those_of_the_neighbours_that_are_there() {
        const WIDE: usize = 40;
        let values: Vec<f32> = (0..WIDE * 30).map(|i| (i * 7919 % 101) as f32 / 20.0).collect();
        let mut out = Vec::new();
        means(&values, WIDE, &mut out);
        for (i, mean) in out.iter().enumerate() {
            let near: Vec<usize> = around(i, WIDE, values.len(), 1).chain([i]).collect();
            let sum: f32 = near.iter().map(|&n| values[n].clamp(-4.0, 4.0)).sum();
            assert!((mean - sum / near.len() as f32).abs() < 1e-4, "pixel {i}");
        }
    }
}
