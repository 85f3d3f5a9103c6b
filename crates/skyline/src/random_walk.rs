//! Labels every cell as sky or ground by evidence that spreads until it meets an edge (random walks
//! with priors, Grady 2005).

use super::edge_weights::EdgeWeights;
use jade_optics::grid::Grid;
use rayon::prelude::*;

/// Evidence for a cell: the probability that it is sky, and a weight.
#[derive(Debug, Clone, Copy, Default)]
pub struct Prior {
    /// Probability of sky, 0 to 1.
    pub sky: f32,
    /// Weight, relative to that of a neighbour.
    pub weight: f32,
}

impl Prior {
    /// Both pieces of evidence combined.
    pub fn and(self, other: Self) -> Self {
        let weight = self.weight + other.weight;
        let sum = self.sky * self.weight + other.sky * other.weight;
        Self { sky: if weight > 0.0 { sum / weight } else { 0.5 }, weight }
    }
}

/// Probability that each cell is sky, 0 to 1: the values that agree best with the evidence and with
/// their neighbours.
pub fn spread(grid: Grid, edge_weights: &EdgeWeights, known: &[Prior]) -> Vec<f32> {
    let coarsest = grid.across.min(grid.down) <= 8;
    let mut sky = if !coarsest {
        let small = grid.coarser(2);
        let mut sums = vec![Prior::default(); small.cells()];
        for (i, prior) in known.iter().enumerate() {
            let to = &mut sums[i / grid.across / 2 * small.across + i % grid.across / 2];
            to.sky += prior.sky * prior.weight;
            to.weight += prior.weight;
        }
        for prior in &mut sums {
            prior.sky /= prior.weight.max(1e-9);
        }
        let coarse = spread(small, &edge_weights.halved(grid, small), &sums);
        let of = |i: usize| coarse[i / grid.across / 2 * small.across + i % grid.across / 2];
        (0..grid.cells()).map(of).collect()
    } else {
        known.iter().map(|prior| prior.sky).collect::<Vec<f32>>()
    };
    // Smaller grids settle large distances at little cost.
    let sweeps = match grid.cells() {
        _ if coarsest => 100,
        ..=20_000 => 40,
        _ => 14,
    };
    Board::new(grid, edge_weights, known, &sky).settled(sweeps, &mut sky);
    sky
}

/// The cells as a chessboard: cells of one colour have neighbours of the other colour only, so that
/// all cells of one colour can change at once.
struct Board {
    grid: Grid,
    colours: [Colour; 2],
}

/// The cells of one colour, row by row, with one cell beside the picture at either end.
#[derive(Default)]
struct Colour {
    sky: Vec<f32>,
    /// Weights of the connections to the left, to the right, up and down.
    edge_weights: [Vec<f32>; 4],
    /// Evidence for each cell, and the sum of all its weights.
    known: Vec<f32>,
    all: Vec<f32>,
}

impl Board {
    fn new(grid: Grid, edge_weights: &EdgeWeights, known: &[Prior], sky: &[f32]) -> Self {
        let length = Self::row_length(grid);
        let plane = || vec![0.0; length * grid.down];
        let colour = || Colour {
            sky: plane(),
            edge_weights: [plane(), plane(), plane(), plane()],
            known: plane(),
            all: vec![1.0; length * grid.down],
        };
        let mut colours = [colour(), colour()];
        for (i, prior) in known.iter().enumerate() {
            let (x, y) = (i % grid.across, i / grid.across);
            let Colour { sky: to, edge_weights: all_ways, known, all } = &mut colours[(x + y) % 2];
            let at = y * length + x / 2 + 1;
            let four = [
                if x > 0 { edge_weights.right[i - 1] } else { 0.0 },
                if x + 1 < grid.across { edge_weights.right[i] } else { 0.0 },
                if y > 0 { edge_weights.down[i - grid.across] } else { 0.0 },
                if y + 1 < grid.down { edge_weights.down[i] } else { 0.0 },
            ];
            all_ways.iter_mut().zip(four).for_each(|(plane, way)| plane[at] = way);
            to[at] = sky[i];
            known[at] = prior.sky * prior.weight;
            all[at] = (prior.weight + four.iter().sum::<f32>()).max(1e-20);
        }
        Self { grid, colours }
    }

    /// Cells of one colour in a row, with those beside the picture.
    fn row_length(grid: Grid) -> usize {
        grid.across.div_ceil(2) + 2
    }

