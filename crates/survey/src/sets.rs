//! Proposes sets: frames of a card that were taken alike for one purpose.

use super::judge::{SKY, taken_alike};
use super::measures::Measures;
use super::sort;
use jade_frames::exposure;
use jade_optics::statistics::median;
use jade_pixels::facts::Facts;
use jade_plan::{FrameRole, Kind};
use serde::{Deserialize, Serialize};

/// What the frames of a set were taken for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Purpose {
    /// The night sky, aligned on the stars.
    Sky,
    /// The ground below the sky, exposed for more light or less noise.
    Ground,
    /// One scene in steps of exposure.
    Bracket,
    /// One scene in steps of focus.
    Focus,
    /// One scene, repeated.
    Scene,
    /// Darks for calibration.
    Dark,
    /// Flats for calibration.
    Flat,
    /// Biases for calibration.
    Bias,
}

/// Frames that seem to belong together.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ProposedSet {
    /// What they were taken for.
    pub purpose: Purpose,
    /// A name that no other proposed set has.
    pub name: String,
    /// Their indices among the judged frames.
    pub frames: Vec<u32>,
    /// Half a sentence.
    pub reason: String,
}

/// A pause this many times as long as the usual one ends a sequence, unless it is shorter than
/// [`LONG_PAUSE_S`].
const PAUSE: i64 = 10;
/// Least length of a pause that ends a sequence, in seconds.
const LONG_PAUSE_S: i64 = 600;
/// Least share of steps from frame to frame at which the exposure changes in a bracket.
const STEPPING: f32 = 0.6;

/// Proposes sets for frames in the order they were taken; every frame is in exactly one. Lights
/// exposed alike without a long pause form a set; the largest one with stars is the sky.
pub fn propose(frames: &[(&Facts, &Measures)]) -> Vec<ProposedSet> {
    let mut seems = sort::seems(frames);
    // The first and last planes of a sweep may be as blurred as a flat.
    let lit = |i: usize| seems[i].is_none_or(|(shows, _)| shows == FrameRole::Flat);
    for group in alike(frames, &lit) {
        if focus_moves(&details(&group, frames)) {
            group.iter().for_each(|&i| seems[i] = None);
        }
    }
    let shows = |i: usize| seems[i].map(|(shows, _)| shows);
    let mut sets = bring_together(light_groups(frames, &|i| shows(i).is_none()), frames);
    for (kind, purpose) in [
        (FrameRole::Dark, Purpose::Dark),
        (FrameRole::Flat, Purpose::Flat),
        (FrameRole::Bias, Purpose::Bias),
    ] {
        for group in alike(frames, &|i| shows(i) == Some(kind)) {
            let reason = seems[group[0]].map_or("", |(_, reason)| reason).to_owned();
            let name = match kind {
                FrameRole::Dark => format!("Darks{}", told_exposure(frames[group[0]].0)),
                FrameRole::Flat => "Flats".to_owned(),
                FrameRole::Bias => "Biases".to_owned(),
            };
            sets.push(proposed(purpose, name, &group, reason));
        }
    }
    name_apart(&mut sets, frames);
    sets
}

/// The kind that a shoot seems to be instead of its present one, and half a sentence why.
pub fn other_kind(sets: &[ProposedSet], said: Kind) -> Option<(Kind, &'static str)> {
    let has = |purpose| sets.iter().any(|set| set.purpose == purpose);
    if said.rules().has_planes {
        return None;
    }
    match (said.rules().is_of_the_sky, has(Purpose::Sky)) {
        (_, false) if has(Purpose::Focus) => {
            Some((Kind::FocusSweep, "what is sharp moves through the frames"))
        }
        (false, true) => Some((Kind::NightSky, "most frames show stars")),
        (true, false) if [Purpose::Scene, Purpose::Bracket].into_iter().any(has) => {
            Some((Kind::LowLightBurst, "hardly any frame shows stars"))
        }
        _ => None,
    }
}

