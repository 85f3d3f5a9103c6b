//! Strokes: what a person says about a region by painting on part of it.

use super::appearance::{self, Feature};
use super::edge_weights::EdgeWeights;
use super::evidence::Evidence;
use super::random_walk::{Prior, spread};
use jade_optics::grid::Grid;
use jade_pixels::tiled::Region;
use jade_plan::Stroke;
use std::ops::Range;

/// Weight of the boundary outside the region, relative to the edge weights that lead there: a
/// stroke reaches some thirty cells.
const ELSEWHERE: f32 = 1e-3;
/// Cells around a stroke that are searched first.
const NEAR: usize = 112;
/// Least share of a cell's change that a stroke must cause to count.
const CHANGED: f32 = 0.1;
/// Weight of connections between cells that are not alike, or not both on the wrong side; relative
/// to [`ELSEWHERE`], walks die out there.
const CLOSED: f32 = 1e-5;
/// Weight of the stroke itself.
const SAID: f32 = 1e3;
/// Tolerated standard deviations of brightness, colours and texture within a region, on top of
/// those under the stroke.
const ALIKE: [f32; 4] = [0.12, 0.05, 0.05, 0.7];

/// The labels of all cells.
#[derive(Clone)]
pub struct Labels {
    /// Probability of sky, 0 to 1.
    pub sky: Vec<f32>,
    /// What strokes said of each cell: sky, ground, or nothing.
    pub said: Vec<Option<bool>>,
}

/// Which cells belong together.
#[derive(Clone)]
pub struct Regions {
    edge_weights: EdgeWeights,
    features: Vec<Feature>,
}

impl Regions {
    pub fn of(evidence: &Evidence) -> Self {
        let edge_weights = EdgeWeights::of(evidence.grid, &appearance::features(evidence, 0));
        Self { edge_weights, features: appearance::features(evidence, 1) }
    }

    /// Assigns the region under a stroke to the stroke's side: cells that are like those under it
    /// and connected with them, by a random walk from the stroke (Grady 2006).
    pub fn stroke(&self, labels: &mut Labels, grid: Grid, stroke: &Stroke) {
        let side = stroke.paint.is_sky();
        let under = under(grid, stroke);
        if under.is_empty() {
            return;
        }
        let walks = Walks { regions: self, labels, alike: self.alike(&under), side };
        // Most walks end near where they begin.
        let near = GridPart::around(grid, &under, NEAR);
        let (part, reached) = match walks.within(&near, &under) {
            Some(found) => found,
            None => match walks.within(&GridPart::around(grid, &under, usize::MAX), &under) {
                Some(found) => found,
                None => return,
            },
        };
        let target = f32::from(u8::from(side));
        for (local, reached) in reached.iter().enumerate() {
            let (share, i) = ((2.0 * reached).min(1.0), part.cell(local));
            if share > CHANGED {
                labels.sky[i] += share * (target - labels.sky[i]);
            }
        }
        for &i in &under {
            labels.sky[i] = target;
            labels.said[i] = Some(side);
        }
    }

    /// The measure of likeness to the cells under a stroke.
    fn alike(&self, under: &[usize]) -> Alike {
        let n = under.len() as f32;
        let middle: Feature = under.iter().map(|&i| self.features[i]).sum::<Feature>() / n;
        let mut spread = Feature::from(ALIKE.map(|v| v * v));
        for &i in under {
            let off = self.features[i] - middle;
            spread += off.component_mul(&off) / n;
        }
        Alike { middle, spread }
    }
}

/// The mean appearance of the cells under a stroke, and its variation.
struct Alike {
    middle: Feature,
    spread: Feature,
}

impl Alike {
    /// How like them a cell is, 0 to 1.
    fn of(&self, feature: &Feature) -> f32 {
        let off = feature - self.middle;
        let far = off.component_mul(&off).component_div(&self.spread).sum();
        (-0.5 * far).exp()
    }
}

/// Walks that begin under a stroke.
struct Walks<'a> {
    regions: &'a Regions,
    labels: &'a Labels,
    alike: Alike,
    side: bool,
}

