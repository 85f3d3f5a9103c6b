//! Matches the stars of two frames without knowing the motion between them.
//!
//! Triangles of neighbouring bright stars are described by the ratios of their sides, which do not
//! change with shift, rotation and scale (Groth 1986; Valdes et al. 1995). Each pair of alike
//! triangles proposes a similarity. The proposal that most bright stars agree with is grown into a
//! homography over all stars, with a narrowing reach (Fischler & Bolles 1981).

use jade_optics::homography::{self, Pair};
use jade_optics::motion::apply;
use jade_optics::star::Star;
use nalgebra::Matrix3;
use std::collections::HashMap;

/// Bright stars from which triangles are formed.
const BRIGHT: usize = 160;
/// Neighbours with which a star forms triangles.
const NEIGHBOURS: usize = 7;
/// Cells into which side ratios are sorted, along each of the two ratios.
const CELLS: f64 = 120.0;
/// Most proposals that are tested.
const PROPOSALS: usize = 6000;

/// Positions, searchable by place.
pub struct PositionIndex {
    cell: f64,
    corner: [f64; 2],
    across: usize,
    /// Index into `order` at which each cell's positions begin; one more for the end of the last
    /// cell.
    starts: Vec<u32>,
    order: Vec<u32>,
    at: Vec<[f64; 2]>,
}

impl PositionIndex {
    /// Sorts positions into square cells of side `cell` pixels; searches reach that far.
    pub fn new(at: Vec<[f64; 2]>, cell: f64) -> Self {
        let bound =
            |axis: usize, pick: fn(f64, f64) -> f64| at.iter().map(|p| p[axis]).reduce(pick);
        let corner = [0, 1].map(|axis| bound(axis, f64::min).unwrap_or(0.0));
        let sides = [0, 1].map(|axis| {
            let far = bound(axis, f64::max).unwrap_or(0.0);
            ((far - corner[axis]) / cell) as usize + 1
        });
        let across = sides[0];
        let index = |p: &[f64; 2]| {
            let [x, y] = [0, 1].map(|axis| ((p[axis] - corner[axis]) / cell) as usize);
            y * across + x
        };
        let mut starts = vec![0u32; across * sides[1] + 1];
        at.iter().for_each(|p| starts[index(p) + 1] += 1);
        for i in 1..starts.len() {
            starts[i] += starts[i - 1];
        }
        let mut next = starts.clone();
        let mut order = vec![0; at.len()];
        for (i, p) in at.iter().enumerate() {
            let slot = &mut next[index(p)];
            order[*slot as usize] = i as u32;
            *slot += 1;
        }
        Self { cell, corner, across, starts, order, at }
    }

    /// The nearest position within `reach` (at most the cell's side) of `p`, and its distance.
    pub fn nearest(&self, p: [f64; 2], reach: f64) -> Option<(usize, f64)> {
        let down = (self.starts.len() - 1) / self.across;
        let cells = |axis: usize, count: usize| {
            let at = ((p[axis] - self.corner[axis]) / self.cell).floor();
            // A position that is no number, as that of a direction behind the camera, is near
            // nothing.
            let near = at >= -1.0 && at <= count as f64;
            near.then(|| (at as i64 - 1).max(0) as usize..((at as i64 + 2) as usize).min(count))
        };
        let (columns, rows) = (cells(0, self.across)?, cells(1, down)?);
        let mut best: Option<(usize, f64)> = None;
        for row in rows {
            let from = self.starts[row * self.across + columns.start] as usize;
            let to = self.starts[row * self.across + columns.end] as usize;
            for &i in &self.order[from..to] {
                let q = self.at[i as usize];
                let (dx, dy) = (q[0] - p[0], q[1] - p[1]);
                let square = dx * dx + dy * dy;
                if square <= reach * reach && best.is_none_or(|(_, b)| square < b) {
                    best = Some((i as usize, square));
                }
            }
        }
        best.map(|(i, square)| (i, square.sqrt()))
    }
}

