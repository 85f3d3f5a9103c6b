//! The result of aligning, on stars or on the scene.

use jade_optics::camera::Lens;
use jade_optics::motion::Motion;
use jade_plan::PerFrame;
use serde::{Deserialize, Serialize};

/// The result for one frame.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Aligned {
    /// The motion, unless the frame is left out.
    pub motion: Option<Motion>,
    /// Why it is left out: one sentence.
    pub reason: Option<String>,
    /// Stars or patches of the scene matched with the reference frame.
    pub matched: usize,
    /// Root mean square distance of the matches in pixels, weighted by how well the position of
    /// each is known.
    pub rms_px: Option<f64>,
    /// Whether it was placed by pairs set by hand.
    pub by_hand: bool,
    /// Residuals of some matches, spread over the picture: `[X, Y, dX, dY]`, the position in the
    /// reference frame and the offset of the match, in pixels.
    pub residuals: Vec<[f32; 4]>,
}

impl Aligned {
    /// A frame that is combined as it lies.
    pub fn still() -> Self {
        Self { motion: Some(Motion::Still), ..Self::left_out(None) }
    }

    /// A frame that is left out.
    pub fn left_out(reason: Option<String>) -> Self {
        Self { motion: None, reason, matched: 0, rms_px: None, by_hand: false, residuals: vec![] }
    }
}

/// The result for all frames of a space.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(bound(serialize = "", deserialize = ""))]
pub struct Alignment<S> {
    /// The result for each frame.
    pub frames: PerFrame<S, Aligned>,
    /// The lens, where the camera model fitted best.
    pub lens: Option<Lens>,
    /// Covariances of the lens's values, from [`crate::camera::spread`].
    #[serde(default)]
    pub lens_spread: Option<[[f64; 3]; 3]>,
}

/// Up to 80 residuals `[X, Y, dX, dY]`, no two of them near each other; the first ones are
/// preferred.
pub fn spread_residuals(all: impl Iterator<Item = [f64; 4]>) -> Vec<[f32; 4]> {
    const MOST: usize = 80;
    let all: Vec<[f32; 4]> = all.map(|r| r.map(|v| v as f32)).collect();
    let far = |axis: usize| all.iter().map(|r| r[axis]).fold(0.0, f32::max);
    let apart = (far(0) * far(1) / MOST as f32).sqrt() * 0.7;
    let mut kept: Vec<[f32; 4]> = Vec::new();
    for one in all {
        let clear = kept.iter().all(|k| (k[0] - one[0]).hypot(k[1] - one[1]) > apart);
        if clear && kept.len() < MOST {
            kept.push(one);
        }
    }
    kept
}