impl Walks<'_> {
    /// Walks go only through cells on the wrong side.
    fn is_wrong(&self, cell: usize) -> bool {
        (self.labels.sky[cell] > 0.5) != self.side
    }

    /// The probability that a walk from each cell of a part ends under the stroke, and the smaller
    /// part beyond which it is zero; `None` where walks leave the part.
    fn within(&self, part: &GridPart, under: &[usize]) -> Option<(GridPart, Vec<f32>)> {
        let reach = self.reach(part, under);
        let part = GridPart::around(part.grid, &reach, 1).shared_with(part);
        let reached = self.walk(&part, under)?;
        Some((part, reached))
    }

    /// The cells of a part that a walk can reach through open connections.
    fn reach(&self, part: &GridPart, under: &[usize]) -> Vec<usize> {
        let across = part.grid.across;
        let Regions { edge_weights, features } = self.regions;
        let mut reached = vec![false; part.columns.len() * part.rows.len()];
        under.iter().for_each(|&i| reached[part.local(i)] = true);
        let mut reach = under.to_vec();
        let mut next = 0;
        while let Some(&cell) = reach.get(next) {
            next += 1;
            if !self.is_wrong(cell) {
                continue;
            }
            let like = self.alike.of(&features[cell]);
            let (x, y) = (cell % across, cell / across);
            let beside = [
                (x > part.columns.start).then(|| (cell - 1, edge_weights.right[cell - 1])),
                (x + 1 < part.columns.end).then(|| (cell + 1, edge_weights.right[cell])),
                (y > part.rows.start).then(|| (cell - across, edge_weights.down[cell - across])),
                (y + 1 < part.rows.end).then(|| (cell + across, edge_weights.down[cell])),
            ];
            for (other, way) in beside.into_iter().flatten() {
                let at = part.local(other);
                let open = || way * like.min(self.alike.of(&features[other])) > CLOSED;
                if !reached[at] && self.is_wrong(other) && open() {
                    reached[at] = true;
                    reach.push(other);
                }
            }
        }
        reach
    }

    /// The probability that a walk from each cell of a part ends under the stroke; `None` where the
    /// result may be wrong, as walks continue outside the part.
    fn walk(&self, part: &GridPart, under: &[usize]) -> Option<Vec<f32>> {
        let small = Grid { across: part.columns.len(), down: part.rows.len(), ..part.grid };
        let cells: Vec<usize> = (0..small.cells()).map(|local| part.cell(local)).collect();
        let Regions { edge_weights, features } = self.regions;
        let like: Vec<f32> = cells.iter().map(|&i| self.alike.of(&features[i])).collect();
        let wrong: Vec<bool> = cells.iter().map(|&i| self.is_wrong(i)).collect();
        let way = |way: f32, a: usize, b: usize| match wrong[a] && wrong[b] {
            true => way * like[a].min(like[b]).max(CLOSED),
            false => CLOSED * way.min(1.0),
        };
        let (last, low) = (small.across - 1, small.across * (small.down - 1));
        let right = |local: usize| match edge_weights.right[cells[local]] {
            there if there == 0.0 || local % small.across == last => 0.0,
            there => way(there, local, local + 1),
        };
        let down = |local: usize| match edge_weights.down[cells[local]] {
            there if there == 0.0 || local >= low => 0.0,
            there => way(there, local, local + small.across),
        };
        let all = 0..small.cells();
        let inner_weights = EdgeWeights {
            right: all.clone().map(right).collect(),
            down: all.clone().map(down).collect(),
        };
        let mut known = vec![Prior { sky: 0.0, weight: ELSEWHERE }; small.cells()];
        for &i in under {
            known[part.local(i)] = Prior { sky: 1.0, weight: SAID };
        }
        let reached = spread(small, &inner_weights, &known);
        let beyond = |local: usize| part.is_cut(local) && 4.0 * reached[local] > CHANGED;
        (!all.into_iter().any(beyond)).then_some(reached)
    }
}

/// A part of a grid.
struct GridPart {
    grid: Grid,
    columns: Range<usize>,
    rows: Range<usize>,
}

impl GridPart {
    /// The part within `far` cells of some cells, of which there must be one.
    fn around(grid: Grid, cells: &[usize], far: usize) -> Self {
        let [columns, rows] = grid.holding(cells).unwrap_or([0..0, 0..0]);
        let wider = |range: Range<usize>, count: usize| {
            range.start.saturating_sub(far)..range.end.saturating_add(far).min(count)
        };
        Self { grid, columns: wider(columns, grid.across), rows: wider(rows, grid.down) }
    }

    /// The intersection of two parts that overlap.
    fn shared_with(self, other: &Self) -> Self {
        let both = |a: Range<usize>, b: &Range<usize>| a.start.max(b.start)..a.end.min(b.end);
        let (columns, rows) = (both(self.columns, &other.columns), both(self.rows, &other.rows));
        Self { columns, rows, ..self }
    }

    /// The cell of the grid with an index in the part.
    fn cell(&self, local: usize) -> usize {
        let width = self.columns.len();
        (self.rows.start + local / width) * self.grid.across + self.columns.start + local % width
    }

    /// The index in the part of a cell of the grid.
    fn local(&self, cell: usize) -> usize {
        let (x, y) = (cell % self.grid.across, cell / self.grid.across);
        (y - self.rows.start) * self.columns.len() + x - self.columns.start
    }

    /// Whether the grid continues beyond a cell at the edge of the part.
    fn is_cut(&self, local: usize) -> bool {
        let width = self.columns.len();
        let (x, y) = (local % width, local / width);
        (x == 0 && self.columns.start > 0)
            || (x + 1 == width && self.columns.end < self.grid.across)
            || (y == 0 && self.rows.start > 0)
            || (y + 1 == self.rows.len() && self.rows.end < self.grid.down)
    }
}

