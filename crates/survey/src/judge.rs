//! Finds spoiled frames: those that differ from the frames taken around them.

use super::measures::Measures;
use crate::balance;
use jade_optics::statistics::{median, robust_sigma};
use jade_pixels::facts::Facts;
use jade_plan::Kind;
use serde::{Deserialize, Serialize};

/// A frame that is better left out, and why.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Doubt {
    /// Its index among the judged frames.
    pub frame: u32,
    /// One sentence.
    pub reason: String,
}

/// Frames on either side that a frame is compared with.
const NEAR: usize = 4;
/// Fewest frames taken alike that are judged.
const FEWEST: usize = 5;
/// Standard deviations of the usual difference from which a frame stands out.
const FAR: f32 = 3.0;
/// Lower limit of figures, so that their logarithm is finite.
const LEAST: f32 = 1e-6;
/// Fewest stars that make a sky.
pub(super) const SKY: f32 = 25.0;

/// The difference of a measure that speaks against a frame.
struct Rule {
    value: fn(&Measures) -> Option<f32>,
    /// Share of the expected value below which a frame is spoiled; 0 for none.
    below: f32,
    /// Share of the expected value above which a frame is spoiled; 0 for none.
    above: f32,
    /// Standard error of the measure as a share of it, besides its usual variation.
    error: fn(&Measures) -> f32,
    /// Whether the neighbours must show a sky, or must not; `None` for either.
    sky: Option<bool>,
    tell: fn(f32, f32) -> String,
}

const RULES: [Rule; 9] = [
    Rule {
        value: |m| Some(m.stars as f32),
        below: 0.6,
        above: f32::INFINITY,
        error: |_| 0.0,
        sky: Some(true),
        tell: |value, near| {
            format!(
                "It shows {value:.0} stars where its neighbours show {near:.0}: cloud, or moved while it was taken."
            )
        },
    },
    Rule {
        value: |m| m.star_width_px,
        below: 0.0,
        above: 1.3,
        error: |m| m.star_width_error_px.unwrap_or(0.0) / m.star_width_px.unwrap_or(1.0),
        sky: Some(true),
        tell: |value, near| {
            format!(
                "Its stars are {value:.1} px wide, its neighbours' {near:.1} px: out of focus, or moved while it was taken."
            )
        },
    },
    Rule {
        value: |m| m.roundness,
        below: 0.75,
        above: f32::INFINITY,
        error: |_| 0.0,
        sky: Some(true),
        tell: |_, _| {
            "Its stars are drawn out, its neighbours' are round: the camera moved.".to_owned()
        },
    },
    Rule {
        value: |m| Some(1.0 - m.doubled),
        below: 0.7,
        above: f32::INFINITY,
        error: |_| 0.0,
        sky: Some(true),
        tell: |_, _| "Its stars are double: the camera was bumped while it was taken.".to_owned(),
    },
    Rule {
        value: |m| Some(m.level),
        below: 0.0,
        above: 1.5,
        error: |_| 0.0,
        sky: None,
        tell: |value, near| {
            format!(
                "It is {:.1} times as bright as its neighbours: a light, or a cloud that is lit.",
                value / near
            )
        },
    },
    Rule {
        value: |m| Some(m.level),
        below: 0.6,
        above: f32::INFINITY,
        error: |_| 0.0,
        sky: None,
        tell: |value, near| {
            format!(
                "It has {:.0} % of its neighbours' light: something was before the lens.",
                100.0 * value / near
            )
        },
    },
    Rule {
        value: |m| m.colour.map(|[red, _]| red),
        below: 0.87,
        above: 1.15,
        error: |_| 0.0,
        sky: None,
        tell: |value, near| tell_colour("red", value / near),
    },
    Rule {
        value: |m| m.colour.map(|[_, blue]| blue),
        below: 0.87,
        above: 1.15,
        error: |_| 0.0,
        sky: None,
        tell: |value, near| tell_colour("blue", value / near),
    },
    Rule {
        value: |m| Some(m.sharpness),
        below: 0.6,
        above: f32::INFINITY,
        error: |_| 0.0,
        sky: Some(false),
        tell: |value, near| {
            format!(
                "Its details have {:.0} % of its neighbours' contrast: moved, or out of focus.",
                100.0 * value / near
            )
        },
    },
];

fn tell_colour(colour: &str, factor: f32) -> String {
    format!(
        "Its {colour} is {factor:.2} times as strong as its neighbours': another white balance or another light."
    )
}

