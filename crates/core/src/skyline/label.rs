//! Sky or ground for every cell: evidence that spreads until it meets an edge (random walks with
//! priors, Grady 2005).

use super::grid::Grid;

/// How far it is from one cell to its neighbours to the right and below: 1 where nothing changes,
/// near 0 across an edge.
pub struct Ways {
    right: Vec<f32>,
    down: Vec<f32>,
}

impl Ways {
    /// From the strength of the edge, 1 for what noise does, between each cell and its neighbour to
    /// the right, and to the one below.
    pub fn new(grid: Grid, right: &[f32], down: &[f32]) -> Self {
        let way = |edge: f32| (-0.5 * edge).exp() + 1e-3;
        let last = |i: usize| (i + 1).is_multiple_of(grid.across);
        let right =
            right.iter().enumerate().map(|(i, edge)| if last(i) { 0.0 } else { way(*edge) });
        let low = |i: usize| i + grid.across >= grid.cells();
        let down = down.iter().enumerate().map(|(i, edge)| if low(i) { 0.0 } else { way(*edge) });
        Self { right: right.collect(), down: down.collect() }
    }

    /// How well a border of sky and ground keeps to edges, 0 to 1.
    pub fn parted(&self, grid: Grid, sky: &[f32]) -> f32 {
        let (mut sum, mut count) = (0.0, 0.0f32);
        for i in 0..grid.cells() {
            let mut look = |way: f32, other: usize| {
                if other < grid.cells() && (sky[i] > 0.5) != (sky[other] > 0.5) {
                    sum += 1.0 - way;
                    count += 1.0;
                }
            };
            if (i + 1) % grid.across != 0 {
                look(self.right[i], i + 1);
            }
            look(self.down[i], i + grid.across);
        }
        sum / count.max(1.0)
    }

    fn halved(&self, grid: Grid, small: Grid) -> Self {
        let mut half = Self { right: vec![0.0; small.cells()], down: vec![0.0; small.cells()] };
        for (i, (right, down)) in self.right.iter().zip(&self.down).enumerate() {
            let (x, y) = (i % grid.across, i / grid.across);
            let to = y / 2 * small.across + x / 2;
            // What leads from one larger cell to the next.
            if x % 2 == 1 {
                half.right[to] += 0.5 * right;
            }
            if y % 2 == 1 {
                half.down[to] += 0.5 * down;
            }
        }
        half
    }
}

/// What is known of a cell: how likely it is sky, and how much that weighs.
#[derive(Debug, Clone, Copy, Default)]
pub struct Known {
    /// 0 for ground to 1 for sky.
    pub sky: f32,
    /// Weight against a neighbour's.
    pub weight: f32,
}

impl Known {
    /// Both together.
    pub fn and(self, other: Self) -> Self {
        let weight = self.weight + other.weight;
        let sum = self.sky * self.weight + other.sky * other.weight;
        Self { sky: if weight > 0.0 { sum / weight } else { 0.5 }, weight }
    }
}

/// How likely each cell is sky, 0 to 1, where it agrees best with what is known and with its
/// neighbours.
pub fn spread(grid: Grid, ways: &Ways, known: &[Known]) -> Vec<f32> {
    let mut sky = if grid.across.min(grid.down) > 8 {
        let small = Grid {
            step: grid.step * 2,
            across: grid.across.div_ceil(2),
            down: grid.down.div_ceil(2),
        };
        let mut sums = vec![Known::default(); small.cells()];
        for (i, own) in known.iter().enumerate() {
            let to = &mut sums[i / grid.across / 2 * small.across + i % grid.across / 2];
            to.sky += own.sky * own.weight;
            to.weight += own.weight;
        }
        for own in &mut sums {
            own.sky /= own.weight.max(1e-9);
        }
        let coarse = spread(small, &ways.halved(grid, small), &sums);
        let of = |i: usize| coarse[i / grid.across / 2 * small.across + i % grid.across / 2];
        (0..grid.cells()).map(of).collect()
    } else {
        known.iter().map(|own| own.sky).collect::<Vec<f32>>()
    };
    const SWEEPS: usize = 14;
    const BEYOND: f32 = 1.5;
    for sweep in 0..SWEEPS {
        for colour in 0..2 {
            for y in 0..grid.down {
                for x in ((y + colour + sweep) % 2..grid.across).step_by(2) {
                    let i = y * grid.across + x;
                    let own = known[i];
                    let (mut sum, mut weight) = (own.sky * own.weight, own.weight);
                    let mut add = |way: f32, other: f32| {
                        sum += way * other;
                        weight += way;
                    };
                    if x > 0 {
                        add(ways.right[i - 1], sky[i - 1]);
                    }
                    if x + 1 < grid.across {
                        add(ways.right[i], sky[i + 1]);
                    }
                    if y > 0 {
                        add(ways.down[i - grid.across], sky[i - grid.across]);
                    }
                    if y + 1 < grid.down {
                        add(ways.down[i], sky[i + grid.across]);
                    }
                    if weight > 0.0 {
                        sky[i] += BEYOND * (sum / weight - sky[i]);
                    }
                }
            }
        }
    }
    sky.iter().map(|v| v.clamp(0.0, 1.0)).collect()
}