    /// Moves every cell to the mean of its evidence and its neighbours, and beyond it (successive
    /// over-relaxation, Young 1954), for some sweeps.
    fn settled(mut self, sweeps: usize, sky: &mut [f32]) {
        for _ in 0..sweeps {
            for colour in 0..2 {
                let [first, second] = &mut self.colours;
                let (half, other) = if colour == 0 { (first, &*second) } else { (second, &*first) };
                half.step(&other.sky, self.grid, colour);
            }
        }
        let (across, length) = (self.grid.across, Self::row_length(self.grid));
        for (i, sky) in sky.iter_mut().enumerate() {
            let (x, y) = (i % across, i / across);
            *sky = self.colours[(x + y) % 2].sky[y * length + x / 2 + 1].clamp(0.0, 1.0);
        }
    }
}

impl Colour {
    fn step(&mut self, other: &[f32], grid: Grid, colour: usize) {
        const BEYOND: f32 = 1.5;
        /// Fewer rows are not worth sharing among threads.
        const FEW: usize = 40;
        let length = Board::row_length(grid);
        let Self { sky, edge_weights: [left, right, up, down], known, all } = self;
        sky.par_chunks_mut(length).with_min_len(FEW).enumerate().for_each(|(y, sky)| {
            let row = y * length..(y + 1) * length;
            let part = |plane: &[f32]| -> std::ops::Range<usize> {
                debug_assert!(plane.len() >= row.end);
                row.clone()
            };
            let (left, right) = (&left[part(left)], &right[part(right)]);
            let (up, down) = (&up[part(up)], &down[part(down)]);
            let (known, all) = (&known[part(known)], &all[part(all)]);
            let beside = &other[row.clone()];
            // Above the first row and below the last the weights are zero.
            let above = if y > 0 { &other[row.start - length..row.start] } else { beside };
            let below = if y + 1 < grid.down { &other[row.end..row.end + length] } else { beside };
            // The neighbour on the left has the same index, or the one before.
            let shift = (colour + y) % 2;
            let (to_left, to_right) = (&beside[shift..], &beside[shift + 1..]);
            for k in 1..length - 1 {
                let sum = known[k]
                    + left[k] * to_left[k - 1]
                    + right[k] * to_right[k - 1]
                    + up[k] * above[k]
                    + down[k] * below[k];
                sky[k] += BEYOND * (sum / all[k] - sky[k]);
            }
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Two halves separated by an edge along a slanted line.
    fn halves(grid: Grid) -> EdgeWeights {
        let left = |i: usize| 3 * (i % grid.across) < grid.across + i / grid.across;
        let way = |a: usize, b: usize| if left(a) == left(b) { 1.0 } else { 1e-3 };
        let (across, cells) = (grid.across, grid.cells());
        let right = |i: usize| if (i + 1).is_multiple_of(across) { 0.0 } else { way(i, i + 1) };
        let down = |i: usize| if i + across >= cells { 0.0 } else { way(i, i + across) };
        EdgeWeights { right: (0..cells).map(right).collect(), down: (0..cells).map(down).collect() }
    }

    #[test]
    fn what_is_known_here_and_there_spreads_as_far_as_the_edge() {
        let grid = Grid { step: 4, across: 90, down: 60 };
        let edge_weights = halves(grid);
        let mut known = vec![Prior::default(); grid.cells()];
        for i in (0..grid.cells()).step_by(157) {
            let left = 3 * (i % 90) < 90 + i / 90;
            known[i] = Prior { sky: f32::from(u8::from(left)), weight: 2.0 };
        }
        let sky = spread(grid, &edge_weights, &known);
        for (i, share) in sky.iter().enumerate() {
            // The cells that touch the edge may lag behind.
            let apart = 3 * (i % 90) as i64 - 90 - (i / 90) as i64;
            let right = apart.abs() <= 3 || (*share > 0.5) == (apart < 0);
            assert!(right, "column {}, row {}: {share}", i % 90, i / 90);
        }
        let (parted, length) = edge_weights.parted(grid, &sky);
        // Sixty rows, and twenty columns that the edge crosses on its way down.
        assert!(parted > 0.9 && (length - 80.0).abs() < 4.0, "{parted} over {length}");
        // A border that does not follow the edge gets a lower value.
        let upper: Vec<f32> = (0..grid.cells()).map(|i| f32::from(u8::from(i < 2700))).collect();
        assert!(edge_weights.parted(grid, &upper).0 < 0.1);
    }

    #[test]
    fn two_things_known_of_a_cell_count_by_their_weight() {
        let both = Prior { sky: 1.0, weight: 3.0 }.and(Prior { sky: 0.0, weight: 1.0 });
        assert_eq!((both.sky, both.weight), (0.75, 4.0));
        assert_eq!(Prior::default().and(Prior::default()).sky, 0.5);
    }
}
