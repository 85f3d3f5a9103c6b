//! Strokes that are given by a fixed rule.

use jade_combine::mask::Mask;
use jade_plan::{Paint, Stroke};

/// Where the mask is wrong in the largest piece, the pixel furthest inside it and how far that is.
fn worst_place(mask: &Mask, truth: &[f32]) -> Option<([f32; 2], f32, bool)> {
    let (width, height) = (mask.size().0 as usize, mask.size().1 as usize);
    let wrong: Vec<bool> = mask
        .shares()
        .iter()
        .zip(truth)
        .map(|(share, truth)| (f32::from(*share) / 255.0 - truth).abs() > 0.5)
        .collect();
    // Distances to what is right, by city blocks.
    let mut far: Vec<u32> =
        wrong.iter().map(|wrong| if *wrong { u32::MAX / 2 } else { 0 }).collect();
    for i in 0..far.len() {
        let left = if i % width > 0 { far[i - 1] } else { 0 };
        let above = if i >= width { far[i - width] } else { 0 };
        far[i] = far[i].min(left + 1).min(above + 1);
    }
    for i in (0..far.len()).rev() {
        let right = if i % width + 1 < width { far[i + 1] } else { 0 };
        let below = if i / width + 1 < height { far[i + width] } else { 0 };
        far[i] = far[i].min(right + 1).min(below + 1);
    }
    let place = (0..far.len()).max_by_key(|&i| far[i])?;
    let at = [(place % width) as f32, (place / width) as f32];
    (far[place] > 1).then_some((at, far[place] as f32, truth[place] > 0.5))
}

/// The rule by which strokes are given: a dot where the mask is wrong furthest from what is right,
/// half as wide as it is wrong there.
pub fn next_stroke(mask: &Mask, truth: &[f32]) -> Option<Stroke> {
    let ([x, y], far, sky) = worst_place(mask, truth)?;
    let paint = if sky { Paint::SkyStroke } else { Paint::GroundStroke };
    Some(Stroke { paint, points: vec![[x, y, (far / 2.0).max(1.0)]], soft: 0.0 })
}
