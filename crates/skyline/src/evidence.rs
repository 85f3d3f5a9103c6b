//! What the frames show of each cell: its colour, detail that stands still, and point lights that
//! move with the sky.

use super::lights;
use super::view::View;
use jade_optics::grid::Grid;
use jade_optics::resample::Scratch;
use jade_optics::statistics::median;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::CoreError;
use rayon::prelude::*;

/// Most cells along the longer side.
const CELLS: u32 = 640;

/// Evidence for each cell of a grid.
#[derive(Clone)]
pub struct Evidence {
    /// The grid.
    pub grid: Grid,
    /// Linear light of red, green and blue in the median of the frames, so that passing things are
    /// left out.
    pub colour: [Vec<f32>; 3],
    /// Variance of fine detail that is the same in all frames, relative to that of noise.
    pub texture: Vec<f32>,
    /// Variance of a cell's light from frame to frame, relative to that of noise: 1 where nothing
    /// changes.
    pub change: Vec<f32>,
    /// Standard deviation of the noise of one pixel of one frame, for the sum of its colours.
    pub noise: Vec<f32>,
    /// The usual noise at the cell's brightness, which stars that pass do not raise.
    pub usual_noise: Vec<f32>,
    /// Number of point lights in each cell that move with the sky.
    pub stars: Vec<f32>,
    /// Number of point lights in each cell that move as the sky's reflection in water does.
    pub mirrored: Vec<f32>,
}

/// Rows of pixels that are read of each row of cells.
fn rows_of(grid: Grid) -> u32 {
    if grid.step > 8 { 3 } else { 4 }
}

/// Evidence for one row of cells.
struct Row {
    /// Means of red, green and blue of each frame.
    colours: Vec<[Vec<f32>; 3]>,
    texture: Vec<f32>,
    noise: Vec<f32>,
}

impl Evidence {
    /// Gathers evidence from frames of one size. In a single frame, detail cannot be distinguished
    /// from noise.
    ///
    /// # Errors
    /// [`CoreError::Picture`]; [`CoreError::Cancelled`] when `stop` says so.
    pub fn gather(views: &[View], stop: &(dyn Fn() -> bool + Sync)) -> Result<Self, CoreError> {
        let size = views[0].light.size();
        let grid = Grid::of(size, CELLS);
        let rows: Result<Vec<Row>, PictureError> = (0..grid.down)
            .into_par_iter()
            .map(|row| match stop() {
                true => Err(PictureError::Cancelled),
                false => Row::read(views, grid, row, size),
            })
            .collect();
        let rows = rows?;
        let plane = |frame: usize, colour: usize| -> Vec<f32> {
            rows.iter().flat_map(|row| row.colours[frame][colour].iter().copied()).collect()
        };
        let colours: Vec<[Vec<f32>; 3]> = (0..views.len())
            .into_par_iter()
            .map(|frame| [0, 1, 2].map(|colour| plane(frame, colour)))
            .collect();
        let colour = [0, 1, 2].map(|c| {
            let middle = |cell: usize| {
                let mut values: Vec<f32> = colours.iter().map(|frame| frame[c][cell]).collect();
                middle_of(&mut values)
            };
            (0..grid.cells()).into_par_iter().map(middle).collect()
        });
        let mut noise: Vec<f32> = rows.iter().flat_map(|row| row.noise.iter().copied()).collect();
        let usual_noise = usual_by_light(&colour, &noise);
        if views.len() == 1 {
            noise.clone_from(&usual_noise);
        }
        let change = change(grid, &colours, &noise);
        let texture = rows.into_iter().flat_map(|row| row.texture).collect();
        let [stars, mirrored] = lights::lights(views, grid);
        Ok(Self { grid, colour, texture, change, noise, usual_noise, stars, mirrored })
    }
}