/// Bright stars spread over a picture: the brightest of each part, so that one crowded corner does
/// not dominate. Returns indices into `stars`, which is sorted by brightness.
pub fn spread(stars: &[Star], width: u32, height: u32) -> Vec<usize> {
    const ACROSS: usize = 8;
    const DOWN: usize = 6;
    let share = BRIGHT / (ACROSS * DOWN) + 3;
    let mut taken = [0; ACROSS * DOWN];
    let mut chosen = Vec::new();
    for (i, star) in stars.iter().enumerate() {
        let x = (star.x / width as f64 * ACROSS as f64).clamp(0.0, ACROSS as f64 - 1.0) as usize;
        let y = (star.y / height as f64 * DOWN as f64).clamp(0.0, DOWN as f64 - 1.0) as usize;
        let count = &mut taken[y * ACROSS + x];
        if *count < share {
            *count += 1;
            chosen.push(i);
        }
        if chosen.len() == BRIGHT {
            break;
        }
    }
    chosen
}

/// A triangle by the ratios of its sides; corners in the order of the sides opposite to them,
/// longest first.
struct Triangle {
    shape: [f64; 2],
    corners: [usize; 3],
    turns_left: bool,
}

fn triangles(at: &[[f64; 2]]) -> Vec<Triangle> {
    let distance = |a: usize, b: usize| {
        let (dx, dy) = (at[a][0] - at[b][0], at[a][1] - at[b][1]);
        (dx * dx + dy * dy).sqrt()
    };
    let mut used = std::collections::HashSet::new();
    let mut all = Vec::new();
    for a in 0..at.len() {
        let mut near: Vec<usize> = (0..at.len()).filter(|&b| b != a).collect();
        near.sort_by(|&b, &c| distance(a, b).total_cmp(&distance(a, c)));
        near.truncate(NEIGHBOURS);
        for (i, &b) in near.iter().enumerate() {
            for &c in &near[i + 1..] {
                let mut key = [a, b, c];
                key.sort_unstable();
                if !used.insert(key) {
                    continue;
                }
                let mut sides = [(distance(b, c), a), (distance(a, c), b), (distance(a, b), c)];
                sides.sort_by(|p, q| q.0.total_cmp(&p.0));
                let longest = sides[0].0;
                // Slivers and near-isosceles triangles are ambiguous.
                let shape = [sides[1].0 / longest, sides[2].0 / longest];
                if shape[1] < 0.15
                    || shape[0] > 0.985
                    || shape[0] - shape[1] < 0.015
                    || longest < 12.0
                {
                    continue;
                }
                let corners = sides.map(|s| s.1);
                let [p, q, r] = corners.map(|i| at[i]);
                let cross = (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]);
                all.push(Triangle { shape, corners, turns_left: cross > 0.0 });
            }
        }
    }
    all
}

/// Matched stars, and the homography from the frame to the reference frame.
pub struct Match {
    /// Indices into the frame's and the reference's stars.
    pub pairs: Vec<(usize, usize)>,
    /// From the frame to the reference frame.
    pub homography: Matrix3<f64>,
}

