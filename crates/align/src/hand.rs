//! Motions from pairs of places that a person set by hand.

use jade_optics::homography::{self, Pair};
use jade_optics::motion::{Motion, apply};
use nalgebra::Matrix3;
use serde::{Deserialize, Serialize};

/// The motion that pairs set by hand define.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct HandFit {
    /// From the frame to the reference frame.
    pub motion: Matrix3<f64>,
    /// Distance of each pair under the motion, in pixels of the reference frame.
    pub off: Vec<f64>,
    /// Root mean square of those distances.
    pub rms_px: f64,
}

impl HandFit {
    /// Name of the motion's model.
    pub fn model(&self) -> &'static str {
        Motion::Homography(self.motion).model()
    }
}

/// The motion defined by pairs `[x, y, X, Y]` (frame, reference frame): a shift from one pair, a
/// similarity from two or three, a homography from four or more that are not on a line. `None`
/// without pairs, or where pairs contradict each other.
pub fn fit(pairs: &[[f64; 4]]) -> Option<HandFit> {
    let pairs: Vec<Pair> = pairs.iter().map(|&[x, y, to_x, to_y]| ([x, y], [to_x, to_y])).collect();
    let motion = match pairs.as_slice() {
        [] => return None,
        [(from, to)] => {
            Matrix3::new(1.0, 0.0, to[0] - from[0], 0.0, 1.0, to[1] - from[1], 0.0, 0.0, 1.0)
        }
        [_, _] | [_, _, _] => homography::fit_similarity(&pairs)?,
        _ => match homography::fit(&pairs, &vec![1.0; pairs.len()]) {
            Some(found) => found,
            None => homography::fit_similarity(&pairs)?,
        },
    };
    let distance = |(from, to): &Pair| {
        let [x, y] = apply(&motion, *from);
        (x - to[0]).hypot(y - to[1])
    };
    let off: Vec<f64> = pairs.iter().map(distance).collect();
    let rms_px = (off.iter().map(|d| d * d).sum::<f64>() / off.len() as f64).sqrt();
    rms_px.is_finite().then_some(HandFit { motion, off, rms_px })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pairs(places: &[[f64; 2]], truth: &Matrix3<f64>) -> Vec<[f64; 4]> {
        let mapped = places.iter().map(|&[x, y]| {
            let [to_x, to_y] = apply(truth, [x, y]);
            [x, y, to_x, to_y]
        });
        mapped.collect()
    }

    #[test]
    fn more_pairs_tell_more() {
        let shift = Matrix3::new(1.0, 0.0, 9.5, 0.0, 1.0, -4.0, 0.0, 0.0, 1.0);
        let turned = Matrix3::new(0.99, -0.1, 20.0, 0.1, 0.99, 5.0, 0.0, 0.0, 1.0);
        let tilted = Matrix3::new(1.02, -0.05, 8.0, 0.04, 0.98, 3.0, 1e-5, 2e-5, 1.0);
        let places = [[10.0, 12.0], [500.0, 40.0], [480.0, 390.0], [30.0, 350.0], [250.0, 200.0]];
        for (count, truth, model) in
            [(1, shift, "shift"), (2, turned, "similarity"), (5, tilted, "homography")]
        {
            let found = fit(&pairs(&places[..count], &truth)).unwrap();
            assert_eq!(found.model(), model);
            assert!((found.motion - truth).norm() < 1e-6 * truth.norm(), "{model}");
            assert!(found.rms_px < 1e-6);
        }
        assert_eq!(fit(&[]), None);
    }

    #[test]
    fn a_pair_that_disagrees_is_told_by_its_distance() {
        let turned = Matrix3::new(0.99, -0.1, 20.0, 0.1, 0.99, 5.0, 0.0, 0.0, 1.0);
        let places = [[10.0, 12.0], [500.0, 40.0], [480.0, 390.0]];
        let mut pairs = pairs(&places, &turned);
        pairs[1][2] += 30.0;
        let found = fit(&pairs).unwrap();
        assert!(found.off[1] > 5.0 && found.rms_px > 3.0, "{found:?}");
    }

    #[test]
    fn the_same_place_twice_tells_nothing() {
        assert_eq!(fit(&[[5.0, 5.0, 6.0, 6.0]; 3]), None);
    }
}
