//! A fixed camera under a turning sky: focal length, radial distortion and one rotation per frame,
//! solved together over all frames (Levenberg 1944; Marquardt 1963), with a robust loss.

use jade_optics::camera::Lens;
use nalgebra::{Matrix3, Rotation3, SMatrix, SVector, Vector3};
use rayon::prelude::*;

/// A star in a frame and in the reference frame.
#[derive(Debug, Clone, Copy)]
pub struct Sighting {
    /// Position in the frame in pixels.
    pub at: [f64; 2],
    /// Position in the reference frame in pixels.
    pub reference: [f64; 2],
    /// Expected error of the pair along one axis in pixels.
    pub error: f64,
}

/// A solution for all frames.
#[derive(Debug, Clone)]
pub struct Solution {
    /// The lens of all frames.
    pub lens: Lens,
    /// For each frame, the rotation of its directions to those of the reference frame.
    pub turns: Vec<Rotation3<f64>>,
    /// Sum of the robust loss over all sightings, in squared expected errors.
    pub cost: f64,
}

/// Number of values that describe the lens while solving.
pub const LENS_VALUES: usize = 3;
/// Residuals beyond this many expected errors count less and less (Cauchy's loss).
const ROBUST: f64 = 3.0;

/// Solves lens and rotations from the sightings of each frame, starting from several focal lengths.
/// `None` when no start converges, or when `stop` says so.
pub fn solve(
    frames: &[Vec<Sighting>],
    width: u32,
    height: u32,
    stop: &(dyn Fn() -> bool + Sync),
) -> Option<Solution> {
    let size = width.max(height) as f64;
    let starts = [0.45, 0.7, 1.1, 2.0, 4.0, 9.0];
    // A part of the sightings is enough to choose the best start.
    const SOME: usize = 150;
    let few: Vec<Vec<Sighting>> = frames
        .iter()
        .map(|f| f.iter().step_by(f.len().div_ceil(SOME).max(1)).copied().collect())
        .collect();
    let rough = starts.par_iter().map(|start| {
        let lens = Lens::plain(start * size, width, height);
        let turns = few.iter().map(|f| turn_between(&lens, f)).collect();
        refine(Solution { lens, turns, cost: 0.0 }, &few, 12, stop)
    });
    let rough: Vec<Solution> = rough.filter(|r| r.cost.is_finite()).collect();
    let best = rough.into_iter().min_by(|a, b| a.cost.total_cmp(&b.cost))?;
    Some(refine(best, frames, 60, stop))
}

/// The rotation that brings the frame's directions nearest to the reference's (Kabsch 1976).
fn turn_between(lens: &Lens, sightings: &[Sighting]) -> Rotation3<f64> {
    let mut sum = Matrix3::zeros();
    for s in sightings {
        sum += lens.ray(s.reference).normalize() * lens.ray(s.at).normalize().transpose();
    }
    let svd = sum.svd(true, true);
    let (Some(u), Some(v)) = (svd.u, svd.v_t) else { return Rotation3::identity() };
    let mut fix = Matrix3::identity();
    fix[(2, 2)] = (u * v).determinant().signum();
    Rotation3::from_matrix_unchecked(u * fix * v)
}

/// Improves a solution until it no longer changes, `rounds` are over, or `stop` says so.
pub fn refine(
    mut now: Solution,
    frames: &[Vec<Sighting>],
    rounds: usize,
    stop: &(dyn Fn() -> bool + Sync),
) -> Solution {
    // A smaller share is no improvement: it is far below the effect of one star more or less.
    const LEAST_GAIN: f64 = 1e-7;
    now.cost = cost(&now, frames);
    let mut damping = 1e-3;
    for _ in 0..rounds {
        if stop() {
            break;
        }
        let equations = Equations::at(&now, frames);
        let mut improved = false;
        while damping < 1e9 && !stop() {
            if let Some(next) = equations.step(&now, damping) {
                let next = Solution { cost: cost(&next, frames), ..next };
                if next.cost < now.cost {
                    let gain = (now.cost - next.cost) / now.cost;
                    now = next;
                    damping = (damping * 0.2).max(1e-9);
                    improved = gain > LEAST_GAIN;
                    break;
                }
            }
            damping *= 5.0;
        }
        if !improved {
            break;
        }
    }
    now
}

