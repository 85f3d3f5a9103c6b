//! Sky and ground told apart.

mod appearance;
mod evidence;
mod grid;
mod label;
mod lights;
mod refine;

pub use evidence::{Evidence, View};
pub use grid::Grid;
pub use refine::refine;

use appearance::{Feature, Look};
use label::{Known, Ways};
use rayon::prelude::*;

/// Rounds of learning what both sides look like and of telling them apart by it.
const ROUNDS: usize = 3;

/// How likely each cell of the grid is sky, 0 to 1.
pub fn label(evidence: &Evidence) -> Vec<f32> {
    let grid = evidence.grid;
    let ways = ways(grid, &appearance::features(evidence, 0));
    let features = appearance::features(evidence, 2);
    let shown = shown(evidence);
    let mut best: Option<(f32, Vec<f32>)> = None;
    let all: Vec<Vec<f32>> = [0.0003, 0.0007, 0.0015]
        .into_par_iter()
        .map(|starless| label_by(evidence, &ways, &features, &shown, starless))
        .collect();
    for sky in all {
        let score = ways.parted(grid, &sky);
        if std::env::var("SKY_TIME").is_ok() {
            eprint!("{score:.3} ");
        }
        if best.as_ref().is_none_or(|(most, _)| score > *most) {
            best = Some((score, sky));
        }
    }
    if std::env::var("SKY_TIME").is_ok() {
        eprintln!();
    }
    let mut sky = best.map(|(_, sky)| sky).unwrap_or_default();
    // What has sky below it hangs on something thin, which is told pixel by pixel; a large part of
    // the picture does not hang.
    let below = sky_below(grid, &sky);
    let hanging: Vec<usize> = (0..grid.len()).filter(|&i| sky[i] < 0.5 && below[i] > 0.5).collect();
    if hanging.len() * 16 < grid.len() {
        hanging.into_iter().for_each(|i| sky[i] = 0.95);
    }
    sky
}

fn label_by(
    evidence: &Evidence,
    ways: &Ways,
    features: &[Feature],
    shown: &Shown,
    starless: f32,
) -> Vec<f32> {
    let grid = evidence.grid;
    let mut first = first(evidence, shown, &sky_below(grid, &shown.share), starless);
    let mut sky = label::spread(grid, ways, &first);
    first = self::first(evidence, shown, &sky_below(grid, &sky), starless);
    sky = label::spread(grid, ways, &first);
    for (first, sky) in first.iter_mut().zip(&sky) {
        let weight = 0.03 * (2.0 * sky - 1.0).powi(2);
        *first = first.and(Known { sky: sky.round(), weight });
    }
    dump(grid, "x0", &sky);
    for round in 0..ROUNDS {
        let surely: Vec<f32> = sky.iter().map(|sky| 2.0 * sky - 1.0).collect();
        let mut lower: Vec<f32> = sky.iter().copied().filter(|v| *v < 0.5).collect();
        let most = match lower.is_empty() {
            true => 0.25,
            false => crate::align::background::median(&mut lower).min(0.25).max(0.02),
        };
        let ground: Vec<f32> = sky.iter().map(|v| f32::from(u8::from(*v <= most))).collect();
        let looks = (Look::learn(features, &surely), Look::learn(features, &ground));
        let (Some(above), Some(below)) = looks else { break };
        let ratios: Vec<f32> = features
            .par_iter()
            .map(|own| (above.log(own) - below.log(own)).clamp(-4.0, 4.0))
            .collect();
        let mut says = calibrated(&ratios, &sky);
        for (says, below) in says.iter_mut().zip(sky_below(grid, &sky)) {
            if says.sky < 0.5 {
                says.weight *= 1.0 - below;
            }
        }
        let known: Vec<Known> =
            first.iter().zip(&says).map(|(first, says)| first.and(*says)).collect();
        dump(grid, "look", &ratios.iter().map(|r| 0.5 + r / 8.0).collect::<Vec<_>>());
        sky = label::spread(grid, ways, &known);
        dump(grid, &format!("x{}", round + 1), &sky);
    }
    sky
}

fn dump(grid: Grid, name: &str, values: &[f32]) {
    if let Ok(to) = std::env::var("SKY_DUMP") {
        let mut out = format!("P5 {} {} 255\n", grid.across, grid.down).into_bytes();
        out.extend(values.iter().map(|v| (v.clamp(0.0, 1.0) * 255.0) as u8));
        std::fs::write(format!("{to}-{name}.pgm"), out).unwrap();
    }
}

/// How many stars are seen around each cell.
struct Shown {
    /// Against what is usual in the sky.
    share: Vec<f32>,
    /// In the nearest cells.
    near: Vec<f32>,
}

fn shown(evidence: &Evidence) -> Shown {
    let Evidence { grid, stars, noise, .. } = evidence;
    let wide = (grid.across / 40).max(2);
    let mut around = grid.blurred(&grid.blurred(stars, wide), wide);
    let noise = grid.blurred(noise, 2);
    let usual = |values: &[f32]| {
        let mut there: Vec<f32> =
            (0..grid.len()).filter(|&i| stars[i] > 0.2).map(|i| values[i]).collect();
        if there.is_empty() { 1.0 } else { crate::align::background::median(&mut there) }
    };
    let (usual, usual_noise) = (usual(&around), usual(&noise));
    // Where the sky is bright, as in a glow, fewer are seen.
    for (around, noise) in around.iter_mut().zip(&noise) {
        *around *= (noise / usual_noise).max(0.3).powi(2) / usual;
    }
    dump(*grid, "stars", &around);
    Shown { share: around, near: grid.blurred(stars, 1) }
}