fn proposed(purpose: Purpose, name: String, group: &[usize], reason: String) -> ProposedSet {
    ProposedSet { purpose, name, frames: group.iter().map(|&i| i as u32).collect(), reason }
}

/// Groups of those frames that `wanted` selects, by exposure, in the order of their first frames.
fn alike(frames: &[(&Facts, &Measures)], wanted: &dyn Fn(usize) -> bool) -> Vec<Vec<usize>> {
    let mut groups: Vec<Vec<usize>> = Vec::new();
    for i in (0..frames.len()).filter(|&i| wanted(i)) {
        match groups.iter_mut().find(|group| taken_alike(frames[group[0]].0, frames[i].0)) {
            Some(group) => group.push(i),
            None => groups.push(vec![i]),
        }
    }
    groups
}

/// Lights grouped by exposure and divided at long pauses.
fn light_groups(
    frames: &[(&Facts, &Measures)],
    wanted: &dyn Fn(usize) -> bool,
) -> Vec<(Vec<usize>, bool)> {
    let groups = alike(frames, wanted);
    let stepping = is_stepping(&groups, frames);
    if stepping {
        let mut all: Vec<usize> = groups.concat();
        all.sort_unstable();
        return vec![(all, true)];
    }
    groups.into_iter().flat_map(|group| at_pauses(group, frames)).map(|g| (g, false)).collect()
}

/// Whether frames of one scene differ in exposure only, and do so from frame to frame.
fn is_stepping(groups: &[Vec<usize>], frames: &[(&Facts, &Measures)]) -> bool {
    let mut order: Vec<(usize, usize)> = groups
        .iter()
        .enumerate()
        .flat_map(|(group, members)| members.iter().map(move |&i| (i, group)))
        .collect();
    order.sort_unstable();
    let first = groups.first().map(|group| frames[group[0]].0);
    let only_exposure = groups.iter().all(|group| {
        let (facts, like) = (frames[group[0]].0, first.expect("there is one"));
        facts.exposure_s.is_some()
            && taken_alike(&Facts { exposure_s: like.exposure_s, ..facts.clone() }, like)
    });
    let changes = order.windows(2).filter(|pair| pair[0].1 != pair[1].1).count();
    groups.len() > 1
        && order.len() > 2
        && only_exposure
        && changes as f32 >= STEPPING * (order.len() - 1) as f32
}

/// Divides frames where the camera paused for much longer than usual.
fn at_pauses(group: Vec<usize>, frames: &[(&Facts, &Measures)]) -> Vec<Vec<usize>> {
    let Some(taken) = group.iter().map(|&i| frames[i].0.taken_s()).collect::<Option<Vec<_>>>()
    else {
        return vec![group];
    };
    let mut pauses: Vec<i64> = taken.windows(2).map(|pair| pair[1] - pair[0]).collect();
    let steps = pauses.clone();
    pauses.sort_unstable();
    let usual = pauses.get(pauses.len() / 2).copied().unwrap_or(0);
    let long_pause = (PAUSE * usual).max(LONG_PAUSE_S);
    let mut parts = vec![vec![group[0]]];
    for (&frame, &step) in group[1..].iter().zip(&steps) {
        match step > long_pause {
            true => parts.push(vec![frame]),
            false => parts.last_mut().expect("there is one").push(frame),
        }
    }
    parts
}