/// How well the lens is known: covariances of the logarithm of its focal length and of its two
/// distortion values, with the rotations left free.
pub fn spread(solution: &Solution, frames: &[Vec<Sighting>]) -> Option<Matrix3<f64>> {
    let equations = Equations::at(solution, frames);
    equations.of_lens(0.0)?.0.left.try_inverse()
}

fn residual(lens: &Lens, turn: &Rotation3<f64>, s: &Sighting) -> [f64; 2] {
    let [x, y] = lens.project(turn * lens.ray(s.at));
    [(x - s.reference[0]) / s.error, (y - s.reference[1]) / s.error]
}

/// A mild prior on the distortion. Wide lenses distort, but within bounds; without the prior, short
/// sequences would drift along values that their stars do not determine.
fn pulls(lens: &Lens) -> [(usize, f64, f64); 2] {
    [(1, lens.k1, 0.25), (2, lens.k2, 0.25)]
}

fn cost(solution: &Solution, frames: &[Vec<Sighting>]) -> f64 {
    let pulled: f64 = pulls(&solution.lens).iter().map(|(_, v, s)| (v / s).powi(2)).sum();
    // Summed in the order of the frames, so that the same sightings give the same sum.
    let each: Vec<f64> = solution
        .turns
        .par_iter()
        .zip(frames)
        .map(|(turn, sightings)| {
            let loss = sightings.iter().map(|s| {
                let [x, y] = residual(&solution.lens, turn, s);
                ROBUST * ROBUST * (1.0 + (x * x + y * y) / (ROBUST * ROBUST)).ln()
            });
            loss.sum()
        })
        .collect();
    let sum = pulled + each.iter().sum::<f64>();
    if sum.is_nan() { f64::INFINITY } else { sum }
}

/// Changes of the lens: relative focal length, k1, k2.
fn lens_changed(lens: &Lens, change: &[f64; LENS_VALUES]) -> Lens {
    Lens {
        focal_px: lens.focal_px * change[0].exp(),
        k1: lens.k1 + change[1],
        k2: lens.k2 + change[2],
        ..*lens
    }
}

/// Normal equations. Each frame's rotation is coupled to the lens only, so the frames are
/// eliminated one by one, and the work is linear in their number.
struct Equations {
    lens: SMatrix<f64, LENS_VALUES, LENS_VALUES>,
    lens_right: SVector<f64, LENS_VALUES>,
    frames: Vec<FrameEquations>,
}

struct LensEquations {
    left: SMatrix<f64, LENS_VALUES, LENS_VALUES>,
    right: SVector<f64, LENS_VALUES>,
}

struct FrameEquations {
    lens: SMatrix<f64, LENS_VALUES, LENS_VALUES>,
    lens_right: SVector<f64, LENS_VALUES>,
    block: SMatrix<f64, 3, 3>,
    shared: SMatrix<f64, 3, LENS_VALUES>,
    right: SVector<f64, 3>,
}

impl Equations {
    fn at(now: &Solution, frames: &[Vec<Sighting>]) -> Self {
        const STEP: f64 = 1e-6;
        let lenses: [Lens; LENS_VALUES] = std::array::from_fn(|i| {
            let mut change = [0.0; LENS_VALUES];
            change[i] = STEP;
            lens_changed(&now.lens, &change)
        });
        let of_frame = |(turn, sightings): (&Rotation3<f64>, &Vec<Sighting>)| {
            let turned: [Rotation3<f64>; 3] = std::array::from_fn(|i| {
                let mut axis = Vector3::zeros();
                axis[i] = STEP;
                Rotation3::new(axis) * turn
            });
            let mut all = FrameEquations {
                lens: SMatrix::zeros(),
                lens_right: SVector::zeros(),
                block: SMatrix::zeros(),
                shared: SMatrix::zeros(),
                right: SVector::zeros(),
            };
            for s in sightings {
                let r = residual(&now.lens, turn, s);
                let weight = 1.0 / (1.0 + (r[0] * r[0] + r[1] * r[1]) / (ROBUST * ROBUST));
                let by_lens = lenses.each_ref().map(|l| residual(l, turn, s));
                let by_turn = turned.each_ref().map(|t| residual(&now.lens, t, s));
                for c in 0..2 {
                    let slope = |moved: [f64; 2]| (moved[c] - r[c]) / STEP;
                    let jl = SVector::<f64, LENS_VALUES>::from(by_lens.map(slope));
                    let jt = SVector::<f64, 3>::from(by_turn.map(slope));
                    if !(jl.norm() + jt.norm()).is_finite() {
                        continue;
                    }
                    all.lens += jl * jl.transpose() * weight;
                    all.lens_right -= jl * (r[c] * weight);
                    all.block += jt * jt.transpose() * weight;
                    all.shared += jt * jl.transpose() * weight;
                    all.right -= jt * (r[c] * weight);
                }
            }
            all
        };
        let frames: Vec<FrameEquations> = now.turns.par_iter().zip(frames).map(of_frame).collect();
        let mut all = Self { lens: SMatrix::zeros(), lens_right: SVector::zeros(), frames };
        for frame in &all.frames {
            all.lens += frame.lens;
            all.lens_right += frame.lens_right;
        }
        for (i, value, spread) in pulls(&now.lens) {
            all.lens[(i, i)] += 1.0 / (spread * spread);
            all.lens_right[i] -= value / (spread * spread);
        }
        all
    }