/// What is known before anything was learned: where stars are seen there is sky, where there are
/// none, though they are seen elsewhere, or where something stands still, there may be ground.
/// `below` tells how much sky is below each cell.
fn first(evidence: &Evidence, shown: &Shown, below: &[f32], weight: f32) -> Vec<Known> {
    let Evidence { grid, texture, .. } = evidence;
    let capped: Vec<f32> = texture.iter().map(|v| v.min(1.0)).collect();
    let still = grid.blurred(&capped, 2);
    (0..grid.len())
        .map(|i| {
            let star = Known { sky: 1.0, weight: 4.0 * shown.near[i].min(0.25) };
            let starless = (1.0 - 3.0 * shown.share[i]).max(0.0) * (1.0 - below[i]);
            let textured = (0.05 * (still[i] - 0.15)).clamp(0.0, 0.05);
            star.and(Known { sky: 0.0, weight: starless * (weight + textured) })
        })
        .collect()
}

/// How much sky is below each cell, 0 to 1: whatever is solid stands on the ground.
fn sky_below(grid: Grid, sky: &[f32]) -> Vec<f32> {
    let wide = (grid.across / 60).max(2);
    let sky = grid.blurred(sky, wide);
    let mut below = vec![0.0f32; grid.len()];
    let low = env("LOW", 0.6);
    for i in (0..grid.len() - grid.across).rev() {
        let own = ((sky[i + grid.across] - low) * 4.0).clamp(0.0, 1.0);
        below[i] = below[i + grid.across].max(own);
    }
    below
}

/// What ratios of likelihoods, as logarithms, say, by how often they are right where it is known.
fn calibrated(ratios: &[f32], sky: &[f32]) -> Vec<Known> {
    const BINS: usize = 16;
    let bin = |ratio: f32| (((ratio + 4.0) / 8.0 * BINS as f32) as usize).min(BINS - 1);
    // A bin where there is nothing says nothing.
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
        // As often as it is seen, and as if there were as much of both: whatever is less sure.
        let plain = above / (above + ground) - 0.5;
        let (ground, above) = (ground / sums[0], above / sums[1]);
        let evened = above / (above + ground) - 0.5;
        let sure = match plain * evened > 0.0 {
            true => plain.abs().min(evened.abs()).copysign(plain),
            false => 0.0,
        };
        Known { sky: 0.5 + sure, weight: env("LOOKS", 0.03) * (2.0 * sure).powi(4) }
    });
    ratios.iter().map(|ratio| says[bin(*ratio)]).collect()
}

fn env(name: &str, usual: f32) -> f32 {
    std::env::var(name).map_or(usual, |v| v.parse().unwrap())
}

/// Cells on either side of an edge that tell it from noise.
const SIDE: usize = 3;

/// Ways between cells, shorter where what lies on both sides looks alike.
fn ways(grid: Grid, features: &[Feature]) -> Ways {
    let plane = |f: usize| -> Vec<f32> { features.iter().map(|own| own[f]).collect() };
    let edges: Vec<[Vec<f32>; 2]> = (0..3)
        .into_par_iter()
        .map(|f| {
            let plane = plane(f);
            let mut edges = [1, grid.across].map(|step| {
                let lines = match step {
                    1 => (grid.across, grid.blurred_along(&plane, 1, false)),
                    _ => (grid.down, grid.blurred_along(&plane, 1, true)),
                };
                edges(&lines.1, step, grid, lines.0)
            });
            let mut all: Vec<f32> = edges[0].iter().step_by(7).copied().collect();
            let scale = env("EDGE", 3.0);
            let usual = 1.4826 * crate::align::background::median(&mut all).max(1e-4);
            edges.iter_mut().flatten().for_each(|v| *v = (*v / (scale * usual)).powi(2));
            edges
        })
        .collect();
    let sum = |k: usize| -> Vec<f32> {
        (0..grid.len()).map(|i| edges.iter().map(|own| own[k][i]).sum()).collect()
    };
    Ways::new(grid, &sum(0), &sum(1))
}

/// How much the means of some cells before and behind each way along lines of `long` cells differ.
fn edges(values: &[f32], step: usize, grid: Grid, long: usize) -> Vec<f32> {
    let one = |i: usize| {
        let at = i / step % long;
        let (before, behind) = (SIDE.min(at + 1), SIDE.min(long - at - 1));
        if behind == 0 {
            return 0.0;
        }
        let mean = |from: usize, count: usize| {
            (0..count).map(|k| values[from + k * step]).sum::<f32>() / count as f32
        };
        mean(i + step, behind) - mean(i + step - before * step, before)
    };
    let all: Vec<f32> = (0..grid.len()).into_par_iter().map(one).collect();
    // What goes on in the same way before and behind is no edge.
    let bend = |i: usize| {
        let at = i / step % long;
        let before = all[i - SIDE.min(at) * step];
        let behind = all[i + SIDE.min((long - 1 - at).saturating_sub(1)) * step];
        let sign = all[i].signum();
        let slope = 0.5 * ((sign * before).max(0.0) + (sign * behind).max(0.0));
        (all[i].abs() - 1.0 * slope).max(0.0)
    };
    (0..grid.len()).into_par_iter().map(bend).collect()
}
