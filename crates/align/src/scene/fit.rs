//! Fits motions to pairs of positions: by agreement where many pairs are wrong, then by robust
//! weighted least squares.

use super::patches::Sighting;
use jade_optics::homography::{self, Pair};
use jade_optics::motion::apply;
use jade_optics::statistics::median;
use jade_plan::SceneModel;
use nalgebra::Matrix3;

/// A fitted motion.
#[derive(Debug, Clone)]
pub struct Fit {
    /// From the frame to the reference frame.
    pub motion: Matrix3<f64>,
    /// Sightings that agree with it.
    pub agreeing: usize,
    /// Root mean square distance of those in pixels, weighted by how well each is known.
    pub rms_px: f64,
}

/// The similarity that most pairs agree with, and the number of those pairs.
pub fn agreeing_similarity(pairs: &[Pair]) -> Option<(Matrix3<f64>, usize)> {
    const ROUNDS: u64 = 3000;
    const REACH: f64 = 3.0;
    let count = pairs.len() as u64;
    if count < 4 {
        return None;
    }
    let agree = |motion: &Matrix3<f64>, reach: f64| -> Vec<Pair> {
        let near = |(from, to): &&Pair| {
            let [x, y] = apply(motion, *from);
            // The similarity approximates a view from another place; it need not be exact.
            (x - to[0]).hypot(y - to[1]) < reach
        };
        pairs.iter().filter(near).copied().collect()
    };
    let mut best: (usize, Option<Matrix3<f64>>) = (0, None);
    for round in 0..ROUNDS {
        // Always the same sequence of pairs of pairs, well spread.
        let (i, j) =
            (round.wrapping_mul(0x9e37_79b9) % count, round.wrapping_mul(0x85eb_ca6b) / 7 % count);
        let (a, b) = (pairs[i as usize], pairs[j as usize]);
        if (a.0[0] - b.0[0]).hypot(a.0[1] - b.0[1]) < 40.0 {
            continue;
        }
        let Some(motion) = homography::fit_similarity(&[a, b]) else { continue };
        let scale = motion[(0, 0)].hypot(motion[(1, 0)]);
        if !(0.7..1.4).contains(&scale) {
            continue;
        }
        let agreeing = agree(&motion, REACH).len();
        if agreeing > best.0 {
            best = (agreeing, Some(motion));
        }
    }
    let mut motion = best.1?;
    for reach in [REACH * 2.0, REACH] {
        motion = homography::fit_similarity(&agree(&motion, reach))?;
    }
    Some((motion, agree(&motion, REACH).len()))
}

/// Fits the wanted model, or the one that explains the sightings best for the number of its
/// values. `None` for too few sightings.
pub fn choose(sightings: &[Sighting], model: SceneModel, size: (u32, u32)) -> Option<Fit> {
    let one = |model| robust(sightings, model, size);
    match model {
        SceneModel::Auto => {
            let most = one(SceneModel::Homography).or_else(|| one(SceneModel::Similarity))?;
            // The errors of the patches do not include the error of the models; the richest model
            // shows its size.
            let mut ratios: Vec<f32> =
                sightings.iter().map(|s| (off(&most.motion, s) / s.error) as f32).collect();
            let scale = (median(&mut ratios) as f64 / 1.18).max(0.05);
            let loss = |fit: &Fit| -> f64 {
                let each = sightings.iter().map(|s| off(&fit.motion, s) / (s.error * scale));
                each.map(|r| 9.0 * (1.0 + r * r / 9.0).ln()).sum()
            };
            let price = (2.0 * sightings.len() as f64).ln();
            let fits = [(SceneModel::Shift, 2.0), (SceneModel::Similarity, 4.0)];
            let mut best = (loss(&most) + 8.0 * price, most);
            for (model, values) in fits {
                let Some(fit) = one(model) else { continue };
                let cost = loss(&fit) + values * price;
                if cost < best.0 {
                    best = (cost, fit);
                }
            }
            Some(best.1)
        }
        model => one(model),
    }
}

fn off(motion: &Matrix3<f64>, s: &Sighting) -> f64 {
    let [x, y] = apply(motion, s.at);
    (x - s.reference[0]).hypot(y - s.reference[1])
}

/// A model by iterated weights (Cauchy's loss).
fn robust(sightings: &[Sighting], model: SceneModel, (width, height): (u32, u32)) -> Option<Fit> {
    let least = match model {
        SceneModel::Shift => 3,
        SceneModel::Similarity => 4,
        _ => 8,
    };
    if sightings.len() < least {
        return None;
    }
    let pairs: Vec<Pair> = sightings.iter().map(|s| (s.at, s.reference)).collect();
    // Patches differ by their content, beyond noise; without a floor a few sharp patches would
    // decide alone.
    let mut errors: Vec<f32> = sightings.iter().map(|s| s.error as f32).collect();
    let floor = median(&mut errors) as f64;
    let base: Vec<f64> = sightings.iter().map(|s| s.error.hypot(floor).powi(-2)).collect();
    let mut weights = base.clone();
    let mut motion = Matrix3::identity();
    let mut scale = f64::MAX;
    for round in 0..12 {
        motion = match model {
            SceneModel::Shift => shift(&pairs, &weights),
            SceneModel::Similarity => similarity(&pairs, &weights)?,
            _ => homography::fit(&pairs, &weights)?,
        };
        let mut distances: Vec<f32> = sightings.iter().map(|s| off(&motion, s) as f32).collect();
        let spread = (median(&mut distances) as f64 / 1.18).max(1e-3);
        scale = if round == 0 { spread } else { spread.min(scale) };
        for ((weight, base), s) in weights.iter_mut().zip(&base).zip(sightings) {
            let r = off(&motion, s) / (2.5 * scale);
            *weight = base / (1.0 + r * r).powi(2);
        }
    }
    let corners = [[0.0, 0.0], [width as f64, 0.0], [0.0, height as f64]];
    if corners.iter().any(|c| apply(&motion, *c).iter().any(|v| !v.is_finite())) {
        return None;
    }
    let near = (4.0 * scale).clamp(0.15, 2.0);
    let agreeing = sightings.iter().zip(&base).filter(|(s, _)| off(&motion, s) < near);
    let (mut count, mut squares, mut total) = (0, 0.0, 0.0);
    for (s, weight) in agreeing {
        count += 1;
        squares += weight * off(&motion, s).powi(2);
        total += weight;
    }
    let rms_px = if count > 0 { (squares / total).sqrt() } else { f64::MAX };
    Some(Fit { motion, agreeing: count, rms_px })
}

