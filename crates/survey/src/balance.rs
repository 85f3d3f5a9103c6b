//! Finds frames whose white balance differs from that of the others of their set.

use jade_optics::statistics::median;
use jade_pixels::facts::Facts;

/// Share by which a camera's grey differs between frames that it balanced alike.
const ALIKE: f32 = 0.015;

/// For each frame by what share the camera's grey is another than usual in the set; `None` where it
/// is the same, or not known.
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