/// Names the purposes of groups of lights.
fn bring_together(
    groups: Vec<(Vec<usize>, bool)>,
    frames: &[(&Facts, &Measures)],
) -> Vec<ProposedSet> {
    let stars_of = |group: &[usize]| {
        let mut stars: Vec<f32> = group.iter().map(|&i| frames[i].1.stars as f32).collect();
        median(&mut stars)
    };
    let sky = groups
        .iter()
        .enumerate()
        .filter(|(_, (group, stepping))| !stepping && stars_of(group) >= SKY)
        .max_by_key(|(place, (group, _))| (group.len(), std::cmp::Reverse(*place)))
        .map(|(place, _)| place);
    let like = sky.map(|sky| frames[groups[sky].0[0]].0);
    let mut sets: Vec<ProposedSet> = groups
        .iter()
        .enumerate()
        .map(|(place, (group, stepping))| {
            let facts = frames[group[0]].0;
            let exposed = exposure::setting(facts);
            if *stepping {
                let seconds = group.iter().filter_map(|&i| frames[i].0.exposure_s);
                let (low, high) =
                    seconds.fold((f64::MAX, f64::MIN), |(low, high), s| (low.min(s), high.max(s)));
                let reason = format!(
                    "exposures step from {} to {}",
                    exposure::seconds(low),
                    exposure::seconds(high)
                );
                return proposed(Purpose::Bracket, "Bracket".to_owned(), group, reason);
            }
            if Some(place) == sky {
                let stars = stars_of(group);
                let reason = format!("{exposed}about {stars:.0} stars in each");
                return proposed(Purpose::Sky, "Sky".to_owned(), group, reason);
            }
            if focus_moves(&details(group, frames)) {
                let reason = "what is sharp moves through the picture".to_owned();
                return proposed(Purpose::Focus, "Focal planes".to_owned(), group, reason);
            }
            match like.and_then(|sky| for_ground(facts, sky)) {
                Some(reason) => proposed(Purpose::Ground, "Ground".to_owned(), group, reason),
                None => {
                    let reason = match exposed.trim_end_matches(", ") {
                        "" => "taken alike".to_owned(),
                        exposed => exposed.to_owned(),
                    };
                    proposed(Purpose::Scene, "Lights".to_owned(), group, reason)
                }
            }
        })
        .collect();
    // The frames to be stacked come first.
    sets.sort_by_key(|set| set.purpose != Purpose::Sky);
    sets
}

fn details<'a>(group: &[usize], frames: &[(&Facts, &'a Measures)]) -> Vec<&'a [f32]> {
    group.iter().map(|&i| &frames[i].1.detail[..]).collect()
}

/// Whether frames are sharp in one part after another, by the contrast in parts of each. A part
/// that is blurred in a few frames only, as by a shake, or that changes as somebody walks through,
/// does not count.
fn focus_moves(details: &[&[f32]]) -> bool {
    const FEWEST: usize = 4;
    /// Contrast of the sharpest over that of the usual frame.
    const STANDS_OUT: f32 = 1.4;
    /// Contrast below which a part is plain.
    const PLAIN: f32 = 0.02;
    let cells = details.first().map_or(0, |detail| detail.len());
    if details.len() < FEWEST || cells == 0 || details.iter().any(|values| values.len() != cells) {
        return false;
    }
    let (mut seen, mut peaks) = (0, Vec::new());
    for cell in 0..cells {
        let mut over: Vec<f32> = details.iter().map(|detail| detail[cell]).collect();
        let peak = (0..over.len()).max_by(|a, b| over[*a].total_cmp(&over[*b])).unwrap_or(0);
        let most = over[peak];
        if most < PLAIN {
            continue;
        }
        seen += 1;
        if most > STANDS_OUT * median(&mut over).max(PLAIN / 2.0) {
            peaks.push(peak);
        }
    }
    peaks.sort_unstable();
    let tenth = peaks.len() / 10;
    let apart = peaks.last().map_or(0, |_| peaks[peaks.len() - 1 - tenth] - peaks[tenth]);
    peaks.len() >= 3 && peaks.len() * 5 >= seen * 2 && apart >= (details.len() / 4).max(2)
}

