//! Strokes: what a person says of a region by painting on some of it.

use super::appearance::{self, Feature};
use super::evidence::Evidence;
use super::plan::Stroke;
use super::spread::{Known, spread};
use super::ways::Ways;
use crate::grid::Grid;
use std::ops::Range;

/// Weight of what is not in the region against the ways that lead there: it reaches some thirty
/// cells.
const ELSEWHERE: f32 = 1e-3;
/// Cells around a stroke that are looked at first.
const NEAR: usize = 112;
/// Share of a cell that is given to a stroke's side at least.
const CHANGED: f32 = 0.1;
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
    ) -> Option<[Range<usize>; 2]> {
        let side = stroke.paint.is_sky();
        let under = under(grid, stroke);
        if under.is_empty() {
            return None;
        }
        // Most walks end near where they begin.
        let near = Part::around(grid, &under, NEAR);
        let (part, reached) = match self.walk(labels, &near, &under, side) {
            Some(reached) => (near, reached),
            None => {
                let whole = Part::around(grid, &under, usize::MAX);
                let reached = self.walk(labels, &whole, &under, side)?;
                (whole, reached)
            }
        };
        let target = f32::from(u8::from(side));
        let mut changed = under.clone();
        for (own, reached) in reached.iter().enumerate() {
            let (share, i) = ((2.0 * reached).min(1.0), part.cell(own));
            if share > CHANGED {
                labels.sky[i] += share * (target - labels.sky[i]);
                changed.push(i);
            }
        }
        for &i in &under {
            labels.sky[i] = target;
            labels.told[i] = Some(side);
        }
        Some(Part::around(grid, &changed, 0).ranges())
    }

    /// How likely a walk from each cell of a part ends under the stroke; nothing where it may be told
    /// wrongly, as the part has walks beyond it.
    fn walk(&self, labels: &Labels, part: &Part, under: &[usize], side: bool) -> Option<Vec<f32>> {
        let small = Grid { across: part.columns.len(), down: part.rows.len(), ..part.grid };
        let cells: Vec<usize> = (0..small.cells()).map(|own| part.cell(own)).collect();
        let like = self.like(under, &cells);
        let wrong: Vec<bool> = cells.iter().map(|&i| (labels.sky[i] > 0.5) != side).collect();
        // Only what is on the wrong side is walked through.
        let way = |way: f32, a: usize, b: usize| match wrong[a] && wrong[b] {
            true => way * like[a].min(like[b]).max(1e-5),
            false => 1e-5 * way.min(1.0),
        };
        let (last, low) = (small.across - 1, small.across * (small.down - 1));
        let right = |own: usize| match self.ways.right[cells[own]] {
            there if there == 0.0 || own % small.across == last => 0.0,
            there => way(there, own, own + 1),
        };
        let down = |own: usize| match self.ways.down[cells[own]] {
            there if there == 0.0 || own >= low => 0.0,
            there => way(there, own, own + small.across),
        };
        let all = 0..small.cells();
        let ways =
            Ways { right: all.clone().map(right).collect(), down: all.clone().map(down).collect() };
        let mut known = vec![Known { sky: 0.0, weight: ELSEWHERE }; small.cells()];
        for &i in under {
            known[part.own(i)] = Known { sky: 1.0, weight: TOLD };
        }
        let reached = spread(small, &ways, &known);
        let beyond = |own: usize| part.is_cut(own) && 4.0 * reached[own] > CHANGED;
        (!all.into_iter().any(beyond)).then_some(reached)
    }

    /// How like the cells under a stroke these cells are, 0 to 1.
    fn like(&self, under: &[usize], cells: &[usize]) -> Vec<f32> {
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
        cells.iter().map(|&i| (-0.5 * far(&self.features[i])).exp()).collect()
    }
}

/// A part of a grid.
struct Part {
    grid: Grid,
    columns: Range<usize>,
    rows: Range<usize>,
}

impl Part {
    /// What lies within so many cells of some, of which there must be one.
    fn around(grid: Grid, cells: &[usize], far: usize) -> Self {
        let range = |of: &dyn Fn(usize) -> usize, count: usize| {
            let places = || cells.iter().map(|&i| of(i));
            let (first, last) = (places().min().unwrap_or(0), places().max().unwrap_or(0));
            first.saturating_sub(far)..last.saturating_add(far).saturating_add(1).min(count)
        };
        let columns = range(&|i| i % grid.across, grid.across);
        let rows = range(&|i| i / grid.across, grid.down);
        Self { grid, columns, rows }
    }

    fn ranges(self) -> [Range<usize>; 2] {
        [self.columns, self.rows]
    }

    /// The cell of the grid that one of its own is.
    fn cell(&self, own: usize) -> usize {
        let wide = self.columns.len();
        (self.rows.start + own / wide) * self.grid.across + self.columns.start + own % wide
    }

    /// The other way round.
    fn own(&self, cell: usize) -> usize {
        let (x, y) = (cell % self.grid.across, cell / self.grid.across);
        (y - self.rows.start) * self.columns.len() + x - self.columns.start
    }

    /// Whether the grid goes on beyond one of its own cells.
    fn is_cut(&self, own: usize) -> bool {
        let wide = self.columns.len();
        let (x, y) = (own % wide, own / wide);
        (x == 0 && self.columns.start > 0)
            || (x + 1 == wide && self.columns.end < self.grid.across)
            || (y == 0 && self.rows.start > 0)
            || (y + 1 == self.rows.len() && self.rows.end < self.grid.down)
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
        let cover = own.brush().cover(0.0, y as f32, grid.across);
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
    fn a_walk_that_goes_far_is_followed_to_its_end() {
        // A long band of sky that was taken for ground, reached from its left end.
        let grid = Grid { step: 10, across: 260, down: 40 };
        let band = |i: usize| (10..30).contains(&(i / 260));
        let way = |a: usize, b: usize| if band(a) == band(b) { 60.0 } else { 0.05 };
        let right = |i: usize| if i % 260 == 259 { 0.0 } else { way(i, i + 1) };
        let down = |i: usize| if i >= 260 * 39 { 0.0 } else { way(i, i + 260) };
        let all = 0..grid.cells();
        let ways =
            Ways { right: all.clone().map(right).collect(), down: all.clone().map(down).collect() };
        let features = vec![Feature::from([-2.0, 0.0, 0.3, -1.0]); grid.cells()];
        let regions = Regions { ways, features };
        let sky = all.clone().map(|i| if band(i) { 0.1 } else { 0.9 }).collect();
        let mut labels = Labels { sky, told: vec![None; grid.cells()] };
        let points = vec![[60.0, 200.0, 40.0]];
        let stroke = Stroke { paint: Paint::SkyStroke, points, soft: 0.0 };
        let [columns, _] = regions.stroke(&mut labels, grid, &stroke).unwrap();
        assert!(columns.end > 150, "{columns:?}");
        // Nothing is left where what was looked at first ends.
        let sky = |x: usize| labels.sky[20 * 260 + x];
        for x in 60..90 {
            assert!(sky(x) - sky(x + 1) < 0.02, "{} and {} at {x}", sky(x), sky(x + 1));
        }
    }

    #[test]
    fn a_stroke_beside_the_picture_changes_nothing() {
        let (grid, regions, mut labels, _) = scene();
        let points = vec![[-900.0, 10.0, 8.0]];
        let stroke = Stroke { paint: Paint::SkyStroke, points, soft: 0.0 };
        assert_eq!(regions.stroke(&mut labels, grid, &stroke), None);
    }
}
