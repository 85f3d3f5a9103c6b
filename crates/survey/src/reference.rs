//! Proposes the reference frame.

use super::judge::SKY;
use super::measures::Measures;
use serde::{Deserialize, Serialize};

/// A frame proposed as the reference frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Reference {
    /// Its index among the judged frames.
    pub frame: u32,
    /// One sentence.
    pub reason: String,
}

/// Factor by which a frame must be better than the middle one to be preferred.
const BETTER: f32 = 1.15;

/// Proposes one frame of a sequence, given in the order they were taken, each with whether it is
/// doubted: the middle one, from which the others differ least, or the best one near it if that is
/// clearly better.
pub fn propose(frames: &[(&Measures, bool)]) -> Option<Reference> {
    let middle = frames.len() / 2;
    let third = frames.len() / 6;
    let near = middle.saturating_sub(third)..(middle + third + 1).min(frames.len());
    let sound = |i: &usize| !frames[*i].1;
    let starry = frames.iter().filter(|(m, _)| m.stars as f32 >= SKY).count() * 2 > frames.len();
    // Many sharp stars align frames well; without stars, sharp details do.
    let worth = |i: usize| {
        let measures = frames[i].0;
        match (starry, measures.star_width_px) {
            (true, Some(width)) => (measures.stars as f32).sqrt() / width,
            (true, None) => 0.0,
            (false, _) => measures.sharpness,
        }
    };
    let best = near.filter(sound).max_by(|a, b| worth(*a).total_cmp(&worth(*b)));
    let any = || (0..frames.len()).filter(sound).min_by_key(|i| i.abs_diff(middle));
    let place = match best.or_else(any)? {
        best if sound(&middle) && worth(best) < BETTER * worth(middle) => middle,
        best => best,
    };
    let measures = frames[place].0;
    let shows = match (starry, measures.star_width_px) {
        (true, Some(width)) => format!("{} stars, {width:.1} px wide", measures.stars),
        _ => format!("details of {:.0} % contrast", 100.0 * measures.sharpness),
    };
    let reason = match place == middle {
        true => format!("The middle of the sequence: {shows}."),
        false => {
            format!("Near the middle of the sequence and better than its neighbours: {shows}.")
        }
    };
    Some(Reference { frame: place as u32, reason })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sky(stars: u32, width: f32) -> Measures {
        Measures { stars, star_width_px: Some(width), level: 0.04, ..Measures::default() }
    }

    fn of(measures: &[Measures], spoiled: &[usize]) -> Option<Reference> {
        let frames: Vec<(&Measures, bool)> =
            measures.iter().enumerate().map(|(i, m)| (m, spoiled.contains(&i))).collect();
        propose(&frames)
    }

    #[test]
    fn the_middle_one_unless_another_is_clearly_better() {
        let mut all = vec![sky(800, 2.2); 12];
        assert_eq!(of(&all, &[]).unwrap().frame, 6);
        all[7].stars = 830;
        assert_eq!(of(&all, &[]).unwrap().frame, 6, "a little better is not worth it");
        all[6].star_width_px = Some(3.4);
        let found = of(&all, &[]).unwrap();
        assert_eq!(found.frame, 7);
        assert!(found.reason.contains("830 stars, 2.2 px wide"), "{}", found.reason);
        all[0].star_width_px = Some(1.2);
        assert_eq!(of(&all, &[]).unwrap().frame, 7, "the first one is far from the last");
    }

    #[test]
    fn no_frame_that_something_speaks_against() {
        let all = vec![sky(800, 2.2); 5];
        assert_eq!(of(&all, &[1, 2, 3]).unwrap().frame, 0);
        assert_eq!(of(&all, &[0, 1, 2, 3, 4]), None);
        assert_eq!(of(&[], &[]), None);
    }
}
