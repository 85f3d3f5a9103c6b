//! Labels every cell of the grid as sky or ground.

use super::appearance::{self, Feature, Look};
use super::edge_weights::EdgeWeights;
use super::evidence::Evidence;
use super::random_walk::{Prior, spread};
use jade_optics::grid::Grid;
use jade_optics::statistics::median;
use rayon::prelude::*;

/// Rounds of learning the appearance of both sides and labelling by it.
const ROUNDS: usize = 3;
/// Weights of a cell without stars as ground, relative to its neighbours. Each is tried, and the
/// border that follows edges best is taken.
const STARLESS: [f32; 4] = [0.00015, 0.0003, 0.0015, 0.004];
/// Share of a picture that may be sky without stars, as behind clouds, before it counts against a
/// border.
const CLOUDED: f32 = 0.25;
/// Penalty for a larger share.
const EMPTY: f32 = 2.0;
/// Penalty for sky without stars below ground, as water that looks like sky.
const BELOW: f32 = 4.0;
/// Penalty for a border that is longer than the picture is wide, relative to that width: clouds
/// have ragged borders.
const RAGGED: f32 = 0.1;
/// Cells across for which all weights are tuned. In a smaller grid each cell weighs more, as a
/// region has fewer cells relative to its border.
const ACROSS: f32 = 600.0;
/// Weight of stars relative to a cell's neighbours.
const STAR: f32 = 4.0;
/// Most weight of texture that stands still.
const TEXTURE: f32 = 0.05;
/// Most weight of light that changes from frame to frame.
const CHANGE: f32 = 0.003;
/// Weight of the labels found without learning in later rounds.
const FOUND: f32 = 0.03;
/// Most weight of a side's appearance.
const LOOK: f32 = 0.03;

/// Probability that each cell of the grid is sky, 0 to 1.
pub fn label(evidence: &Evidence) -> Vec<f32> {
    let grid = evidence.grid;
    // The rough border is found on a grid of cells twice as large, at a quarter of the work.
    let small = evidence.halved();
    let (rough, starless) = rough(&small);
    let of = |i: usize| rough[i / grid.across / 2 * small.grid.across + i % grid.across / 2];
    let start: Vec<f32> = (0..grid.cells()).map(of).collect();
    let scene = Scene::of(evidence);
    let mut sky = scene.learned(&scene.unlearned(&start, starless), start, 1);
    // Ground with open sky below it hangs on something thin, which is judged pixel by pixel.
    let open: Vec<f32> = open(grid, &sky, &evidence.stars);
    let below = sky_below(grid, &open);
    let hanging: Vec<usize> =
        (0..grid.cells()).filter(|&i| sky[i] < 0.5 && below[i] > 0.5).collect();
    if hanging.len() * 4 < grid.cells() {
        hanging.into_iter().for_each(|i| sky[i] = 0.95);
    }
    sky
}

/// Labels of a grid of larger cells, and the weight of cells without stars that separates it best.
fn rough(evidence: &Evidence) -> (Vec<f32>, f32) {
    let scene = Scene::of(evidence);
    let all: Vec<(f32, Vec<f32>, f32)> = STARLESS
        .into_par_iter()
        .map(|starless| {
            let sky = scene.label_by(starless);
            (scene.parts(&sky), sky, starless)
        })
        .collect();
    let best = all.into_iter().reduce(|best, next| if next.0 > best.0 { next } else { best });
    best.map(|(_, sky, starless)| (sky, starless)).unwrap_or_default()
}

/// 1 in the largest connected part of the sky, and in other parts with enough stars; 0 elsewhere.
fn open(grid: Grid, sky: &[f32], stars: &[f32]) -> Vec<f32> {
    /// Least number of stars in such a part, per frame.
    const STARS: f32 = 2.5;
    let mut part = vec![0usize; grid.cells()];
    let mut sizes = vec![0usize];
    let mut star_counts = vec![0.0f32];
    for start in 0..grid.cells() {
        if sky[start] <= 0.5 || part[start] > 0 {
            continue;
        }
        let number = sizes.len();
        let mut open = vec![start];
        part[start] = number;
        let (mut size, mut count) = (0, 0.0);
        while let Some(i) = open.pop() {
            size += 1;
            count += stars[i];
            let (x, y) = (i % grid.across, i / grid.across);
            let sides = [
                (x > 0).then(|| i - 1),
                (x + 1 < grid.across).then_some(i + 1),
                (y > 0).then(|| i - grid.across),
                (y + 1 < grid.down).then_some(i + grid.across),
            ];
            for n in sides.into_iter().flatten() {
                if sky[n] > 0.5 && part[n] == 0 {
                    part[n] = number;
                    open.push(n);
                }
            }
        }
        sizes.push(size);
        star_counts.push(count);
    }
    let most = (1..sizes.len()).max_by_key(|&i| sizes[i]).unwrap_or(0);
    let is = |number: usize| number > 0 && (number == most || star_counts[number] > STARS);
    part.iter().map(|number| f32::from(u8::from(is(*number)))).collect()
}

