//! The smooth brightness behind the stars and its noise: clipped medians on a mesh of cells,
//! interpolated.

use jade_optics::light::Light;
use jade_optics::statistics::{median, robust_sigma};
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use rayon::prelude::*;

/// Side of a mesh cell in pixels.
const CELL: u32 = 64;

/// Background level and noise (standard deviation) of a picture's mean of colours, in linear light.
pub struct Background {
    across: usize,
    down: usize,
    level: Vec<f32>,
    sigma: Vec<f32>,
}

impl Background {
    /// Measures a picture, a row of cells at a time, from every fourth pixel of every fourth row.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn measure(light: &dyn Light) -> Result<Self, PictureError> {
        const STEP: u32 = 4;
        let (width, height) = light.size();
        let (across, down) = (width.div_ceil(CELL) as usize, height.div_ceil(CELL) as usize);
        let rows: Result<Vec<Vec<(f32, f32)>>, PictureError> = (0..down as u32)
            .into_par_iter()
            .map(|row| {
                let y = row * CELL;
                let band = Region { x: 0, y, width, height: CELL.min(height - y) };
                let values = light.thinned_mean(band, STEP)?;
                let stride = width.div_ceil(STEP) as usize;
                let begin =
                    |column: usize| (column * CELL as usize).div_ceil(STEP as usize).min(stride);
                let mut cell = Vec::new();
                Ok((0..across)
                    .map(|column| {
                        cell.clear();
                        for row in values.chunks_exact(stride) {
                            // A last column that is too narrow for a sample uses its neighbour's.
                            let end = begin(column + 1);
                            cell.extend_from_slice(&row[begin(column).min(end - 1)..end]);
                        }
                        clipped(&mut cell)
                    })
                    .collect())
            })
            .collect();
        let (level, sigma): (Vec<f32>, Vec<f32>) = rows?.into_iter().flatten().unzip();
        let level = smoothed(&level, across, down);
        let sigma = smoothed(&sigma, across, down);
        Ok(Self { across, down, level, sigma })
    }

    /// Level and noise in a region of the picture.
    pub fn mesh(&self, region: Region, mesh: &mut Mesh) {
        let nodes = |from: u32, length: u32| {
            (0..=length.div_ceil(FINE)).map(move |i| (from + i * FINE) as f32 / CELL as f32 - 0.5)
        };
        mesh.across = region.width.div_ceil(FINE) as usize + 1;
        mesh.nodes.clear();
        for y in nodes(region.y, region.height) {
            mesh.nodes.extend(nodes(region.x, region.width).map(|x| self.at(x, y)));
        }
    }

    /// Level and noise, interpolated between the middles of cells; positions are in cells, from the
    /// middle of the first.
    fn at(&self, x: f32, y: f32) -> [f32; 2] {
        let place = |v: f32, cells: usize| {
            // Beyond the outermost middles the slope continues for half a cell.
            let low = (v.max(0.0) as usize).min(cells.saturating_sub(2));
            (low, (low + 1).min(cells - 1), (v - low as f32).min(1.5))
        };
        let (x0, x1, fx) = place(x, self.across);
        let (y0, y1, fy) = place(y, self.down);
        [&self.level, &self.sigma].map(|values| {
            let row = |y: usize| {
                let (a, b) = (values[y * self.across + x0], values[y * self.across + x1]);
                a + (b - a) * fx
            };
            let (top, low) = (row(y0), row(y1));
            top + (low - top) * fy
        })
    }

    /// The median of all levels.
    pub fn median_level(&self) -> f32 {
        median(&mut self.level.clone())
    }
}

/// Level and noise in one region, at nodes close enough for linear interpolation.
#[derive(Default)]
pub struct Mesh {
    across: usize,
    nodes: Vec<[f32; 2]>,
}

/// Distance of a [`Mesh`]'s nodes in pixels.
const FINE: u32 = 16;

impl Mesh {
    /// Subtracts the level from row `y` of the region.
    pub fn subtract_level(&self, y: usize, row: &mut [f32]) {
        const PLACES: [f32; FINE as usize] = {
            let mut places = [0.0; FINE as usize];
            let mut place = 0;
            while place < FINE as usize {
                places[place] = place as f32;
                place += 1;
            }
            places
        };
        let (at, f) = (y / FINE as usize, (y % FINE as usize) as f32 / FINE as f32);
        let [above, below] =
            [at, at + 1].map(|row| &self.nodes[row * self.across..][..self.across]);
        let node = |(a, b): (&[f32; 2], &[f32; 2])| a[0] + (b[0] - a[0]) * f;
        let mut nodes = above.iter().zip(below).map(node);
        let mut from = nodes.next().unwrap_or_default();
        let (runs, rest) = row.as_chunks_mut::<{ FINE as usize }>();
        for (run, to) in runs.iter_mut().zip(&mut nodes) {
            let step = (to - from) / FINE as f32;
            for (value, place) in run.iter_mut().zip(PLACES) {
                *value -= from + step * place;
            }
            from = to;
        }
        if let Some(to) = nodes.next() {
            let step = (to - from) / FINE as f32;
            for (value, place) in rest.iter_mut().zip(PLACES) {
                *value -= from + step * place;
            }
        }
    }

    /// The level at a pixel of the region.
    pub fn level(&self, x: usize, y: usize) -> f32 {
        let (i, f) = (x / FINE as usize, (x % FINE as usize) as f32 / FINE as f32);
        let (a, b) = (self.level_in_column(i, y), self.level_in_column(i + 1, y));
        a + (b - a) * f
    }

