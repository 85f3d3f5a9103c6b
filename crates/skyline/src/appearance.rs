//! The appearance of sky and ground: mixtures of normal distributions over colour and texture, as
//! in Rother, Kolmogorov and Blake (2004).

use super::evidence::Evidence;
use nalgebra::{SMatrix, SVector};
use rayon::prelude::*;

/// Features of a cell: logarithms of brightness, of red and blue against green, and of texture.
const FEATURES: usize = 4;
/// Normal distributions in the mixture of each side.
const PARTS: usize = 4;
/// Most cells from which a side is learned.
const LEARNED: usize = 5_000;
/// Rounds of expectation and maximisation.
const ROUNDS: usize = 8;
/// Least standard deviations of the features.
const LEAST: [f32; FEATURES] = [0.03, 0.03, 0.03, 0.25];
/// Logarithm of the density of a feature that belongs to neither side.
const STRANGE: f32 = -1.0;

pub type Feature = SVector<f32, FEATURES>;

/// The features of all cells.
pub fn features(evidence: &Evidence, radius: usize) -> Vec<Feature> {
    let Evidence { grid, colour, texture, .. } = evidence;
    let [red, green, blue] = colour.each_ref().map(|plane| grid.blurred(plane, radius));
    let texture = grid.blurred(texture, 1);
    let mut light: Vec<f32> = (0..grid.cells()).map(|i| red[i] + green[i] + blue[i]).collect();
    // Below this, differences are noise.
    let floor = 0.03 * jade_optics::statistics::median(&mut light).max(1e-4);
    let log = |v: f32| (v.max(0.0) + floor).ln();
    let of = |cell: usize| {
        let [r, g, b] = [red[cell], green[cell], blue[cell]].map(log);
        Feature::from([(r + g + b) / 3.0, r - g, b - g, (0.1 + texture[cell].max(0.0)).ln()])
    };
    (0..grid.cells()).into_par_iter().map(of).collect()
}

/// The appearance of one side.
pub struct Look {
    parts: Vec<MixturePart>,
}

struct MixturePart {
    middle: Feature,
    /// Rotates and scales differences so that the sum of their squares is the exponent.
    inverse: SMatrix<f32, FEATURES, FEATURES>,
    /// Logarithm of the part's share and of the density at its centre.
    scale: f32,
}

impl Look {
    /// Learns the appearance from the cells whose weight is above one half; `None` where they are
    /// too few.
    pub fn learn(features: &[Feature], weights: &[f32]) -> Option<Self> {
        let mut cells: Vec<usize> = (0..features.len()).filter(|&i| weights[i] > 0.5).collect();
        if cells.len() < 20 * PARTS {
            return None;
        }
        let every = cells.len().div_ceil(LEARNED);
        cells = cells.into_iter().step_by(every).collect();
        // The first parts are cells of similar brightness.
        let mut order = cells.clone();
        order.sort_by(|a, b| features[*a][0].total_cmp(&features[*b][0]).then(a.cmp(b)));
        let mut shares = vec![[0.0f32; PARTS]; order.len()];
        for (i, share) in shares.iter_mut().enumerate() {
            share[i * PARTS / order.len()] = 1.0;
        }
        let mut look = Self { parts: parts(features, &order, &shares) };
        for _ in 0..ROUNDS {
            shares = order
                .par_iter()
                .map(|&cell| {
                    let logs = look.logs(&features[cell]);
                    let most = logs.iter().copied().fold(f32::MIN, f32::max);
                    let shares = logs.map(|log| (log - most).exp());
                    let sum: f32 = shares.iter().sum();
                    shares.map(|v| v / sum)
                })
                .collect();
            look = Self { parts: parts(features, &order, &shares) };
        }
        Some(look)
    }

    fn logs(&self, feature: &Feature) -> [f32; PARTS] {
        std::array::from_fn(|i| {
            self.parts.get(i).map_or(f32::MIN, |part| {
                let off = part.inverse * (feature - part.middle);
                part.scale - 0.5 * off.norm_squared()
            })
        })
    }

    /// Logarithm of the density of a feature.
    pub fn log(&self, feature: &Feature) -> f32 {
        let logs = self.logs(feature);
        let most = logs.iter().copied().fold(STRANGE, f32::max);
        let sum: f32 = logs.iter().map(|log| (log - most).exp()).sum();
        most + (sum + (STRANGE - most).exp()).ln()
    }
}

/// The mixture's parts, from the shares with which cells belong to them.
fn parts(features: &[Feature], cells: &[usize], shares: &[[f32; PARTS]]) -> Vec<MixturePart> {
    let one = |k: usize| {
        let weight: f32 = shares.iter().map(|share| share[k]).sum();
        if weight < 5.0 {
            return None;
        }
        let middle: Feature =
            cells.iter().zip(shares).map(|(&i, share)| features[i] * share[k]).sum::<Feature>()
                / weight;
        let mut spread = SMatrix::<f32, FEATURES, FEATURES>::zeros();
        for (&i, share) in cells.iter().zip(shares) {
            let off = features[i] - middle;
            spread += off * off.transpose() * share[k];
        }
        spread /= weight;
        for (f, least) in LEAST.iter().enumerate() {
            spread[(f, f)] += least * least;
        }
        let root = spread.cholesky()?;
        let inverse = root.l().try_inverse()?;
        let volume: f32 = (0..FEATURES).map(|f| root.l()[(f, f)].ln()).sum();
        let share = (weight / cells.len() as f32).ln();
        let scale = share - volume - 0.5 * FEATURES as f32 * std::f32::consts::TAU.ln();
        Some(MixturePart { middle, inverse, scale })
    };
    (0..PARTS).into_par_iter().filter_map(one).collect()
}
