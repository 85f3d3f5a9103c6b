//! What frames were taken for, by what their files tell and what they show.

use super::measures::Measures;
use jade_optics::statistics::median;
use jade_pixels::facts::Facts;
use jade_plan::FrameRole;

/// Stars narrower than this in pixels are photosites that glow by themselves.
const NARROW: f32 = 1.6;
/// Fewer stars are none.
const FEW: u32 = 25;
/// Exposures as short as this in seconds show what the sensor adds in no time.
const NO_TIME: f64 = 1e-3;
/// Light of a frame that was taken with the lens cap on, at most.
const UNLIT: f32 = 0.012;
/// And as a share of that of frames of a scene which were exposed alike.
const DARKER: f32 = 0.6;
/// Light and detail of an evenly lit surface.
const LIT: std::ops::RangeInclusive<f32> = 0.08..=0.9;
const EVEN: f32 = 0.1;

/// For each frame what it seems to be for, and why, unless it shows a scene.
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

/// Whether nothing that came through a lens stands out.
fn is_empty(measures: &Measures) -> bool {
    measures.stars < FEW || measures.star_width_px.is_some_and(|width| width < NARROW)
}