fn shift(pairs: &[Pair], weights: &[f64]) -> Matrix3<f64> {
    let total: f64 = weights.iter().sum();
    let mean = |axis: usize| {
        let each = pairs.iter().zip(weights).map(|((a, b), w)| w * (b[axis] - a[axis]));
        each.sum::<f64>() / total
    };
    Matrix3::new(1.0, 0.0, mean(0), 0.0, 1.0, mean(1), 0.0, 0.0, 1.0)
}

/// The weighted similarity in closed form (Umeyama 1991).
fn similarity(pairs: &[Pair], weights: &[f64]) -> Option<Matrix3<f64>> {
    let total: f64 = weights.iter().sum();
    let mean = |pick: &dyn Fn(&Pair) -> f64| {
        pairs.iter().zip(weights).map(|(p, w)| w * pick(p)).sum::<f64>() / total
    };
    let (ax, ay) = (mean(&|p| p.0[0]), mean(&|p| p.0[1]));
    let (bx, by) = (mean(&|p| p.1[0]), mean(&|p| p.1[1]));
    let (mut along, mut across, mut size) = (0.0, 0.0, 0.0);
    for ((a, b), w) in pairs.iter().zip(weights) {
        let (x, y, u, v) = (a[0] - ax, a[1] - ay, b[0] - bx, b[1] - by);
        along += w * (x * u + y * v);
        across += w * (x * v - y * u);
        size += w * (x * x + y * y);
    }
    if size <= 0.0 {
        return None;
    }
    let (c, s) = (along / size, across / size);
    Some(Matrix3::new(c, -s, bx - c * ax + s * ay, s, c, by - s * ax - c * ay, 0.0, 0.0, 1.0))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn sightings(truth: &Matrix3<f64>, wrong: usize) -> Vec<Sighting> {
        let back = truth.try_inverse().unwrap();
        (0..120)
            .map(|i| {
                let reference = [(i % 12) as f64 * 200.0 + 30.0, (i / 12) as f64 * 150.0 + 40.0];
                let [x, y] = apply(&back, reference);
                // A few hundredths of a pixel of noise, and some patches that lie elsewhere.
                let off = |k: usize| ((i * k % 17) as f64 - 8.0) * 0.005;
                let far = if i % 120 < wrong { 2.5 } else { 0.0 };
                Sighting {
                    at: [x + off(7) + far, y + off(11)],
                    reference,
                    error: 0.03,
                    detail: 1.0,
                }
            })
            .collect()
    }

    #[test]
    fn the_simplest_model_that_explains_is_chosen() {
        let shift = Matrix3::new(1.0, 0.0, 3.3, 0.0, 1.0, -1.7, 0.0, 0.0, 1.0);
        let turned = Matrix3::new(0.999, -0.01, 3.3, 0.01, 0.999, -1.7, 0.0, 0.0, 1.0);
        let tilted = Matrix3::new(1.0, -0.01, 3.3, 0.01, 1.0, -1.7, 2e-6, -3e-6, 1.0);
        for (truth, model) in [(shift, "shift"), (turned, "similarity"), (tilted, "homography")] {
            let fit = choose(&sightings(&truth, 20), SceneModel::Auto, (2400, 1600)).unwrap();
            assert_eq!(jade_optics::motion::Motion::Homography(fit.motion).model(), model);
            for at in [[0.0, 0.0], [2400.0, 0.0], [2400.0, 1600.0]] {
                let ([x, y], [u, v]) = (apply(&fit.motion, at), apply(&truth, at));
                assert!((x - u).hypot(y - v) < 0.05, "{model}: {:.3}", (x - u).hypot(y - v));
            }
            assert!((90..=100).contains(&fit.agreeing), "{}", fit.agreeing);
        }
    }

    proptest! {
        #[test]
        fn a_similarity_is_found_among_mostly_wrong_pairs(
            turn in -3.1f64..3.1, scale in 0.85f64..1.15, x in -300.0f64..300.0,
        ) {
            let (s, c) = turn.sin_cos();
            let (s, c) = (s * scale, c * scale);
            let truth = Matrix3::new(c, -s, x, s, c, 20.0, 0.0, 0.0, 1.0);
            let pairs: Vec<Pair> = (0..90)
                .map(|i| {
                    let at = [(i * 131 % 1200) as f64, (i * 77 % 800) as f64];
                    let odd = [(i * 389 % 1200) as f64, (i * 211 % 800) as f64];
                    (at, if i % 3 == 0 { apply(&truth, at) } else { odd })
                })
                .collect();
            let (found, agreeing) = agreeing_similarity(&pairs).unwrap();
            prop_assert!(agreeing >= 30);
            prop_assert!((found - truth).norm() < 0.5);
        }
    }
}