/// The cells whose middle a stroke covers, or at least the cells under its points.
fn under(grid: Grid, stroke: &Stroke) -> Vec<usize> {
    let step = grid.step as f32;
    let place = |v: f32| (v + 0.5) / step - 0.5;
    let points = stroke.points.iter().map(|[x, y, r]| [place(*x), place(*y), (r / step).max(0.5)]);
    let hard = Stroke { points: points.collect(), soft: 0.0, ..stroke.clone() };
    let size = (grid.across as u32, grid.down as u32);
    let Some(Region { x: left, y: top, width, height }) = hard.brush().bounds(size) else {
        return vec![];
    };
    let row = |y: u32| {
        let cover = hard.brush().cover(left as f32, y as f32, width as usize);
        let first = y as usize * grid.across + left as usize;
        let covered = cover.into_iter().enumerate().filter(|(_, c)| *c > 0.4);
        covered.map(move |(x, _)| first + x)
    };
    (top..top + height).flat_map(row).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_plan::Paint;

    /// Sky over ground, with a patch in the sky that was labelled ground and touches it.
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
        let edge_weights = EdgeWeights {
            right: (0..grid.cells()).map(right).collect(),
            down: (0..grid.cells()).map(down).collect(),
        };
        let sky = (0..grid.cells()).map(|i| if patch(i) || ground(i) { 0.1 } else { 0.9 });
        let labels = Labels { sky: sky.collect(), said: vec![None; grid.cells()] };
        let truth = (0..grid.cells()).map(|i| !ground(i)).collect();
        (grid, Regions { edge_weights, features }, labels, truth)
    }

    /// The columns and rows of cells that a stroke changed.
    fn changed(grid: Grid, before: &Labels, now: &Labels) -> Option<[Range<usize>; 2]> {
        let differs = |i: &usize| before.sky[*i] != now.sky[*i] || before.said[*i] != now.said[*i];
        grid.holding(&(0..grid.cells()).filter(differs).collect::<Vec<_>>())
    }

    #[test]
    fn a_stroke_gives_its_whole_region_to_its_side_and_no_more() {
        let (grid, regions, mut labels, truth) = scene();
        let points = vec![[270.0, 270.0, 8.0], [330.0, 300.0, 8.0]];
        let stroke = Stroke { paint: Paint::SkyStroke, points, soft: 0.0 };
        let before = labels.clone();
        regions.stroke(&mut labels, grid, &stroke);
        let [columns, rows] = changed(grid, &before, &labels).unwrap();
        for (i, sky) in labels.sky.iter().enumerate() {
            assert_eq!(*sky > 0.5, truth[i], "column {}, row {}: {sky}", i % 80, i / 80);
        }
        assert!(columns.start <= 20 && columns.end >= 45 && rows.start <= 20 && rows.end >= 40);
        assert!(labels.said.iter().filter(|said| **said == Some(true)).count() > 8);
        // The opposite stroke undoes it.
        let back = Stroke { paint: Paint::GroundStroke, ..stroke };
        regions.stroke(&mut labels, grid, &back);
        assert!(labels.sky[30 * 80 + 30] < 0.5 && labels.sky[10 * 80 + 70] > 0.5);
    }

    #[test]
    fn a_walk_that_goes_far_is_followed_to_its_end() {
        // A long band of sky that was labelled ground, reached from its left end.
        let grid = Grid { step: 10, across: 260, down: 40 };
        let band = |i: usize| (10..30).contains(&(i / 260));
        let way = |a: usize, b: usize| if band(a) == band(b) { 60.0 } else { 0.05 };
        let right = |i: usize| if i % 260 == 259 { 0.0 } else { way(i, i + 1) };
        let down = |i: usize| if i >= 260 * 39 { 0.0 } else { way(i, i + 260) };
        let all = 0..grid.cells();
        let edge_weights = EdgeWeights {
            right: all.clone().map(right).collect(),
            down: all.clone().map(down).collect(),
        };
        let features = vec![Feature::from([-2.0, 0.0, 0.3, -1.0]); grid.cells()];
        let regions = Regions { edge_weights, features };
        let sky = all.clone().map(|i| if band(i) { 0.1 } else { 0.9 }).collect();
        let mut labels = Labels { sky, said: vec![None; grid.cells()] };
        let points = vec![[60.0, 200.0, 40.0]];
        let stroke = Stroke { paint: Paint::SkyStroke, points, soft: 0.0 };
        let before = labels.clone();
        regions.stroke(&mut labels, grid, &stroke);
        let [columns, _] = changed(grid, &before, &labels).unwrap();
        assert!(columns.end > 150, "{columns:?}");
        // No trace is left where the part that is searched first ends.
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
        let before = labels.clone();
        regions.stroke(&mut labels, grid, &stroke);
        assert_eq!(changed(grid, &before, &labels), None);
    }

    /// A stroke on cells that are on its side already causes no walk.
    #[test]
    fn walks_end_where_nothing_is_wrong_or_alike() {
        let (grid, regions, labels, _) = scene();
        let under = [30 * 80 + 30];
        let whole = GridPart::around(grid, &under, usize::MAX);
        for (side, most) in [(true, 25 * 20), (false, 1)] {
            let alike = regions.alike(&under);
            let walks = Walks { regions: &regions, labels: &labels, alike, side };
            let reach = walks.reach(&whole, &under);
            assert!((1..=most).contains(&reach.len()), "{}", reach.len());
            assert_eq!(reach.len() > 1, side);
        }
    }
}