    fn level_in_column(&self, i: usize, y: usize) -> f32 {
        let (row, f) = (y / FINE as usize, (y % FINE as usize) as f32 / FINE as f32);
        let [a, b] = [row, row + 1].map(|row| self.nodes[row * self.across + i][0]);
        a + (b - a) * f
    }

    /// Standard deviation of the noise near a pixel of the region, positive.
    pub fn noise(&self, x: usize, y: usize) -> f32 {
        self.nodes[(y / FINE as usize) * self.across + x / FINE as usize][1].max(1e-7)
    }
}

/// Median and noise after three rounds of removing what lies beyond three standard deviations;
/// sorts `values`.
fn clipped(values: &mut [f32]) -> (f32, f32) {
    // Integers in the same order sort faster.
    let keys: &mut [i32] = bytemuck::cast_slice_mut(values);
    let turned = |key: i32| key ^ (key >> 31) & i32::MAX;
    keys.iter_mut().for_each(|key| *key = turned(*key));
    keys.sort_unstable();
    keys.iter_mut().for_each(|key| *key = turned(*key));
    let mut kept = &*values;
    let (mut middle, mut sigma) = spread_of_sorted(kept);
    for _ in 0..3 {
        let reach = 3.0 * sigma;
        let from = kept.partition_point(|v| *v < middle - reach);
        let to = kept.partition_point(|v| *v <= middle + reach);
        if to - from == kept.len() || to - from < 16 {
            break;
        }
        kept = &kept[from..to];
        (middle, sigma) = spread_of_sorted(kept);
    }
    (middle, sigma.max(1e-6))
}

/// Median and [`robust_sigma`] of sorted values. The distances from the median, upwards and
/// downwards, are two sorted rows; their common median is found by bisection.
fn spread_of_sorted(sorted: &[f32]) -> (f32, f32) {
    let place = sorted.len() / 2;
    let middle = sorted[place];
    let (below, above) = (place, sorted.len() - place);
    let down = |i: usize| middle - sorted[place - 1 - i];
    let up = |i: usize| sorted[place + i] - middle;
    // The number of distances up to and including the median.
    let wanted = sorted.len() / 2 + 1;
    let (mut least, mut most) = (wanted.saturating_sub(above), below.min(wanted));
    while least < most {
        let taken = (least + most) / 2;
        match down(taken) < up(wanted - taken - 1) {
            true => least = taken + 1,
            false => most = taken,
        }
    }
    let last_down = least.checked_sub(1).map_or(0.0, down);
    let last_up = (wanted - least).checked_sub(1).map_or(0.0, up);
    (middle, 1.4826 * last_down.max(last_up))
}

/// Cells far outside the range of their neighbours (a lamp, the moon) take the neighbours' median;
/// slopes stay as they are.
fn smoothed(mesh: &[f32], across: usize, down: usize) -> Vec<f32> {
    let mut out = Vec::with_capacity(mesh.len());
    for y in 0..down {
        for x in 0..across {
            let mut near: Vec<f32> = (y.saturating_sub(1)..=(y + 1).min(down - 1))
                .flat_map(|v| (x.saturating_sub(1)..=(x + 1).min(across - 1)).map(move |u| (u, v)))
                .map(|(u, v)| mesh[v * across + u])
                .collect();
            let value = mesh[y * across + x];
            let middle = median(&mut near);
            let spread = robust_sigma(&near, middle);
            out.push(if (value - middle).abs() > 4.0 * spread { middle } else { value });
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_optics::drawn::Drawn;
    use proptest::prelude::*;

    fn level(x: u32, y: u32) -> f32 {
        0.02 + 4e-6 * x as f32 + 6e-6 * y as f32
    }

    #[test]
    fn a_slope_is_followed_to_the_rims_and_taken_off() {
        // From dark to less dark, with a pattern for noise.
        let slope = Drawn {
            size: (331, 257),
            of: |[x, y]: [u32; 2], _| {
                let noise = ((x * 7919 + y * 104_729) % 1009) as f32 / 1009.0 - 0.5;
                level(x, y) + 0.001 * noise
            },
        };
        let background = Background::measure(&slope).unwrap();
        assert!((background.median_level() - level(165, 128)).abs() < 5e-4);
        let region = Region { x: 90, y: 37, width: 241, height: 220 };
        let mut mesh = Mesh::default();
        background.mesh(region, &mut mesh);
        for y in [0, 1, 15, 16, 100, 219] {
            let mut row: Vec<f32> = (0..241).map(|x| level(90 + x, 37 + y as u32)).collect();
            for (x, truth) in row.iter().enumerate() {
                assert!((mesh.level(x, y) - truth).abs() < 1.5e-4, "at {x} {y}");
                let noise = mesh.noise(x, y);
                assert!((2e-4..6e-4).contains(&noise), "{noise} at {x} {y}");
            }
            mesh.subtract_level(y, &mut row);
            assert!(row.iter().all(|v| v.abs() < 1.5e-4), "row {y}");
        }
    }

    proptest! {
        #[test]
        fn sorted_values_give_the_same_spread(
            mut values in prop::collection::vec(-10.0f32..10.0, 1..200),
        ) {
            let middle = median(&mut values.clone());
            let sigma = robust_sigma(&values, middle);
            values.sort_by(f32::total_cmp);
            prop_assert_eq!(spread_of_sorted(&values), (middle, sigma));
        }
    }
}
