//! Strokes: what a person says of a region by painting on some of it.

use super::appearance::{self, Feature};
use super::evidence::Evidence;
use super::grid::Grid;
use super::mask::cover;
use super::plan::Stroke;
use super::spread::{Known, spread};
use super::ways::Ways;

/// Weight of what is not in the region against the ways that lead there: it reaches some thirty
/// cells.
const ELSEWHERE: f32 = 1e-3;
/// Weight of the stroke itself.
const TOLD: f32 = 1e3;
/// Standard deviations of brightness, colours and texture within a region, beside those under the
/// stroke.
const ALIKE: [f32; 4] = [0.12, 0.05, 0.05, 0.7];

/// What each cell is.
#[derive(Clone)]
pub struct Labels {
    /// How likely it is sky, 0 to 1.
    pub sky: Vec<f32>,
    /// What the person said of it.
    pub told: Vec<Option<bool>>,
}

/// What tells which cells belong together.
#[derive(Clone)]
pub struct Regions {
    ways: Ways,
    features: Vec<Feature>,
}

impl Regions {
    pub fn of(evidence: &Evidence) -> Self {
        let ways = Ways::of(evidence.grid, &appearance::features(evidence, 0));
        Self { ways, features: appearance::features(evidence, 1) }
    }

    /// Gives the region that a stroke lies in to its side: the cells there that are like those under
    /// it and hang together with them, by a random walk from it (Grady 2006). Returns the columns and
    /// rows of cells that changed.
    pub fn stroke(
        &self,
        labels: &mut Labels,
        grid: Grid,
        stroke: &Stroke,
    ) -> Option<[std::ops::Range<usize>; 2]> {
        let side = stroke.paint.is_sky();
        let under = under(grid, stroke);
        if under.is_empty() {
            return None;
        }
        let like = self.like(&under);
        let wrong: Vec<bool> = labels.sky.iter().map(|sky| (*sky > 0.5) != side).collect();
        // Only what is on the wrong side is walked through.
        let way = |way: f32, a: usize, b: usize| match wrong[a] && wrong[b] {
            true => way * like[a].min(like[b]).max(1e-5),
            false => 1e-5 * way.min(1.0),
        };
        let cells = grid.cells();
        let right = |i: usize| match self.ways.right[i] {
            0.0 => 0.0,
            own => way(own, i, i + 1),
        };
        let down = |i: usize| match self.ways.down[i] {
            0.0 => 0.0,
            own => way(own, i, i + grid.across),
        };
        let ways =
            Ways { right: (0..cells).map(right).collect(), down: (0..cells).map(down).collect() };
        let mut known = vec![Known { sky: 0.0, weight: ELSEWHERE }; cells];
        for &i in &under {
            known[i] = Known { sky: 1.0, weight: TOLD };
        }
        let reached = spread(grid, &ways, &known);
        let target = f32::from(u8::from(side));
        for (i, reached) in reached.iter().enumerate() {
            let share = (2.0 * reached).min(1.0);
            if share > 0.02 {
                labels.sky[i] += share * (target - labels.sky[i]);
            }
        }
        for &i in &under {
            labels.sky[i] = target;
            labels.told[i] = Some(side);
        }
        let changed = |i: &usize| reached[*i] > 0.01;
        let all: Vec<usize> = (0..cells).filter(changed).chain(under).collect();
        let range = |of: &dyn Fn(usize) -> usize| {
            let places = || all.iter().map(|&i| of(i));
            places().min().unwrap_or(0)..places().max().unwrap_or(0) + 1
        };
        Some([range(&|i| i % grid.across), range(&|i| i / grid.across)])
    }

    /// How like the cells under a stroke every cell is, 0 to 1.
    fn like(&self, under: &[usize]) -> Vec<f32> {
        let n = under.len() as f32;
        let middle: Feature = under.iter().map(|&i| self.features[i]).sum::<Feature>() / n;
        let mut spread = Feature::from(ALIKE.map(|v| v * v));
        for &i in under {
            let off = self.features[i] - middle;
            spread += off.component_mul(&off) / n;
        }
        let far = |own: &Feature| {
            let off = own - middle;
            off.component_mul(&off).component_div(&spread).sum()
        };
        self.features.iter().map(|own| (-0.5 * far(own)).exp()).collect()
    }
}