/// Judges frames in the order they were taken. Frames exposed alike are compared with one another.
/// A frame is spoiled if it differs both by a share that matters and by far more than the others
/// differ among themselves. In a focus sweep each frame is sharp elsewhere, and what looks like
/// stars is not; so only light and colour are judged.
pub fn spoiled(frames: &[(&Facts, &Measures)], kind: Kind) -> Vec<Doubt> {
    let mut doubts: Vec<Doubt> = Vec::new();
    let mut judged = vec![false; frames.len()];
    for first in 0..frames.len() {
        if judged[first] {
            continue;
        }
        let alike: Vec<usize> =
            (first..frames.len()).filter(|&i| taken_alike(frames[first].0, frames[i].0)).collect();
        alike.iter().for_each(|&i| judged[i] = true);
        if alike.len() < FEWEST {
            continue;
        }
        let apart = balance::apart(alike.iter().map(|&i| frames[i].0));
        // Another white balance of a raw frame spoils nothing, because all frames can be given the
        // same one.
        let with_apart = |(&i, apart): (&usize, &Option<f32>)| Measures {
            colour: frames[i].1.colour.filter(|_| apart.is_none()),
            ..frames[i].1.clone()
        };
        let set: Vec<Measures> = alike.iter().zip(&apart).map(with_apart).collect();
        for (place, reason) in spoiled_of(&set.iter().collect::<Vec<_>>(), kind) {
            doubts.push(Doubt { frame: alike[place] as u32, reason });
        }
    }
    doubts.sort_by_key(|doubt| doubt.frame);
    doubts
}

/// Whether two frames were exposed in the same way.
pub(super) fn taken_alike(a: &Facts, b: &Facts) -> bool {
    let near = |a: Option<f64>, b: Option<f64>| match (a, b) {
        (Some(a), Some(b)) => (a - b).abs() <= 0.04 * a.abs().max(b.abs()),
        (None, None) => true,
        _ => false,
    };
    near(a.exposure_s, b.exposure_s)
        && a.iso == b.iso
        && near(a.aperture, b.aperture)
        && near(a.focal_mm, b.focal_mm)
        && (a.width, a.height) == (b.width, b.height)
}

/// The first reason against each frame of a set that has one.
fn spoiled_of(set: &[&Measures], kind: Kind) -> Vec<(usize, String)> {
    let mut found: Vec<(usize, String)> = Vec::new();
    let stars_near: Vec<f32> = (0..set.len())
        .map(|i| neighbours(set, i, |m| Some(m.stars as f32)).unwrap_or(0.0))
        .collect();
    for rule in RULES.iter().filter(|rule| rule.sky.is_none() || kind.rules().judges_stars) {
        let near: Vec<Option<f32>> =
            (0..set.len()).map(|i| neighbours(set, i, rule.value)).collect();
        // Usual deviation of frames from their neighbours, as a share.
        let ratios: Vec<f32> = set
            .iter()
            .zip(&near)
            .filter_map(|(m, near)| Some((rule.value)(m)?.max(LEAST) / (*near)?))
            .collect();
        if ratios.is_empty() {
            continue;
        }
        let usual = robust_sigma(&ratios, 1.0);
        for (place, (measures, near)) in set.iter().zip(&near).enumerate() {
            let sky = stars_near[place] >= SKY;
            let (Some(value), Some(near)) = ((rule.value)(measures), near.filter(|n| *n > 0.0))
            else {
                continue;
            };
            let ratio = value / near;
            let off = ratio < rule.below || ratio > rule.above;
            if off
                && rule.sky.is_none_or(|wanted| wanted == sky)
                && (ratio - 1.0).abs() > FAR * usual.hypot((rule.error)(measures))
                && found.iter().all(|(other, _)| *other != place)
            {
                found.push((place, (rule.tell)(value, near)));
            }
        }
    }
    found
}