/// The evidence for a grid and the weights of its cells.
struct Scene<'a> {
    evidence: &'a Evidence,
    edge_weights: EdgeWeights,
    features: Vec<Feature>,
    star_counts: StarCounts,
    scale: f32,
}

impl<'a> Scene<'a> {
    fn of(evidence: &'a Evidence) -> Self {
        let (edge_weights, (features, star_counts)) = rayon::join(
            || EdgeWeights::of(evidence.grid, &appearance::features(evidence, 0)),
            || rayon::join(|| appearance::features(evidence, 2), || star_counts(evidence)),
        );
        let scale = (ACROSS / evidence.grid.across as f32).powi(2);
        Self { evidence, edge_weights, features, star_counts, scale }
    }

    /// Probability that each cell is sky, for one weight of cells without stars.
    fn label_by(&self, starless: f32) -> Vec<f32> {
        let grid = self.evidence.grid;
        let first = self.unlearned(&self.star_counts.share, starless);
        let sky = spread(grid, &self.edge_weights, &first);
        let first = self.unlearned(&sky, starless);
        let sky = spread(grid, &self.edge_weights, &first);
        self.learned(&first, sky, ROUNDS)
    }

    /// How well a border separates sky and ground.
    fn parts(&self, sky: &[f32]) -> f32 {
        let grid = self.evidence.grid;
        let empty = |i: &usize| sky[*i] > 0.5 && self.star_counts.share[*i] < 0.2;
        let mut ground_above = vec![false; grid.cells()];
        for i in grid.across..grid.cells() {
            let above = i - grid.across;
            ground_above[i] = ground_above[above] || sky[above] <= 0.5;
        }
        let share = |count: usize| count as f32 / grid.cells() as f32;
        let all = share((0..grid.cells()).filter(empty).count());
        let below = share((0..grid.cells()).filter(empty).filter(|i| ground_above[*i]).count());
        let (parted, length) = self.edge_weights.parted(grid, sky);
        parted
            - EMPTY * (all - CLOUDED).max(0.0)
            - BELOW * below
            - RAGGED * (length / grid.across as f32 - 1.0).max(0.0)
    }

    /// What is known before learning, where this much of the cells is sky.
    fn unlearned(&self, sky: &[f32], starless: f32) -> Vec<Prior> {
        let below = sky_below(self.evidence.grid, sky);
        unlearned(self.evidence, &self.star_counts, &below, starless)
            .into_iter()
            .map(|prior| Prior { weight: prior.weight * self.scale, ..prior })
            .collect()
    }

    /// Learns the appearance of both sides from the current labels and labels by it, for some
    /// rounds.
    fn learned(&self, first: &[Prior], mut sky: Vec<f32>, rounds: usize) -> Vec<f32> {
        let Self { evidence, edge_weights, features, scale, .. } = self;
        let grid = evidence.grid;
        let found = |(first, sky): (&Prior, &f32)| {
            let weight = scale * FOUND * (2.0 * sky - 1.0).powi(2);
            first.and(Prior { sky: sky.round(), weight })
        };
        let first: Vec<Prior> = first.iter().zip(&sky).map(found).collect();
        for _ in 0..rounds {
            let surely: Vec<f32> = sky.iter().map(|sky| 2.0 * sky - 1.0).collect();
            let mut lower: Vec<f32> = sky.iter().copied().filter(|v| *v < 0.5).collect();
            let most = match lower.is_empty() {
                true => 0.25,
                false => median(&mut lower).clamp(0.02, 0.25),
            };
            let ground: Vec<f32> = sky.iter().map(|v| f32::from(u8::from(*v <= most))).collect();
            let looks = (Look::learn(features, &surely), Look::learn(features, &ground));
            let (Some(above), Some(below)) = looks else { break };
            let ratios: Vec<f32> = features
                .par_iter()
                .map(|feature| (above.log(feature) - below.log(feature)).clamp(-4.0, 4.0))
                .collect();
            let mut says = calibrated(&ratios, &sky);
            for (says, below) in says.iter_mut().zip(sky_below(grid, &sky)) {
                says.weight *= scale;
                if says.sky < 0.5 {
                    says.weight *= 1.0 - below;
                }
            }
            let known: Vec<Prior> =
                first.iter().zip(&says).map(|(first, says)| first.and(*says)).collect();
            sky = spread(grid, edge_weights, &known);
        }
        sky
    }
}

/// Number of stars around each cell.
struct StarCounts {
    /// Relative to the usual number in the sky.
    share: Vec<f32>,
    /// In the nearest cells.
    near: Vec<f32>,
    /// Of reflected stars, relative to the usual number in the sky.
    mirrored: Vec<f32>,
}

