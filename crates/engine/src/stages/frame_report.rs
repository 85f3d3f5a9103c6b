//! What the report says of single frames.

use crate::stages::align::note::StarFigures;
use crate::stages::combine::used::UsedFrame;
use crate::stages::frames::decoded::Decoded;
use jade_align::Aligned;
use jade_combine::normalise::Normalisation;
use jade_frames::FrameInput;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame};
use jade_plan::report::{ExposureReport, FrameReport};

/// How long the frames were exposed, if all that can be read tell it.
pub fn exposures(
    frames: &PerFrame<Given, Decoded>,
    used: &[FrameIndex<Given>],
) -> Option<ExposureReport> {
    let of = |frame: &Decoded| frame.as_ref().ok().map(|frame| frame.facts.exposure_s);
    let all: Option<Vec<f64>> = frames.iter().filter_map(of).collect();
    let of_used: Option<Vec<f64>> = used.iter().filter_map(|i| of(&frames[*i])).collect();
    let both = [all?, of_used?];
    if both.iter().any(Vec::is_empty) {
        return None;
    }
    let each = |figure: fn(&[f64]) -> f64| both.each_ref().map(|some| figure(some));
    Some(ExposureReport {
        total_s: each(|some| some.iter().sum()),
        longest_s: each(|some| some.iter().copied().fold(0.0, f64::max)),
        shortest_s: each(|some| some.iter().copied().fold(f64::INFINITY, f64::min)),
    })
}

/// The report of one frame: `part` is what it was in the result, with the share of its samples that
/// were rejected; `size` that of the reference frame.
pub fn frame_report(
    input: &FrameInput,
    aligned: &Aligned,
    stars: Option<StarFigures>,
    part: Option<(&UsedFrame, Option<f32>)>,
    (width, height): (u32, u32),
) -> FrameReport {
    let motion = aligned.motion.as_ref();
    let rows = |m: nalgebra::Matrix3<f64>| [0, 1, 2].map(|i| [m[(i, 0)], m[(i, 1)], m[(i, 2)]]);
    let level = part.map(|(used, _)| used.levels[1]).filter(|level| *level != Normalisation::NONE);
    FrameReport {
        file: input.name.clone(),
        content: input.id.there_or_gone(),
        used: motion.is_some(),
        reason: aligned.reason.clone(),
        model: motion.map(|m| m.model().to_owned()),
        motion: motion.cloned(),
        to_reference: motion.map(|m| rows(m.nearest_homography(width, height))),
        grid: motion.map_or(vec![], |m| m.grid(width, height, 17, 11)),
        rms_px: aligned.rms_px,
        matched: aligned.rms_px.map(|_| aligned.matched),
        stars: stars.map(|s| s.count),
        star_width_px: stars.and_then(|s| s.width),
        sky_level: stars.map(|s| s.level),
        weight: part.map_or(0.0, |(used, _)| used.weight),
        by_hand: aligned.by_hand,
        level: level.map(|l| [l.gain, l.offset]),
        rejected: part.and_then(|(_, share)| share),
        residuals: aligned.residuals.clone(),
    }
}