    /// The equations of the lens alone, and for each frame what is needed to recover its rotation.
    fn of_lens(&self, damping: f64) -> Option<(LensEquations, Vec<SMatrix<f64, 3, 3>>)> {
        let (mut left, mut right) = (self.lens, self.lens_right);
        for i in 0..LENS_VALUES {
            left[(i, i)] *= 1.0 + damping;
        }
        let mut inverses = Vec::with_capacity(self.frames.len());
        for frame in &self.frames {
            let mut block = frame.block;
            for i in 0..3 {
                block[(i, i)] = block[(i, i)] * (1.0 + damping) + 1e-12;
            }
            let inverse = block.try_inverse()?;
            left -= frame.shared.transpose() * inverse * frame.shared;
            right -= frame.shared.transpose() * inverse * frame.right;
            inverses.push(inverse);
        }
        Some((LensEquations { left, right }, inverses))
    }

    fn step(&self, now: &Solution, damping: f64) -> Option<Solution> {
        let (LensEquations { left, right }, inverses) = self.of_lens(damping)?;
        let change = left.lu().solve(&right)?;
        if change[0].abs() > 1.0 {
            return None;
        }
        let turns = self.frames.iter().zip(&inverses).zip(&now.turns);
        let turns = turns.map(|((frame, inverse), turn)| {
            Rotation3::new(inverse * (frame.right - frame.shared * change)) * turn
        });
        Some(Solution {
            lens: lens_changed(&now.lens, &change.into()),
            turns: turns.collect(),
            cost: 0.0,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    /// Lens and rotations are recovered from exact sightings, without a known start.
    #[test]
    fn an_unknown_lens_is_found() {
        let truth = Lens { k1: 0.06, k2: 0.01, ..Lens::plain(1480.0, 2400, 1600) };
        let axis = Vector3::new(0.4, -0.7, 0.6).normalize();
        let turns: Vec<_> =
            [-0.012, -0.004, 0.007, 0.02].map(|a| Rotation3::new(axis * a)).to_vec();
        let frames: Vec<Vec<Sighting>> = turns
            .iter()
            .map(|turn| {
                (0..120)
                    .map(|i| {
                        let at = [(i % 12) as f64 * 210.0 + 30.0, (i / 12) as f64 * 110.0 + 20.0];
                        let reference = truth.project(turn * truth.ray(at));
                        Sighting { at, reference, error: 0.05 }
                    })
                    .collect()
            })
            .collect();
        let found = solve(&frames, 2400, 1600, &|| false).unwrap();
        assert!((found.lens.focal_px / truth.focal_px - 1.0).abs() < 0.01, "{:?}", found.lens);
        for (turn, found_turn) in turns.iter().zip(&found.turns) {
            for at in [[0.0, 0.0], [2399.0, 0.0], [0.0, 1599.0], [2399.0, 1599.0], [1200.0, 1500.0]]
            {
                let [tx, ty] = truth.project(turn * truth.ray(at));
                let [x, y] = found.lens.project(found_turn * found.lens.ray(at));
                assert!((x - tx).hypot(y - ty) < 0.02, "off by {:.4}", (x - tx).hypot(y - ty));
            }
        }
    }
}
