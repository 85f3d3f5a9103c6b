//! Conditions that would spoil a stack, found before anything is stacked.

use super::measures::Measures;
use crate::balance;
use jade_optics::statistics::{median, robust_sigma};
use jade_pixels::facts::{Facts, FileFormat};
use jade_plan::WhiteBalance;
use std::collections::HashMap;

/// A condition to correct, or to know about.
#[derive(Debug, Clone, PartialEq)]
pub struct Check {
    /// The condition and what to do, in one or two sentences.
    pub text: String,
    /// Indices of the frames concerned; empty if it concerns all.
    pub frames: Vec<u32>,
    /// Whether leaving these frames out corrects it.
    pub leave_out: bool,
    /// Whether giving all frames one white balance corrects it.
    pub balance: bool,
}

/// A frame to be stacked: its name, the facts in its file and its measures.
pub type Named<'a> = (&'a str, &'a Facts, &'a Measures);

/// Looks for one condition.
type Look = fn(&[Named]) -> Option<Check>;

/// Light of the background above which stars barely stand out.
const BRIGHT: f32 = 0.5;
/// Share of clipped pixels that is more than a lamp.
const CLIPPED: f32 = 0.02;
/// A pause longer than this many usual pauses means that a frame is missing.
const MISSED: f64 = 1.7;
/// Light of the rims of stars relative to their peaks; a lens does not make it lower, only
/// sharpening does.
const DARK_RIM: f32 = -0.006;
/// Grain above which it is the picture's texture rather than noise.
const NO_NOISE: f32 = 0.1;
/// Largest difference of grain between frames that were developed alike.
const OTHER_GRAIN: f32 = 0.025;
/// Below this number of frames, ordering methods have nothing to choose from.
const FEWEST: usize = 4;

/// Checks the frames that are stacked under a white balance.
pub fn check(frames: &[Named], balance: &WhiteBalance) -> Vec<Check> {
    let looks: [Look; 7] = [size, development, lossy, sharpened, grain, bright, clipped];
    let mut found: Vec<Check> = looks.iter().filter_map(|look| look(frames)).collect();
    // A picked grey is relative to the camera's white balance.
    if !matches!(balance, WhiteBalance::Light { .. }) {
        found.extend(balanced_apart(frames));
    }
    if (2..FEWEST).contains(&frames.len()) {
        let text = format!(
            "Only {} frames are stacked: traces of satellites stay, and noise falls little. Take more, or take some in again.",
            frames.len()
        );
        found.push(about(text, vec![], false));
    }
    found
}

/// Checks the sequence of the frames in the order of the files, including those left out.
pub fn check_sequence(frames: &[(&str, &Facts)]) -> Vec<Check> {
    [clock, missing].iter().filter_map(|look| look(frames)).collect()
}

fn about(text: String, frames: Vec<u32>, leave_out: bool) -> Check {
    Check { text, frames, leave_out, balance: false }
}

/// `One frame is` or `3 frames are`.
fn count(frames: &[u32]) -> String {
    match frames.len() {
        1 => "One frame is".to_owned(),
        n => format!("{n} frames are"),
    }
}

/// The frames whose `value` differs from that of the majority.
fn others<T: PartialEq + Eq + std::hash::Hash>(
    frames: &[Named],
    value: impl Fn(&Facts) -> T,
) -> Option<(Vec<u32>, T, T)> {
    let mut counts: HashMap<T, usize> = HashMap::new();
    frames.iter().for_each(|(_, facts, _)| *counts.entry(value(facts)).or_default() += 1);
    let most = *counts.values().max()?;
    let usual =
        frames.iter().map(|(_, facts, _)| value(facts)).find(|value| counts[value] == most)?;
    let odd: Vec<u32> =
        (0..frames.len() as u32).filter(|&i| value(frames[i as usize].1) != usual).collect();
    let first = value(frames[*odd.first()? as usize].1);
    Some((odd, first, usual))
}

fn size(frames: &[Named]) -> Option<Check> {
    let (odd, size, usual) = others(frames, |facts| (facts.width, facts.height))?;
    let turned = (size.1, size.0) == usual;
    let text = format!(
        "{} {} × {} pixels, the others {} × {}{}. Only pictures of one size can be stacked.",
        count(&odd),
        size.0,
        size.1,
        usual.0,
        usual.1,
        if turned { ": held upright instead of across" } else { "" }
    );
    Some(about(text, odd, true))
}