/// Why an exposure through the same lens suits the ground better than that of the sky.
fn for_ground(facts: &Facts, sky: &Facts) -> Option<String> {
    let through = |a: &Facts| {
        let focal = a.focal_mm.map(f64::round);
        (focal.map(|mm| mm as i64), a.width.max(a.height), a.width.min(a.height))
    };
    if through(facts) != through(sky) {
        return None;
    }
    let longer = facts.exposure_s? / sky.exposure_s?;
    let less = f64::from(sky.iso.unwrap_or(1)) / f64::from(facts.iso.or(sky.iso).unwrap_or(1));
    let open = match (facts.aperture, sky.aperture) {
        (Some(set_iso), Some(sky)) => (sky / set_iso).powi(2),
        _ => 1.0,
    };
    let brighter = longer * open;
    let iso = match (facts.iso, sky.iso) {
        (Some(set_iso), Some(sky)) if set_iso < sky => format!(", ISO {set_iso} instead of {sky}"),
        _ => String::new(),
    };
    // More light reaches the sensor, and not more of it is clipped than is gained.
    (brighter > 1.3)
        .then(|| match longer > 1.3 {
            true => format!("exposed {} times as long as the sky{iso}", round(longer)),
            false => format!("{} times the sky's light{iso}", round(brighter)),
        })
        .filter(|_| less > 0.3)
}

fn round(factor: f64) -> String {
    if factor < 3.0 { format!("{factor:.1}") } else { format!("{factor:.0}") }
}

/// The exposure as a suffix for names, such as ` 8 s`, if it is known.
fn told_exposure(facts: &Facts) -> String {
    facts.exposure_s.map(|s| format!(" {}", exposure::seconds(s))).unwrap_or_default()
}