/// Matches the stars of a frame to those of the reference frame; both sorted by brightness, both
/// from pictures of this size. `None` when nothing agrees.
pub fn match_stars(frame: &[Star], reference: &[Star], width: u32, height: u32) -> Option<Match> {
    let pick = |stars: &[Star]| -> Vec<[f64; 2]> {
        spread(stars, width, height).into_iter().map(|i| [stars[i].x, stars[i].y]).collect()
    };
    let (bright, bright_reference) = (pick(frame), pick(reference));
    let mut proposals = propose(&bright, &bright_reference);
    proposals.truncate(PROPOSALS);

    const WIDEST: f64 = 24.0;
    let places = PositionIndex::new(bright_reference.clone(), WIDEST);
    let (_, best) = proposals
        .iter()
        .map(|proposal| {
            let agreeing = bright.iter().filter(|&&p| {
                // A similarity holds near its triangle and becomes inexact with distance.
                let (dx, dy) = (p[0] - proposal.at[0], p[1] - proposal.at[1]);
                let far = (dx * dx + dy * dy).sqrt();
                let reach = (3.0 + 0.012 * far).min(WIDEST);
                places.nearest(apply(&proposal.similarity, p), reach).is_some()
            });
            (agreeing.count(), proposal)
        })
        .max_by_key(|(count, _)| *count)
        .filter(|(count, _)| *count >= 6)?;

    let mut motion = best.similarity;
    // First bright stars near the triangle, then stars further out, then all stars within a narrow
    // reach.
    let size = (width as f64).hypot(height as f64);
    let mut radius = 0.22 * size;
    for _ in 0..6 {
        let near: Vec<[f64; 2]> = bright
            .iter()
            .copied()
            .filter(|p| (p[0] - best.at[0]).hypot(p[1] - best.at[1]) < radius)
            .collect();
        let pairs = agree(&near, &places, &bright_reference, &motion, 8.0);
        let pairs: Vec<Pair> =
            pairs.into_iter().map(|(i, j)| (near[i], bright_reference[j])).collect();
        motion = fit_kept(&pairs)?;
        radius *= 1.4;
    }
    narrow(frame, reference, motion, &[6.0, 4.0, 2.5, 2.0])
}

/// Matches the stars of a frame to those of the reference frame, from a motion that is known to a
/// few pixels. `None` when fewer than ten stars agree.
pub fn match_from(frame: &[Star], reference: &[Star], motion: &Matrix3<f64>) -> Option<Match> {
    let found = narrow(frame, reference, *motion, &[12.0, 6.0, 4.0, 2.5, 2.0])?;
    (found.pairs.len() >= 10).then_some(found)
}

/// Pairs all stars within a narrowing reach in pixels, each time under the motion fitted before.
fn narrow(
    frame: &[Star],
    reference: &[Star],
    mut motion: Matrix3<f64>,
    reaches: &[f64],
) -> Option<Match> {
    let at = |stars: &[Star]| stars.iter().map(|s| [s.x, s.y]).collect::<Vec<_>>();
    let (all, all_reference) = (at(frame), at(reference));
    let places = PositionIndex::new(all_reference.clone(), reaches[0]);
    let mut pairs = Vec::new();
    for &reach in reaches {
        pairs = agree(&all, &places, &all_reference, &motion, reach);
        let positions: Vec<Pair> = pairs.iter().map(|&(i, j)| (all[i], all_reference[j])).collect();
        motion = fit_kept(&positions)?;
    }
    Some(Match { pairs, homography: motion })
}

/// A homography where there are enough pairs, a similarity where there are few.
fn fit_kept(pairs: &[Pair]) -> Option<Matrix3<f64>> {
    if pairs.len() < 10 {
        return homography::fit_similarity(pairs);
    }
    let weights = vec![1.0; pairs.len()];
    homography::fit(pairs, &weights)
}

/// Pairs whose mapped positions lie within `reach`, each star in one pair at most.
pub fn agree(
    from: &[[f64; 2]],
    places: &PositionIndex,
    to: &[[f64; 2]],
    motion: &Matrix3<f64>,
    reach: f64,
) -> Vec<(usize, usize)> {
    one_to_one(from.len(), to.len(), |i| places.nearest(apply(motion, from[i]), reach))
}

/// Keeps the nearest of all stars that claim the same partner.
pub fn one_to_one(
    from: usize,
    to: usize,
    nearest: impl Fn(usize) -> Option<(usize, f64)>,
) -> Vec<(usize, usize)> {
    let mut claimed: Vec<Option<(usize, f64)>> = vec![None; to];
    for i in 0..from {
        if let Some((j, distance)) = nearest(i)
            && claimed[j].is_none_or(|(_, d)| distance < d)
        {
            claimed[j] = Some((i, distance));
        }
    }
    claimed.into_iter().enumerate().filter_map(|(j, c)| Some((c?.0, j))).collect()
}

struct Proposal {
    similarity: Matrix3<f64>,
    at: [f64; 2],
}

