//! Finds out what frames were taken for, from the facts in their files and their measures.

use super::measures::Measures;
use jade_optics::statistics::median;
use jade_pixels::facts::Facts;
use jade_plan::FrameRole;

/// Width in pixels below which stars are hot photosites.
const NARROW: f32 = 1.6;
/// Number of stars below which a frame shows none.
const FEW: u32 = 25;
/// Longest exposure of a bias frame, in seconds.
const NO_TIME: f64 = 1e-3;
/// Most light of a frame taken with the lens cap on.
const UNLIT: f32 = 0.012;
/// Most light of such a frame, relative to scene frames of the same exposure.
const DARKER: f32 = 0.6;
/// Light and detail of an evenly lit surface.
const LIT: std::ops::RangeInclusive<f32> = 0.08..=0.9;
const EVEN: f32 = 0.1;

/// For each frame its role and why, unless it shows a scene.
pub fn seems(frames: &[(&Facts, &Measures)]) -> Vec<Option<(FrameRole, &'static str)>> {
    let scene_level = |exposure: &Facts| {
        let mut levels: Vec<f32> = frames
            .iter()
            .filter(|(facts, m)| {
                crate::judge::taken_alike(facts, exposure) && m.stars >= FEW && !is_empty(m)
            })
            .map(|(_, m)| m.level)
            .collect();
        (!levels.is_empty()).then(|| median(&mut levels))
    };
    frames
        .iter()
        .map(|(facts, measures)| {
            let short = facts.exposure_s.is_some_and(|s| s <= NO_TIME);
            let unlit = measures.level < UNLIT && measures.clipped < 1e-3;
            let darker = scene_level(facts).is_none_or(|level| measures.level < DARKER * level);
            if is_empty(measures) && LIT.contains(&measures.level) && measures.sharpness < EVEN {
                Some((FrameRole::Flat, "evenly lit, without any detail"))
            } else if is_empty(measures) && unlit && short {
                Some((FrameRole::Bias, "no light, and hardly any time"))
            } else if is_empty(measures) && darker && unlit {
                Some((FrameRole::Dark, "no light came through the lens"))
            } else {
                None
            }
        })
        .collect()
}

/// Whether nothing imaged by the lens stands out.
fn is_empty(measures: &Measures) -> bool {
    measures.stars < FEW || measures.star_width_px.is_some_and(|width| width < NARROW)
}