fn development(frames: &[Named]) -> Option<Check> {
    let (odd, value, usual) =
        others(frames, |facts| (facts.format, facts.bits, facts.profile.clone()))?;
    let said = |(format, bits, profile): &(FileFormat, u8, Option<String>)| {
        let format = format.name();
        let profile = profile.as_ref().map(|name| format!(", {name}")).unwrap_or_default();
        format!("{bits}-bit {format}{profile}")
    };
    let text = format!(
        "{} {}, the others {}: frames that were developed alike belong together.",
        count(&odd),
        said(&value),
        said(&usual)
    );
    Some(about(text, odd, true))
}

/// Cameras with automatic white balance set it for each frame.
fn balanced_apart(frames: &[Named]) -> Option<Check> {
    let apart = balance::apart(frames.iter().map(|(_, facts, _)| *facts));
    let most = apart.iter().flatten().copied().reduce(f32::max)?;
    let odd: Vec<u32> =
        (0u32..).zip(&apart).filter(|(_, off)| off.is_some()).map(|(i, _)| i).collect();
    let text = format!(
        "{} balanced otherwise by the camera, by up to {:.0} %: colours change from frame to frame. Give all frames one white balance.",
        count(&odd),
        100.0 * most
    );
    Some(Check { balance: true, ..about(text, odd, false) })
}

fn lossy(frames: &[Named]) -> Option<Check> {
    let jpeg = of(frames, |facts, _| facts.format == FileFormat::Jpeg)?;
    let text = format!(
        "{} JPEG: 8 bits and traces of compression, which stacking does not take away. Raw files or 16-bit TIFFs keep faint light.",
        count(&jpeg)
    );
    Some(about(text, jpeg, false))
}

fn sharpened(frames: &[Named]) -> Option<Check> {
    let sharpened = of(frames, |_, measures| has_dark_rims(measures))?;
    let some = sharpened.len() < frames.len();
    let rim = frames[sharpened[0] as usize].2.rim.unwrap_or_default();
    let text = format!(
        "{} sharpened: the sky around their stars is darker than elsewhere by {:.1} % of the stars. That stays in the stack, and noise falls less. Develop them anew without sharpening{}.",
        count(&sharpened),
        -100.0 * rim,
        if some { ", or leave them out" } else { "" }
    );
    Some(about(text, sharpened, some))
}

fn has_dark_rims(measures: &Measures) -> bool {
    measures.rim.is_some_and(|rim| rim < DARK_RIM)
}

/// Sharpening and noise reduction change the correlation between neighbours' noise. How much
/// depends on the raw converter, so only differences within a set show them.
fn grain(frames: &[Named]) -> Option<Check> {
    let grain_of = |(_, facts, measures): &Named| {
        let developed = facts.format != FileFormat::Raw;
        measures.grain.filter(|_| developed && !has_dark_rims(measures))
    };
    let mut grains: Vec<f32> = frames.iter().filter_map(grain_of).collect();
    if grains.len() < FEWEST {
        return None;
    }
    let usual = median(&mut grains);
    let limit = OTHER_GRAIN.max(5.0 * robust_sigma(&grains, usual));
    let off = |frame: &Named| grain_of(frame).map(|grain| grain - usual);
    let first = frames.iter().filter_map(off).find(|off| off.abs() > limit)?;
    let odd = |frame: &Named| off(frame).is_some_and(|off| off * first.signum() > limit);
    let odd: Vec<u32> = (0..frames.len() as u32).filter(|i| odd(&frames[*i as usize])).collect();
    if usual > NO_NOISE || odd.len() * 3 > frames.len() {
        return None;
    }
    let (sharpened, reduced) = if first < 0.0 { ("more", "less") } else { ("less", "more") };
    let text = format!(
        "{} of another grain: sharpened {sharpened} than the others, or with {reduced} of the noise reduced. Develop all alike, or leave {} out.",
        count(&odd),
        if odd.len() == 1 { "it" } else { "them" }
    );
    Some(about(text, odd, true))
}

fn bright(frames: &[Named]) -> Option<Check> {
    let bright = of(frames, |_, measures| measures.level > BRIGHT)?;
    let level = frames[bright[0] as usize].2.level;
    let text = format!(
        "The background of {} is at {:.0} % of white: little is left above it. Expose shorter, or leave the brightest out.",
        if bright.len() == 1 { "one frame".to_owned() } else { format!("{} frames", bright.len()) },
        100.0 * level
    );
    Some(about(text, bright, true))
}