impl Evidence {
    /// The evidence for cells twice as large.
    pub fn halved(&self) -> Self {
        let grid = self.grid.coarser(2);
        let sums = |plane: &[f32]| -> (Vec<f32>, Vec<f32>) {
            let (mut sums, mut counts) = (vec![0.0; grid.cells()], vec![0.0f32; grid.cells()]);
            for (i, v) in plane.iter().enumerate() {
                let to = i / self.grid.across / 2 * grid.across + i % self.grid.across / 2;
                sums[to] += v;
                counts[to] += 1.0;
            }
            (sums, counts)
        };
        let means = |plane: &[f32]| -> Vec<f32> {
            let (sums, counts) = sums(plane);
            sums.iter().zip(counts).map(|(sum, count)| sum / count).collect()
        };
        let colour = self.colour.each_ref().map(|plane| means(plane));
        let [texture, change, noise, usual_noise] =
            [&self.texture, &self.change, &self.noise, &self.usual_noise].map(|p| means(p));
        let [stars, mirrored] = [&self.stars, &self.mirrored].map(|plane| sums(plane).0);
        Self { grid, colour, texture, change, noise, usual_noise, stars, mirrored }
    }
}

/// The usual value at each cell's brightness: the median over a sixteenth of the cells, sorted by
/// light.
fn usual_by_light(colour: &[Vec<f32>; 3], values: &[f32]) -> Vec<f32> {
    let [red, green, blue] = colour;
    let light = |i: usize| red[i] + green[i] + blue[i];
    let mut order: Vec<usize> = (0..values.len()).collect();
    order.par_sort_unstable_by(|a, b| light(*a).total_cmp(&light(*b)).then(a.cmp(b)));
    let mut usual = vec![0.0; values.len()];
    for alike in order.chunks(values.len().div_ceil(16).max(1)) {
        let middle = median(&mut alike.iter().map(|&i| values[i]).collect::<Vec<_>>());
        alike.iter().for_each(|&i| usual[i] = middle);
    }
    usual
}

/// Change of the light around each cell from frame to frame, relative to noise, once frames are
/// normalised to the same brightness.
fn change(grid: Grid, colours: &[[Vec<f32>; 3]], noise: &[f32]) -> Vec<f32> {
    if colours.len() == 1 {
        return vec![1.0; grid.cells()];
    }
    /// Cells around one that are averaged with it, so that noise does not hide the change.
    const AROUND: usize = 5;
    /// Change without motion that is tolerated, as a share of the light.
    const STEADY: f32 = 0.004;
    let frames: Vec<Vec<f32>> = colours
        .par_iter()
        .map(|[red, green, blue]| {
            let sums = red.iter().zip(green).zip(blue).map(|((r, g), b)| r + g + b);
            grid.blurred(&sums.collect::<Vec<_>>(), AROUND)
        })
        .collect();
    let (first, n) = (&frames[0], frames.len() as f32);
    let gain = |frame: &Vec<f32>| {
        let ratio = |i: usize| first[i] / frame[i].max(1e-6);
        median(&mut (0..grid.cells()).step_by(7).map(ratio).collect::<Vec<_>>())
    };
    let gains: Vec<f32> = frames.iter().map(gain).collect();
    let noise = grid.blurred(noise, AROUND);
    let cells = ((2 * AROUND + 1) * (2 * AROUND + 1)) as f32;
    let pixels = (grid.step * grid.step.min(rows_of(grid))) as f32 * cells;
    let one = |i: usize| {
        let light = frames.iter().zip(&gains).map(|(frame, gain)| gain * frame[i]);
        let (all, squares) = light.fold((0.0, 0.0), |(all, squares), v| (all + v, squares + v * v));
        let variance = ((squares - all * all / n) / (n - 1.0)).max(0.0);
        variance / (noise[i].powi(2) / pixels + (STEADY * all / n).powi(2)).max(1e-12)
    };
    (0..grid.cells()).into_par_iter().map(one).collect()
}

/// The median; for an even number of values, the mean of the two in the middle.
fn middle_of(values: &mut [f32]) -> f32 {
    let upper = median(values);
    if values.len() % 2 == 1 {
        return upper;
    }
    let below = values[..values.len() / 2].iter().copied().fold(f32::MIN, f32::max);
    0.5 * (below + upper)
}