/// The cells whose middle a stroke covers, or at least those it goes through.
fn under(grid: Grid, stroke: &Stroke) -> Vec<usize> {
    let step = grid.step as f32;
    let place = |v: f32| (v + 0.5) / step - 0.5;
    let points = stroke.points.iter().map(|[x, y, r]| [place(*x), place(*y), (r / step).max(0.5)]);
    let own = Stroke { points: points.collect(), soft: 0.0, ..stroke.clone() };
    if own.points.is_empty() {
        return vec![];
    }
    let row = |y: usize| {
        let cover = cover(&own, 0.0, y as f32, grid.across);
        cover
            .into_iter()
            .enumerate()
            .filter(|(_, c)| *c > 0.4)
            .map(move |(x, _)| y * grid.across + x)
    };
    (0..grid.down).flat_map(row).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::skyline::plan::Paint;

    /// Sky over ground, with a patch in the sky that was taken for ground and touches it.
    fn scene() -> (Grid, Regions, Labels, Vec<bool>) {
        let grid = Grid { step: 10, across: 80, down: 60 };
        let place = |i: usize| (i % 80, i / 80);
        let patch = |i: usize| (20..45).contains(&place(i).0) && (20..40).contains(&place(i).1);
        let ground = |i: usize| place(i).1 >= 40;
        let feature = |i: usize| match (patch(i), ground(i)) {
            (true, _) => Feature::from([-2.5, 0.1, 0.2, -1.0]),
            (_, true) => Feature::from([-3.4, 0.3, -0.2, 0.6]),
            _ => Feature::from([-2.0, 0.0, 0.3, -1.0]),
        };
        let features: Vec<Feature> = (0..grid.cells()).map(feature).collect();
        let kind = |i: usize| (patch(i), ground(i));
        let way = |a: usize, b: usize| if kind(a) == kind(b) { 1.0 } else { 0.05 };
        let right = |i: usize| if i % 80 == 79 { 0.0 } else { way(i, i + 1) };
        let down = |i: usize| if i >= 80 * 59 { 0.0 } else { way(i, i + 80) };
        let ways = Ways {
            right: (0..grid.cells()).map(right).collect(),
            down: (0..grid.cells()).map(down).collect(),
        };
        let sky = (0..grid.cells()).map(|i| if patch(i) || ground(i) { 0.1 } else { 0.9 });
        let labels = Labels { sky: sky.collect(), told: vec![None; grid.cells()] };
        let truth = (0..grid.cells()).map(|i| !ground(i)).collect();
        (grid, Regions { ways, features }, labels, truth)
    }

    #[test]
    fn a_stroke_gives_its_whole_region_to_its_side_and_no_more() {
        let (grid, regions, mut labels, truth) = scene();
        let points = vec![[270.0, 270.0, 8.0], [330.0, 300.0, 8.0]];
        let stroke = Stroke { paint: Paint::SkyStroke, points, soft: 0.0 };
        let [columns, rows] = regions.stroke(&mut labels, grid, &stroke).unwrap();
        for (i, sky) in labels.sky.iter().enumerate() {
            assert_eq!(*sky > 0.5, truth[i], "column {}, row {}: {sky}", i % 80, i / 80);
        }
        assert!(columns.start <= 20 && columns.end >= 45 && rows.start <= 20 && rows.end >= 40);
        assert!(labels.told.iter().filter(|told| **told == Some(true)).count() > 8);
        // The other stroke takes it back.
        let back = Stroke { paint: Paint::GroundStroke, ..stroke };
        regions.stroke(&mut labels, grid, &back).unwrap();
        assert!(labels.sky[30 * 80 + 30] < 0.5 && labels.sky[10 * 80 + 70] > 0.5);
    }

    #[test]
    fn a_stroke_beside_the_picture_changes_nothing() {
        let (grid, regions, mut labels, _) = scene();
        let points = vec![[-900.0, 10.0, 8.0]];
        let stroke = Stroke { paint: Paint::SkyStroke, points, soft: 0.0 };
        assert_eq!(regions.stroke(&mut labels, grid, &stroke), None);
    }
}