fn star_counts(evidence: &Evidence) -> StarCounts {
    let Evidence { grid, stars, mirrored, noise, .. } = evidence;
    let width = (grid.across / 40).max(2);
    let mut around = grid.blurred(&grid.blurred(stars, width), width);
    let noise = grid.blurred(noise, 2);
    let usual = |values: &[f32]| {
        let mut there: Vec<f32> =
            (0..grid.cells()).filter(|&i| stars[i] > 0.2).map(|i| values[i]).collect();
        if there.is_empty() { 1.0 } else { median(&mut there) }
    };
    let (usual, usual_noise) = (usual(&around), usual(&noise));
    // In bright parts of the sky, as in a glow, fewer stars are visible.
    for (around, noise) in around.iter_mut().zip(&noise) {
        *around *= (noise / usual_noise).max(0.3).powi(2) / usual;
    }
    let [near, mirrored] = [stars, mirrored].map(|plane| grid.blurred(plane, 1));
    StarCounts { share: around, near, mirrored }
}

/// What is known before learning. Where stars are seen, there is sky. Where there are none although
/// they are seen elsewhere, or where something stands still, there may be ground. `below` is how
/// much sky is below each cell.
fn unlearned(
    evidence: &Evidence,
    star_counts: &StarCounts,
    below: &[f32],
    weight: f32,
) -> Vec<Prior> {
    let Evidence { grid, texture, change, .. } = evidence;
    let changing: Vec<f32> = change.iter().map(|v| v.min(40.0)).collect();
    let changing = grid.blurred(&changing, 1);
    let capped: Vec<f32> = texture.iter().map(|v| v.min(1.0)).collect();
    let still = grid.blurred(&capped, 2);
    (0..grid.cells())
        .map(|i| {
            let star = Prior { sky: 1.0, weight: STAR * star_counts.near[i].min(0.25) };
            let starless = (1.0 - 3.0 * star_counts.share[i]).max(0.0) * (1.0 - below[i]);
            let textured = (TEXTURE * (still[i] - 0.15)).clamp(0.0, TEXTURE);
            // What changes does not stand on the ground: clouds drift. The weight is small, as
            // water changes too.
            let drifts = ((changing[i] - 4.0) / 8.0).clamp(0.0, 1.0);
            let moving = Prior { sky: 1.0, weight: CHANGE * drifts };
            let ground = starless * (weight + textured) * (1.0 - 0.5 * drifts);
            let water = Prior { sky: 0.0, weight: STAR * star_counts.mirrored[i].min(0.25) };
            star.and(water).and(moving).and(Prior { sky: 0.0, weight: ground })
        })
        .collect()
}

/// How much sky is below each cell, 0 to 1: solid things stand on the ground.
fn sky_below(grid: Grid, sky: &[f32]) -> Vec<f32> {
    let width = (grid.across / 60).max(2);
    let sky = grid.blurred(sky, width);
    let mut below = vec![0.0f32; grid.cells()];
    for i in (0..grid.cells() - grid.across).rev() {
        let share = ((sky[i + grid.across] - 0.6) * 4.0).clamp(0.0, 1.0);
        below[i] = below[i + grid.across].max(share);
    }
    below
}

/// What logarithms of likelihood ratios mean, calibrated by how often they are right where the
/// answer is known.
fn calibrated(ratios: &[f32], sky: &[f32]) -> Vec<Prior> {
    const BINS: usize = 16;
    let bin = |ratio: f32| (((ratio + 4.0) / 8.0 * BINS as f32) as usize).min(BINS - 1);
    // An empty bin says nothing.
    let mut counts = [[1.0f32; 2]; BINS];
    let mut sums = [1.0f32; 2];
    for (ratio, sky) in ratios.iter().zip(sky) {
        if (sky - 0.5).abs() > 0.3 {
            let side = usize::from(*sky > 0.5);
            counts[bin(*ratio)][side] += 1.0;
            sums[side] += 1.0;
        }
    }
    let says = counts.map(|[ground, above]| {
        // The less certain of two estimates: by observed frequency, and by frequency as if both
        // sides were equally large.
        let plain = above / (above + ground) - 0.5;
        let (ground, above) = (ground / sums[0], above / sums[1]);
        let evened = above / (above + ground) - 0.5;
        let sure = match plain * evened > 0.0 {
            true => plain.abs().min(evened.abs()).copysign(plain),
            false => 0.0,
        };
        Prior { sky: 0.5 + sure, weight: LOOK * (2.0 * sure).powi(4) }
    });
    ratios.iter().map(|ratio| says[bin(*ratio)]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sky_that_branches_close_in_is_open_where_stars_are_seen_in_it() {
        let grid = Grid { step: 4, across: 30, down: 20 };
        // Sky with two windows below it; stars are seen in one of them.
        let inside = |i: usize| match (i % 30, i / 30) {
            (_, ..6) => 0,
            (4..10, 9..14) => 1,
            (18..24, 9..14) => 2,
            _ => 3,
        };
        let sky: Vec<f32> =
            (0..grid.cells()).map(|i| if inside(i) < 3 { 0.9 } else { 0.1 }).collect();
        let mut stars = vec![0.0; grid.cells()];
        for (x, y) in [(5, 10), (7, 11), (9, 13)] {
            stars[y * 30 + x] = 1.0;
        }
        for (i, open) in open(grid, &sky, &stars).into_iter().enumerate() {
            assert_eq!(open > 0.5, inside(i) < 2, "column {}, row {}", i % 30, i / 30);
        }
    }
}