/// Makes equal names distinct by adding what differs.
fn name_apart(sets: &mut [ProposedSet], frames: &[(&Facts, &Measures)]) {
    let facts = |set: &ProposedSet| frames[set.frames[0] as usize].0.clone();
    let tells: [fn(&Facts) -> Option<String>; 4] = [
        |f| f.focal_mm.map(|mm| format!("{mm:.0} mm")),
        |f| f.exposure_s.map(exposure::seconds),
        |f| f.iso.map(|iso| format!("ISO {iso}")),
        |f| f.taken.as_ref().and_then(|t| t.get(11..16)).map(|t| format!("from {t}")),
    ];
    for tell in tells {
        let names: Vec<String> = sets.iter().map(|set| set.name.clone()).collect();
        for place in 0..sets.len() {
            let suffix = tell(&facts(&sets[place]));
            let differs = (0..sets.len())
                .any(|i| names[i] == names[place] && tell(&facts(&sets[i])) != suffix);
            if let (true, Some(suffix)) = (differs, suffix)
                && !sets[place].name.ends_with(&suffix)
            {
                sets[place].name.push_str(&format!(" {suffix}"));
            }
        }
    }
    let names: Vec<String> = sets.iter().map(|set| set.name.clone()).collect();
    for place in 0..sets.len() {
        let before = names[..place].iter().filter(|name| **name == names[place]).count();
        if before > 0 {
            sets[place].name.push_str(&format!(" {}", before + 1));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_pixels::facts::FileFormat;
    use proptest::prelude::*;

    fn facts(exposure_s: f64, iso: u32, second: u32) -> Facts {
        let (minute, second) = (second / 60, second % 60);
        let (hour, minute) = (20 + minute / 60, minute % 60);
        Facts {
            exposure_s: Some(exposure_s),
            iso: Some(iso),
            focal_mm: Some(20.0),
            taken: Some(format!("2026-03-14 {hour:02}:{minute:02}:{second:02}")),
            ..Facts::bare(FileFormat::Raw, 300, 200, 14)
        }
    }

    fn shows(stars: u32, level: f32) -> Measures {
        Measures {
            stars,
            star_width_px: (stars > 0).then_some(2.2),
            level,
            sharpness: 0.4,
            ..Measures::default()
        }
    }

    fn proposals(frames: &[(Facts, Measures)]) -> Vec<(Purpose, String, usize)> {
        let frames: Vec<(&Facts, &Measures)> = frames.iter().map(|(f, m)| (f, m)).collect();
        let sets = propose(&frames).into_iter();
        sets.map(|set| (set.purpose, set.name, set.frames.len())).collect()
    }

    #[test]
    fn a_second_sequence_and_another_lens_are_sets_of_their_own() {
        let mut frames = Vec::new();
        frames.extend((0..9).map(|i| (facts(8.0, 3200, i * 12), shows(700, 0.04))));
        frames.extend((0..5).map(|i| (facts(8.0, 3200, 4000 + i * 12), shows(650, 0.04))));
        let tele = |i: u32| Facts { focal_mm: Some(85.0), ..facts(2.0, 6400, 6000 + i * 4) };
        frames.extend((0..4).map(|i| (tele(i), shows(300, 0.03))));
        let wanted = [
            (Purpose::Sky, "Sky".to_owned(), 9),
            (Purpose::Scene, "Lights 20 mm 8 s ISO 3200 from 21:06".to_owned(), 5),
            (Purpose::Scene, "Lights 85 mm 2 s ISO 6400 from 21:40".to_owned(), 4),
        ];
        let found = proposals(&frames);
        assert_eq!(found.len(), 3, "{found:?}");
        for (found, wanted) in found.iter().zip(&wanted) {
            assert_eq!((found.0, found.2), (wanted.0, wanted.2), "{found:?}");
        }
        assert!(found[2].1.contains("85 mm"), "{found:?}");
    }

    #[test]
    fn exposures_that_step_are_a_bracket() {
        let steps = [1.0 / 60.0, 1.0 / 15.0, 0.25];
        let frame = |i: u32| {
            (facts(steps[i as usize % 3], 200, i), shows(0, 0.02 * 4f32.powi(i as i32 % 3)))
        };
        let frames: Vec<_> = (0..6).map(frame).collect();
        assert_eq!(proposals(&frames), [(Purpose::Bracket, "Bracket".to_owned(), 6)]);
    }

    #[test]
    fn a_burst_is_one_set_of_lights() {
        let frames: Vec<_> = (0..6).map(|i| (facts(0.1, 800, i), shows(3, 0.2))).collect();
        assert_eq!(proposals(&frames), [(Purpose::Scene, "Lights".to_owned(), 6)]);
        let frames: Vec<(&Facts, &Measures)> = frames.iter().map(|(f, m)| (f, m)).collect();
        let sets = propose(&frames);
        assert_eq!(other_kind(&sets, Kind::NightSky).unwrap().0, Kind::LowLightBurst);
        assert_eq!(other_kind(&sets, Kind::LowLightBurst), None);
        assert_eq!(other_kind(&[], Kind::NightSky), None, "nothing is known yet");
        // A shoot that is already a sweep may well show one scene.
        assert_eq!(other_kind(&sets, Kind::FocusSweep), None);
        let planes = [ProposedSet { purpose: Purpose::Focus, ..sets[0].clone() }];
        assert_eq!(other_kind(&planes, Kind::NightSky).unwrap().0, Kind::FocusSweep);
        assert_eq!(other_kind(&planes, Kind::LowLightBurst).unwrap().0, Kind::FocusSweep);
    }

    proptest! {
        /// On any card, every frame is in exactly one set, and no two names are equal.
        #[test]
        fn every_frame_is_in_one_set(
            card in prop::collection::vec(
                (0usize..4, 0usize..3, 0u32..20_000, 0u32..900, 0.0f32..1.0), 0..30,
            ),
        ) {
            let frames: Vec<(Facts, Measures)> = card
                .into_iter()
                .map(|(exposure, iso, second, stars, level)| {
                    let exposure = [1e-4, 0.1, 8.0, 120.0][exposure];
                    (facts(exposure, [100, 800, 6400][iso], second % 10_000), shows(stars, level))
                })
                .collect();
            let looked: Vec<(&Facts, &Measures)> = frames.iter().map(|(f, m)| (f, m)).collect();
            let sets = propose(&looked);
            let mut all: Vec<u32> = sets.iter().flat_map(|set| set.frames.clone()).collect();
            all.sort_unstable();
            prop_assert_eq!(all, (0..frames.len() as u32).collect::<Vec<_>>());
            let mut names: Vec<&str> = sets.iter().map(|set| set.name.as_str()).collect();
            names.sort_unstable();
            names.dedup();
            prop_assert_eq!(names.len(), sets.len());
        }
    }
}
