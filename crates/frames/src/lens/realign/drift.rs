//! Offsets of a colour from green over a region.

use jade_optics::lens::Geometry;
use jade_pixels::tiled::Region;

/// Spacing in pixels at which the lens is evaluated; the error of interpolation is less than a
/// thousandth of a pixel.
const STEP: usize = 16;

/// Offsets in pixels, at every [`STEP`]-th column and row of a region.
pub struct Drift {
    nodes: Vec<[f32; 4]>,
    across: usize,
}

impl Drift {
    /// The offsets of a colour over a region.
    pub fn of(lens: &Geometry, colour: usize, region: Region) -> Self {
        let count = |length: u32| length as usize / STEP + 2;
        let (across, down) = (count(region.width), count(region.height));
        let way = |at: [f64; 2]| {
            let drawn = lens.colour(colour, at);
            [drawn[0] - at[0], drawn[1] - at[1]]
        };
        let mut nodes = Vec::with_capacity(across * down);
        for j in 0..down {
            for i in 0..across {
                let x = f64::from(region.x) + (i * STEP) as f64;
                let y = f64::from(region.y) + (j * STEP) as f64;
                let there = way([x, y]);
                // The position of the green that belongs to this colour here, in two steps.
                let near = way([x - there[0], y - there[1]]);
                let back = way([x - near[0], y - near[1]]);
                nodes.push([there[0], there[1], -back[0], -back[1]].map(|way| way as f32));
            }
        }
        Self { nodes, across }
    }

    /// The offsets in one row of the region, at every [`STEP`]-th column, into `row`.
    pub fn row(&self, y: usize, row: &mut Vec<[f32; 4]>) {
        let (j, share) = (y / STEP, (y % STEP) as f32 / STEP as f32);
        let upper = &self.nodes[j * self.across..][..self.across];
        let lower = &self.nodes[(j + 1) * self.across..][..self.across];
        row.clear();
        row.extend(upper.iter().zip(lower).map(|(a, b)| between(a, b, share)));
    }

    /// At a column of a row: the offset to the colour that belongs to the green there, and the
    /// offset to the green that belongs to the colour there.
    pub fn at(row: &[[f32; 4]], x: usize) -> [[f32; 2]; 2] {
        let (i, share) = (x / STEP, (x % STEP) as f32 / STEP as f32);
        let [a, b, c, d] = between(&row[i], &row[i + 1], share);
        [[a, b], [c, d]]
    }
}

fn between(a: &[f32; 4], b: &[f32; 4], share: f32) -> [f32; 4] {
    [0, 1, 2, 3].map(|i| a[i] + (b[i] - a[i]) * share)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_plan::LensPlan;

    #[test]
    fn ways_between_the_nodes_are_those_of_the_lens() {
        let plan = LensPlan { red: [0.003, -0.001], blue: [-0.002, 0.0], ..LensPlan::default() };
        let lens = plan.geometry((6000, 4000)).unwrap();
        let region = Region { x: 5700, y: 3610, width: 290, height: 303 };
        for colour in [0, 2] {
            let drift = Drift::of(&lens, colour, region);
            let mut row = Vec::new();
            for y in [0, 7, 16, 302] {
                drift.row(y, &mut row);
                for x in [0, 5, 33, 289] {
                    let [there, green] = Drift::at(&row, x);
                    let site = [f64::from(region.x) + x as f64, f64::from(region.y) + y as f64];
                    let drawn = lens.colour(colour, site);
                    let place = [0, 1].map(|axis| site[axis] + f64::from(green[axis]));
                    let again = lens.colour(colour, place);
                    for axis in 0..2 {
                        let off = site[axis] + f64::from(there[axis]) - drawn[axis];
                        assert!(off.abs() < 1e-3, "{colour} {x} {y}: {off}");
                        let off = again[axis] - site[axis];
                        assert!(off.abs() < 1e-3, "{colour} {x} {y}: {off}");
                    }
                }
            }
        }
    }
}
