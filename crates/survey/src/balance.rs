//! Finds frames whose white balance differs from that of the others of their set.

use jade_optics::statistics::median;
use jade_pixels::facts::Facts;

/// Largest share by which a camera's raw grey differs between frames of one white balance.
const ALIKE: f32 = 0.015;

/// For each frame, the share by which the camera's raw grey differs from the usual one of the set;
/// `None` if it does not, or is unknown.
pub fn apart<'a>(facts: impl Iterator<Item = &'a Facts> + Clone) -> Vec<Option<f32>> {
    let grey = |channel: usize| {
        let mut all: Vec<f32> =
            facts.clone().filter_map(|facts| facts.neutral).map(|grey| grey[channel]).collect();
        (!all.is_empty()).then(|| median(&mut all))
    };
    let (Some(red), Some(blue)) = (grey(0), grey(2)) else {
        return facts.map(|_| None).collect();
    };
    let off = |grey: [f32; 3]| (grey[0] / red - 1.0).abs().max((grey[2] / blue - 1.0).abs());
    facts.map(|facts| facts.neutral.map(off).filter(|off| *off > ALIKE)).collect()
}