fn clipped(frames: &[Named]) -> Option<Check> {
    let clipped = of(frames, |_, m| m.clipped > CLIPPED && m.level <= BRIGHT)?;
    let share = frames[clipped[0] as usize].2.clipped;
    let text = format!(
        "{} clipped in {:.0} % of the picture: what is white there stays white in the stack.",
        count(&clipped),
        100.0 * share
    );
    Some(about(text, clipped, false))
}

fn of(frames: &[Named], wanted: impl Fn(&Facts, &Measures) -> bool) -> Option<Vec<u32>> {
    let found: Vec<u32> = (0..frames.len() as u32)
        .filter(|&i| wanted(frames[i as usize].1, frames[i as usize].2))
        .collect();
    (!found.is_empty()).then_some(found)
}

/// Seconds from each frame to the next, if all times are known.
fn steps(frames: &[(&str, &Facts)]) -> Option<Vec<i64>> {
    let taken: Option<Vec<i64>> = frames.iter().map(|(_, facts)| facts.taken_s()).collect();
    Some(taken?.windows(2).map(|pair| pair[1] - pair[0]).collect())
}

fn clock(frames: &[(&str, &Facts)]) -> Option<Check> {
    let back = steps(frames)?.iter().position(|step| *step < 0)?;
    let text = format!(
        "By the camera's clock {} was taken before {}: the clock was set in between, or the files are of two sequences.",
        frames[back + 1].0,
        frames[back].0
    );
    Some(about(text, vec![back as u32 + 1], false))
}