impl Row {
    fn read(
        views: &[View],
        grid: Grid,
        row: usize,
        (width, height): (u32, u32),
    ) -> Result<Self, PictureError> {
        let y = row as u32 * grid.step;
        // For large cells a few rows are enough.
        let rows = grid.step.min(height - y).min(rows_of(grid));
        let y = y + (grid.step.min(height - y) - rows) / 2;
        let region = Region { x: 0, y, width, height: rows };
        let (columns, step) = (width as usize, grid.step as usize);
        // Sums over the frames of each pixel's differences and of their squares: to the right and
        // downwards.
        let mut sums = [(); 2].map(|()| vec![0.0f32; region.area()]);
        let mut squares = [(); 2].map(|()| vec![0.0f32; region.area()]);
        let mut colours = Vec::with_capacity(views.len());
        let mut grey = vec![0.0; region.area()];
        let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
        let mut scratch = Scratch::default();
        for view in views {
            view.fill(region, planes.each_mut().map(Vec::as_mut_slice), &mut scratch)?;
            colours.push(planes.each_ref().map(|plane| means(plane, columns, step)));
            let [red, green, blue] = &planes;
            for (((grey, r), g), b) in grey.iter_mut().zip(red).zip(green).zip(blue) {
                *grey = r + g + b;
            }
            let mut add = |way: usize, from: usize, here: &[f32], there: &[f32]| {
                let sums = sums[way][from..].iter_mut().zip(&mut squares[way][from..]);
                for ((sum, square), (here, there)) in sums.zip(here.iter().zip(there)) {
                    let d = there - here;
                    *sum += d;
                    *square += d * d;
                }
            };
            for (y, row) in grey.chunks_exact(columns).enumerate() {
                add(0, y * columns, &row[..columns - 1], &row[1..]);
                if let Some(below) = grey.get((y + 1) * columns..(y + 2) * columns) {
                    add(1, y * columns, row, below);
                }
            }
        }
        let n = views.len() as f32;
        let across = columns.div_ceil(step);
        let (mut noise, mut shared) = (vec![0.0f32; across], vec![0.0f32; across]);
        // Number of differences in a cell: all to the right, and downwards from all rows but the
        // last.
        let count = (step as u32 * (2 * rows - 1)) as f32;
        let each = |of: &mut dyn FnMut(usize, f32, f32)| {
            for (sums, squares) in sums.iter().zip(&squares) {
                for (sums, squares) in sums.chunks_exact(columns).zip(squares.chunks_exact(columns))
                {
                    let cells = sums.chunks(step).zip(squares.chunks(step)).enumerate();
                    for (cell, (sums, squares)) in cells {
                        sums.iter().zip(squares).for_each(|(sum, square)| of(cell, *sum, *square));
                    }
                }
            }
        };
        each(&mut |cell, sum, square| {
            noise[cell] += if n > 1.0 { (square - sum * sum / n) / (n - 1.0) } else { square };
        });
        each(&mut |cell, sum, square| {
            // A flaw of the sensor stands still as well, but in one pixel.
            let most = 12.0 * noise[cell] / count;
            if n > 1.0 {
                shared[cell] += ((sum * sum - square) / (n * (n - 1.0))).min(most);
            }
        });
        let ratio = |(shared, noise): (&f32, &f32)| shared / noise.max(1e-12);
        let texture = shared.iter().zip(&noise).map(ratio).collect();
        // Each is the difference of two pixels.
        let noise = noise.iter().map(|noise| (noise / (2.0 * count)).sqrt()).collect();
        Ok(Self { colours, texture, noise })
    }
}

/// Means over the cells of one row of cells.
fn means(plane: &[f32], width: usize, step: usize) -> Vec<f32> {
    let mut columns = vec![0.0f32; width];
    for row in plane.chunks_exact(width) {
        columns.iter_mut().zip(row).for_each(|(sum, v)| *sum += v);
    }
    let mut sums: Vec<f32> = columns.chunks(step).map(|cell| cell.iter().sum()).collect();
    let height = plane.len() / width;
    for (cell, sum) in sums.iter_mut().enumerate() {
        *sum /= (step.min(width - cell * step) * height) as f32;
    }
    sums
}