/// The expected measure of a frame from its neighbours: on the straight line through the logarithms
/// of theirs, with the median of all slopes (Theil 1950), because dusk falls evenly.
fn neighbours(
    set: &[&Measures],
    place: usize,
    value: impl Fn(&Measures) -> Option<f32>,
) -> Option<f32> {
    // Equally many on both sides if there are; at the ends, more of the other side.
    let width = 2 * NEAR + 1;
    let from = place.saturating_sub(NEAR).min(set.len().saturating_sub(width));
    let near: Vec<(f32, f32)> = (from..set.len().min(from + width))
        .filter(|&i| i != place)
        .filter_map(|i| Some((i as f32 - place as f32, value(set[i])?.max(LEAST).ln())))
        .collect();
    let pairs = near.iter().enumerate().flat_map(|(i, a)| near[..i].iter().map(move |b| (a, b)));
    let mut slopes: Vec<f32> = pairs.map(|(a, b)| (a.1 - b.1) / (a.0 - b.0)).collect();
    let slope = if slopes.is_empty() { 0.0 } else { median(&mut slopes) };
    let mut here: Vec<f32> = near.iter().map(|(x, v)| v - slope * x).collect();
    (!here.is_empty()).then(|| median(&mut here).exp())
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_pixels::facts::FileFormat;
    use proptest::prelude::*;

    fn sky(i: usize) -> Measures {
        // Measures that vary a little from frame to frame.
        let waver = |by: usize| 1.0 + 0.02 * ((i * by % 7) as f32 - 3.0) / 3.0;
        Measures {
            stars: (900.0 * waver(3)) as u32,
            star_width_px: Some(2.2 * waver(5)),
            star_width_error_px: Some(0.05),
            roundness: Some(0.92 * waver(2)),
            level: 0.04 * waver(4),
            sharpness: 0.3 * waver(6),
            clipped: 0.0,
            doubled: 0.0,
            colour: Some([1.1 * waver(3), 0.9 * waver(2)]),
            ..Measures::default()
        }
    }

    fn facts() -> Facts {
        let bare = Facts::bare(FileFormat::Tiff, 300, 200, 16);
        Facts { exposure_s: Some(8.0), iso: Some(3200), ..bare }
    }

    fn judge(measures: &[Measures]) -> Vec<Doubt> {
        judge_as(measures, Kind::NightSky)
    }

    fn judge_as(measures: &[Measures], kind: Kind) -> Vec<Doubt> {
        let facts = facts();
        spoiled(&measures.iter().map(|m| (&facts, m)).collect::<Vec<_>>(), kind)
    }

    #[test]
    fn a_cloud_a_blur_and_a_lamp_are_each_told_with_their_reason() {
        let mut all: Vec<Measures> = (0..14).map(sky).collect();
        assert_eq!(judge(&all), [], "nothing is wrong with these");
        all[2].stars = 400;
        all[7].star_width_px = Some(3.4);
        all[9].doubled = 0.8;
        all[11].colour = Some([1.4, 0.9]);
        all[13].level = 0.09;
        let said = judge(&all);
        let places: Vec<u32> = said.iter().map(|p| p.frame).collect();
        assert_eq!(places, [2, 7, 9, 11, 13]);
        assert!(said[2].reason.contains("double"), "{}", said[2].reason);
        assert!(said[3].reason.contains("red is 1.2"), "{}", said[3].reason);
        assert!(said[0].reason.contains("400 stars"), "{}", said[0].reason);
        assert!(said[1].reason.contains("3.4 px wide"), "{}", said[1].reason);
        assert!(said[4].reason.contains("2.2 times as bright"), "{}", said[4].reason);
    }

    #[test]
    fn frames_exposed_otherwise_are_not_compared() {
        let (short, length) = (facts(), Facts { exposure_s: Some(60.0), ..facts() });
        let skies: Vec<Measures> = (0..6).map(sky).collect();
        let bright = |i: usize| Measures { level: 0.3, stars: 2500, ..sky(i) };
        let grounds: Vec<Measures> = (0..6).map(bright).collect();
        let mixed: Vec<(&Facts, &Measures)> = skies
            .iter()
            .zip(&grounds)
            .flat_map(|(sky, ground)| [(&short, sky), (&length, ground)])
            .collect();
        assert_eq!(spoiled(&mixed, Kind::NightSky), []);
    }

    #[test]
    fn only_light_and_colour_speak_against_frames_of_a_sweep() {
        let mut all: Vec<Measures> = (0..14).map(sky).collect();
        all[2].stars = 400;
        all[9].doubled = 0.8;
        all[11].colour = Some([1.4, 0.9]);
        all[13].level = 0.09;
        let bare = Measures { stars: 5, sharpness: 0.1, ..sky(5) };
        all[4..7].fill(bare);
        let places: Vec<u32> =
            judge_as(&all, Kind::FocusSweep).iter().map(|doubt| doubt.frame).collect();
        assert_eq!(places, [11, 13]);
    }

    #[test]
    fn a_twilight_that_fades_is_no_reason() {
        let fading = |i: usize| Measures {
            level: 0.3 * 0.9f32.powi(i as i32),
            stars: 300 + 60 * i as u32,
            ..sky(i)
        };
        assert_eq!(judge(&(0..20).map(fading).collect::<Vec<_>>()), []);
    }

    #[test]
    fn without_stars_details_decide() {
        let scene =
            |i: usize| Measures { stars: 4, star_width_px: None, roundness: None, ..sky(i) };
        let mut all: Vec<Measures> = (0..8).map(scene).collect();
        assert_eq!(judge(&all), []);
        all[3].sharpness = 0.1;
        let said = judge(&all);
        assert_eq!(said.len(), 1);
        assert!(said[0].frame == 3 && said[0].reason.contains("33 %"), "{said:?}");
    }

    proptest! {
        /// Whatever the measures are, equal frames are never doubted, and no frame twice.
        #[test]
        fn frames_that_are_all_alike_stay(
            stars in 0u32..6000, level in 0.0f32..1.0, sharpness in 0.0f32..3.0, count in 1usize..30,
        ) {
            let one = Measures {
                stars, level, sharpness, star_width_px: Some(2.0),
                star_width_error_px: None, roundness: Some(0.9), clipped: 0.1, doubled: 0.1,
                ..Measures::default()
            };
            prop_assert_eq!(judge(&vec![one; count]), []);
        }
    }
}