fn missing(frames: &[(&str, &Facts)]) -> Option<Check> {
    let steps = steps(frames)?;
    let mut sorted = steps.clone();
    sorted.sort_unstable();
    let usual = *sorted.get(sorted.len() / 2).filter(|usual| **usual > 0)? as f64;
    // A missing frame shows only in a sequence with even steps.
    let even = steps.iter().filter(|step| (**step as f64 / usual - 1.0).abs() < 0.25).count();
    if steps.len() < 4 || even * 4 < steps.len() * 3 {
        return None;
    }
    let gaps: Vec<usize> = (0..steps.len()).filter(|i| steps[*i] as f64 > MISSED * usual).collect();
    let first = *gaps.first()?;
    let lost = (steps[first] as f64 / usual).round() as i64 - 1;
    let text = format!(
        "Between {} and {} about {} missing from the sequence{}: star trails would show a gap there.",
        frames[first].0,
        frames[first + 1].0,
        if lost == 1 { "one frame is".to_owned() } else { format!("{lost} frames are") },
        if gaps.len() > 1 {
            format!(", and at {} more places", gaps.len() - 1)
        } else {
            String::new()
        }
    );
    Some(about(text, vec![first as u32, first as u32 + 1], false))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn frame(i: i64) -> (String, Facts, Measures) {
        let second = 10 * i;
        let facts = Facts {
            taken: Some(format!("2026-03-14 22:{:02}:{:02}", second / 60, second % 60)),
            profile: Some("sRGB".to_owned()),
            ..Facts::bare(FileFormat::Tiff, 300, 200, 16)
        };
        let measures = Measures {
            stars: 800,
            star_width_px: Some(2.2),
            level: 0.04,
            sharpness: 0.3,
            ..Measures::default()
        };
        (format!("f{i:02}.tif"), facts, measures)
    }

    fn found(frames: &[(String, Facts, Measures)]) -> Vec<Check> {
        let used: Vec<Named> = frames.iter().map(|(n, f, m)| (n.as_str(), f, m)).collect();
        let sequence: Vec<(&str, &Facts)> = used.iter().map(|(n, f, _)| (*n, *f)).collect();
        [check(&used, &WhiteBalance::AsShot), check_sequence(&sequence)].concat()
    }

    #[test]
    fn a_sequence_taken_alike_has_nothing_against_it() {
        assert_eq!(found(&(0..8).map(frame).collect::<Vec<_>>()), []);
        assert_eq!(found(&[]), []);
    }

    #[test]
    fn each_flaw_is_told_with_its_frames_and_a_remedy() {
        type Spoil = fn(&mut (String, Facts, Measures));
        let flaws: [(Spoil, &str, bool); 6] = [
            (|f| (f.1.width, f.1.height) = (200, 300), "held upright", true),
            (|f| f.1.profile = Some("Wide".to_owned()), "16-bit TIFF, Wide", true),
            (|f| f.1.format = FileFormat::Jpeg, "traces of compression", false),
            (|f| f.2.level = 0.7, "70 % of white", true),
            (|f| f.2.clipped = 0.3, "clipped in 30 %", false),
            (
                |f| f.1.taken = Some("2026-03-14 21:00:00".to_owned()),
                "f03.tif was taken before",
                false,
            ),
        ];
        for (spoil, said, leave_out) in flaws {
            let mut frames: Vec<_> = (0..8).map(frame).collect();
            spoil(&mut frames[3]);
            let checks = found(&frames);
            let raised = checks.iter().find(|check| check.text.contains(said));
            let raised = raised.unwrap_or_else(|| panic!("{said}: {checks:?}"));
            assert_eq!((&raised.frames[..], raised.leave_out), (&[3][..], leave_out), "{said}");
        }
    }

    #[test]
    fn frames_that_the_camera_balanced_otherwise_need_one_balance() {
        let mut frames: Vec<_> = (0..6).map(frame).collect();
        for (i, (_, facts, _)) in frames.iter_mut().enumerate() {
            facts.neutral = Some([0.48 * (1.0 + 0.002 * i as f32), 1.0, 0.66]);
        }
        assert_eq!(found(&frames), []);
        frames[1].1.neutral = Some([0.48, 1.0, 0.58]);
        frames[4].1.neutral = Some([0.53, 1.0, 0.66]);
        let checks = found(&frames);
        assert_eq!(checks.len(), 1);
        assert_eq!((&checks[0].frames[..], checks[0].balance), (&[1, 4][..], true));
        assert!(
            checks[0]
                .text
                .starts_with("2 frames are balanced otherwise by the camera, by up to 12 %")
        );
        let used: Vec<Named> = frames.iter().map(|(n, f, m)| (n.as_str(), f, m)).collect();
        let picked = WhiteBalance::Neutral { grey: [0.2, 0.21, 0.2] };
        assert_eq!(check(&used, &picked), checks);
        let given = WhiteBalance::Light { kelvin: 5000.0, tint: 0.0 };
        assert_eq!(check(&used, &given), []);
    }

    #[test]
    fn another_grain_is_told_where_most_have_the_same() {
        let with = |grains: &[f32]| -> Vec<_> {
            let grains = grains.iter().enumerate();
            grains
                .map(|(i, grain)| {
                    let (name, facts, measures) = frame(i as i64);
                    (name, facts, Measures { grain: Some(*grain), ..measures })
                })
                .collect()
        };
        assert_eq!(found(&with(&[0.01, 0.0, 0.012, 0.004, 0.008, 0.02])), []);
        let checks = found(&with(&[0.01, 0.0, -0.031, 0.004, 0.008, 0.006]));
        assert_eq!((&checks[0].frames[..], checks[0].leave_out), (&[2][..], true));
        assert!(checks[0].text.contains("One frame is of another grain: sharpened more"));
        let checks = found(&with(&[0.01, 0.07, 0.0, 0.004, 0.08, 0.006, 0.002, 0.011]));
        assert_eq!(checks[0].frames, [1, 4]);
        assert!(checks[0].text.contains("2 frames are of another grain: sharpened less"));
        // Without smooth parts there is no measure of noise, and two halves have no majority.
        assert_eq!(found(&with(&[0.5, 0.58, 0.4, 0.55, 0.52])), []);
        assert_eq!(found(&with(&[0.0, 0.0, -0.2, -0.2, 0.0, -0.2])), []);
        // The background around the stars decides.
        let mut frames = with(&[0.01, 0.0, -0.031, 0.004, 0.008, 0.006]);
        frames[2].2.rim = Some(-0.01);
        let checks = found(&frames);
        assert_eq!(checks.len(), 1);
        assert!(checks[0].text.contains("One frame is sharpened"), "{checks:?}");
    }

    #[test]
    fn frames_that_are_missing_from_even_steps_are_counted() {
        let mut frames: Vec<_> = (0..12).map(frame).collect();
        frames.drain(5..7);
        let checks = found(&frames);
        assert_eq!(checks.len(), 1, "{checks:?}");
        assert!(checks[0].text.contains("Between f04.tif and f07.tif about 2 frames are missing"));
        assert!(found(&frames[..3])[0].text.contains("Only 3 frames"));
    }
}
