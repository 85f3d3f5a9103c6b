//! Sky or ground for every cell: evidence that spreads until it meets an edge (random walks with
//! priors, Grady 2005).

use super::grid::Grid;
use super::ways::Ways;

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
    let coarsest = grid.across.min(grid.down) <= 8;
    let mut sky = if !coarsest {
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
    // Smaller grids settle what is far apart, at little cost.
    let sweeps = match grid.cells() {
        _ if coarsest => 100,
        ..=20_000 => 40,
        _ => 14,
    };
    const BEYOND: f32 = 1.5;
    for _ in 0..sweeps {
        for colour in 0..2 {
            for y in 0..grid.down {
                for x in ((y + colour) % 2..grid.across).step_by(2) {
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

#[cfg(test)]
mod tests {
    use super::*;

    /// Two halves that an edge along a slanted line parts.
    fn halves(grid: Grid) -> Ways {
        let left = |i: usize| 3 * (i % grid.across) < grid.across + i / grid.across;
        let way = |a: usize, b: usize| if left(a) == left(b) { 1.0 } else { 1e-3 };
        let (across, cells) = (grid.across, grid.cells());
        let right = |i: usize| if (i + 1).is_multiple_of(across) { 0.0 } else { way(i, i + 1) };
        let down = |i: usize| if i + across >= cells { 0.0 } else { way(i, i + across) };
        Ways { right: (0..cells).map(right).collect(), down: (0..cells).map(down).collect() }
    }

    #[test]
    fn what_is_known_here_and_there_spreads_as_far_as_the_edge() {
        let grid = Grid { step: 4, across: 90, down: 60 };
        let ways = halves(grid);
        let mut known = vec![Known::default(); grid.cells()];
        for i in (0..grid.cells()).step_by(157) {
            let left = 3 * (i % 90) < 90 + i / 90;
            known[i] = Known { sky: f32::from(u8::from(left)), weight: 2.0 };
        }
        let sky = spread(grid, &ways, &known);
        for (i, own) in sky.iter().enumerate() {
            // The cells that touch the edge may lag behind.
            let apart = 3 * (i % 90) as i64 - 90 - (i / 90) as i64;
            let right = apart.abs() <= 3 || (*own > 0.5) == (apart < 0);
            assert!(right, "column {}, row {}: {own}", i % 90, i / 90);
        }
        assert!(ways.parted(grid, &sky) > 0.9);
        // A border that does not keep to the edge is told from it.
        let upper: Vec<f32> = (0..grid.cells()).map(|i| f32::from(u8::from(i < 2700))).collect();
        assert!(ways.parted(grid, &upper) < 0.1);
    }

    #[test]
    fn two_things_known_of_a_cell_count_by_their_weight() {
        let both = Known { sky: 1.0, weight: 3.0 }.and(Known { sky: 0.0, weight: 1.0 });
        assert_eq!((both.sky, both.weight), (0.75, 4.0));
        assert_eq!(Known::default().and(Known::default()).sky, 0.5);
    }
}