/// Similarities from alike triangles, those of the rarest shapes first.
fn propose(frame: &[[f64; 2]], reference: &[[f64; 2]]) -> Vec<Proposal> {
    let cell = |shape: [f64; 2]| ((shape[0] * CELLS) as i32, (shape[1] * CELLS) as i32);
    let reference_triangles = triangles(reference);
    let mut by_shape: HashMap<(i32, i32), Vec<&Triangle>> = HashMap::new();
    for triangle in &reference_triangles {
        by_shape.entry(cell(triangle.shape)).or_default().push(triangle);
    }
    let mut proposals = Vec::new();
    for triangle in triangles(frame) {
        let (cx, cy) = cell(triangle.shape);
        for x in cx - 1..=cx + 1 {
            for y in cy - 1..=cy + 1 {
                for other in by_shape.get(&(x, y)).map_or(&[][..], |v| v) {
                    let off = (triangle.shape[0] - other.shape[0])
                        .hypot(triangle.shape[1] - other.shape[1]);
                    if triangle.turns_left != other.turns_left || off > 1.0 / CELLS {
                        continue;
                    }
                    let pairs = [0, 1, 2]
                        .map(|i| (frame[triangle.corners[i]], reference[other.corners[i]]));
                    let Some(similarity) = homography::fit_similarity(&pairs) else { continue };
                    // All frames have the same lens, so the scale hardly changes.
                    let scale = similarity[(0, 0)].hypot(similarity[(1, 0)]);
                    if (0.8..1.25).contains(&scale) {
                        let mean = |c: usize| pairs.iter().map(|p| p.0[c]).sum::<f64>() / 3.0;
                        proposals.push((off, Proposal { similarity, at: [mean(0), mean(1)] }));
                    }
                }
            }
        }
    }
    proposals.sort_by(|a, b| a.0.total_cmp(&b.0));
    proposals.into_iter().map(|p| p.1).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn star(x: f64, y: f64, flux: f32) -> Star {
        Star { x, y, flux, width: 2.2, roundness: 1.0, snr: 50.0, saturated: false }
    }

    /// Scattered places from a fixed sequence.
    fn field(count: u32) -> Vec<Star> {
        (0..count)
            .map(|i| {
                let hash = blake3::hash(&i.to_le_bytes());
                let part = |a: usize| {
                    u32::from_le_bytes(hash.as_bytes()[a..a + 4].try_into().unwrap()) as f64
                        / 2f64.powi(32)
                };
                star(part(0) * 1200.0, part(4) * 800.0, (count - i) as f32)
            })
            .collect()
    }

    #[test]
    fn a_large_turn_with_missing_and_foreign_stars_is_matched() {
        let reference = field(200);
        let (s, c) = 0.6f64.sin_cos();
        let truth = Matrix3::new(c, -s, 300.0, s, c, -250.0, 0.0, 0.0, 1.0);
        let back = truth.try_inverse().unwrap();
        let mut frame: Vec<Star> = reference
            .iter()
            .enumerate()
            .filter(|(i, _)| i % 5 != 0)
            .map(|(_, r)| {
                let [x, y] = apply(&back, [r.x, r.y]);
                star(x, y, r.flux)
            })
            .filter(|s| (0.0..1200.0).contains(&s.x) && (0.0..800.0).contains(&s.y))
            .collect();
        let kept = frame.len();
        frame.extend(field(260).into_iter().skip(200));
        frame.sort_by(|a, b| b.flux.total_cmp(&a.flux));
        let found = match_stars(&frame, &reference, 1200, 800).unwrap();
        assert!(found.pairs.len() * 10 >= kept * 9, "{} of {kept}", found.pairs.len());
        let [x, y] = apply(&found.homography, [600.0, 400.0]);
        let [tx, ty] = apply(&truth, [600.0, 400.0]);
        assert!((x - tx).hypot(y - ty) < 1e-3);
    }

    #[test]
    fn unrelated_fields_do_not_pass_for_each_other() {
        let reference = field(150);
        let other: Vec<Star> = field(400).into_iter().skip(250).collect();
        let found = match_stars(&other, &reference, 1200, 800);
        assert!(found.is_none_or(|m| m.pairs.len() < 20));
    }
}
