//! Registers the frames of a sweep. Each frame is registered to its neighbours, as frames further
//! apart are sharp in different places, and all are solved together. Places far out of focus hardly
//! count: blur from what covers them shifts their apparent position.

use super::order::strangers;
use super::weights::FocusWeights;
use jade_align::Aligned;
use jade_align::scene::{Blur, LearnedPlaces, Scene, Sighting};
use jade_align::sharpness::Sharpness;
use jade_optics::light::Light;
use jade_optics::motion::{Motion, apply};
use jade_optics::statistics::median;
use jade_plan::progress::Watch;
use jade_plan::{CoreError, SceneModel};
use nalgebra::{DMatrix, DVector, Matrix3};
use rayon::prelude::*;

/// Number of following frames that a frame is registered to.
const AHEAD: usize = 2;
/// Rounds of solving; outliers count less in each round.
const ROUNDS: usize = 12;
/// Parameters of a similarity.
const VALUES: usize = 4;

/// Least sharpness of places by which a frame is recognised.
const KNOWN: f64 = 0.1;
/// Least sharpness in both frames of places that measure their offset.
const COUNTS: f64 = 0.05;
/// That limit where nothing is sharper.
const HARDLY: f64 = 0.005;
/// Most patches of a frame.
const PATCHES: usize = 400;
/// Least sharpness of all patches together, in fully sharp ones, that measures the offset of two
/// frames.
const ENOUGH: f64 = 0.5;
/// A frame with less than this share of the usual sharp places is left out for that reason, if it
/// shows the same scene.
const FAINT: f64 = 0.4;
/// Least share of detail with which differently blurred patches count.
const LEAST_ALIKE: f64 = 0.01;
/// Largest magnification or reduction, relative to the reference frame, of a frame that is placed.
const LARGER: f64 = 2.0;
/// Least sharpness of patches that measure how well a frame is placed.
const SHARP: f64 = 0.3;
/// Fewer of those are too few: then less sharp ones count as well.
const FEWEST: usize = 10;

/// Patches of one frame that are seen in another.
struct Link {
    reference: usize,
    frame: usize,
    sightings: Vec<Sighting>,
    /// Sharpness of each patch in both frames times the likeness of their blur, 0 to 1.
    sharp: Vec<f64>,
}

/// Sightings of a frame in another; or the index of a frame and the reason why there are none.
type Looked = Result<Link, (usize, String)>;

/// LearnedPlaces frames, given in the order of focus and of one size, on one of them. Motions are
/// similarities: as the focus moves, the magnification changes, and the camera shifts and rotates a
/// little. A frame that cannot be placed with most of the others carries a reason.
///
/// # Errors
/// [`CoreError::Cancelled`], [`CoreError::Picture`].
pub fn place(
    frames: &[&dyn Light],
    sharpness: &[Sharpness],
    watch: &dyn Watch,
) -> Result<Vec<Aligned>, CoreError> {
    let count = frames.len();
    let sharp = FocusWeights::of(sharpness);
    let looked: Result<Vec<Vec<Looked>>, CoreError> = (0..count)
        .into_par_iter()
        .with_max_len(1)
        .map(|one| {
            let others = one + 1..(one + 1 + AHEAD).min(count);
            if others.is_empty() {
                watch.advance(1);
                return Ok(vec![]);
            }
            let both = |other: usize, at: [f64; 2]| sharp.at(one, at) * sharp.at(other, at);
            let recognised = |at: [f64; 2]| sharp.at(one, at) > KNOWN;
            let measured = |at: [f64; 2]| others.clone().any(|other| both(other, at) > HARDLY);
            let blur = Blur::Changing;
            let places =
                LearnedPlaces { recognised: &recognised, measured: &measured, most: PATCHES, blur };
            let found = Scene::within(frames[one], SceneModel::Similarity, watch, &places);
            let scene = match found {
                Ok(scene) => scene,
                Err(CoreError::Frames(_)) => return Ok(vec![Err((one, nothing_sharp()))]),
                Err(error) => return Err(error),
            };
            let links = others.clone().map(|other| {
                let well = |at: [f64; 2]| both(other, at) > COUNTS;
                let hardly = |at: [f64; 2]| both(other, at) > HARDLY;
                let sightings = scene.sightings(frames[other], [&well, &hardly])?;
                let sightings = match sightings {
                    Ok(sightings) => sightings,
                    Err(why) => return Ok(Err((other, why))),
                };
                let share = |s: &Sighting| sharp.at(one, s.reference) * sharp.at(other, s.at);
                let shares: Vec<f64> = sightings.iter().map(share).collect();
                if shares.iter().sum::<f64>() < ENOUGH {
                    let plain = if sharp.whole(one) < sharp.whole(other) { one } else { other };
                    return Ok(Err((plain, nothing_sharp())));
                }
                let sharp =
                    shares.iter().zip(&sightings).map(|(share, s)| share * alike(s)).collect();
                Ok(Ok(Link { reference: one, frame: other, sightings, sharp }))
            });
            let links = links.collect();
            watch.advance(1);
            links
        })
        .collect();
    let mut links = vec![];
    let mut reasons = vec![None; count];
    for found in looked?.into_iter().flatten() {
        match found {
            Ok(link) => links.push(link),
            Err((frame, why)) => reasons[frame] = Some(why),
        }
    }
    let hang = most(count, &links);
    links.retain(|link| hang[link.reference] && hang[link.frame]);
    let reference = firmest(count, &links);
    let middle = {
        let (width, height) = frames[reference].size();
        [width, height].map(|side| (f64::from(side) - 1.0) / 2.0)
    };
    let motions = solve(count, reference, &links, middle);
    let mut wholes: Vec<f32> = (0..count).map(|frame| sharp.whole(frame) as f32).collect();
    let (whole, strange) = (f64::from(median(&mut wholes)), strangers(sharpness));
    let mut placed = Vec::with_capacity(count);
    for frame in 0..count {
        placed.push(if hang[frame] && is_likely(&motions[frame]) {
            let its_links =
                links.iter().filter(|link| link.frame == frame || link.reference == frame);
            let all = its_links.flat_map(|link| link.offs(&motions).into_iter().zip(&link.sharp));
            let (sharp, hardly): (Vec<_>, Vec<_>) = all.partition(|(_, share)| **share > SHARP);
            // Where nothing else is sharp, what is hardly sharp counts.
            let offs = if sharp.len() < FEWEST { [sharp, hardly].concat() } else { sharp };
            let offs: Vec<f64> = offs.into_iter().map(|(off, _)| off).collect();
            let (matched, rms_px) = (offs.len(), Some(usual(offs)));
            let motion = Some(Motion::Homography(motions[frame]));
            Aligned { motion, matched, rms_px, ..Aligned::left_out(None) }
        } else {
            let faint = sharp.whole(frame) < FAINT * whole && !strange.contains(&frame);
            let why = reasons[frame].take().filter(|_| !faint);
            let usual = if faint { nothing_sharp } else { no_neighbours };
            Aligned::left_out(Some(why.unwrap_or_else(usual)))
        });
    }
    Ok(placed)
}

/// Whether a motion is plausible between two frames of a sweep.
fn is_likely(motion: &Matrix3<f64>) -> bool {
    let scale = motion[(0, 0)].hypot(motion[(1, 0)]);
    (1.0 / LARGER..LARGER).contains(&scale)
}

/// Whether placed frames come from far to near: with the focus nearer, the magnification is larger.
pub fn comes_nearer(placed: &[Aligned]) -> bool {
    /// Least ratio of magnifications that decides it.
    const TELLS: f64 = 3e-4;
    let scale = |aligned: &Aligned| match aligned.motion.as_ref()? {
        Motion::Homography(m) => Some(m[(0, 0)].hypot(m[(1, 0)])),
        _ => Some(1.0),
    };
    let mut scales = placed.iter().filter_map(scale);
    let first = scales.next();
    // A larger frame is reduced to lie on the reference frame.
    first.zip(scales.next_back()).is_some_and(|(first, last)| first > last + TELLS)
}

/// The same frames placed on another one of them, which must be placed.
pub fn placed_on(mut placed: Vec<Aligned>, reference: usize) -> Vec<Aligned> {
    let matrix = |motion: &Option<Motion>| match motion {
        Some(Motion::Homography(m)) => *m,
        _ => Matrix3::identity(),
    };
    let back = matrix(&placed[reference].motion).try_inverse();
    let back = back.unwrap_or_else(Matrix3::identity);
    for aligned in &mut placed {
        let moved = back * matrix(&aligned.motion);
        aligned.motion = aligned.motion.take().map(|_| Motion::Homography(moved));
    }
    placed[reference] = Aligned { rms_px: Some(0.0), ..Aligned::still() };
    placed
}

fn nothing_sharp() -> String {
    "Too little in it is sharp to tell where it lies: its plane is before or behind all that the others show.".to_owned()
}

fn no_neighbours() -> String {
    "Its details do not match those of the frames beside it: something else, or the camera was moved too far.".to_owned()
}

/// Root mean square of distances, without the largest tenth: a place covered by something that
/// moves says nothing about the others.
fn usual(mut offs: Vec<f64>) -> f64 {
    offs.sort_by(f64::total_cmp);
    offs.truncate((offs.len() * 9).div_ceil(10));
    (offs.iter().map(|off| off * off).sum::<f64>() / offs.len().max(1) as f64).sqrt()
}

impl Link {
    /// Distances of its patches under the motions of all frames, in pixels of the reference frame.
    fn offs(&self, motions: &[Matrix3<f64>]) -> Vec<f64> {
        let off = |s: &Sighting| {
            let [x, y] = apply(&motions[self.frame], s.at);
            let [u, v] = apply(&motions[self.reference], s.reference);
            (x - u).hypot(y - v)
        };
        self.sightings.iter().map(off).collect()
    }
}

/// How alike a patch is blurred in both frames, 0 to 1. What is sharper in one of them seems to
/// move with the focus, and over many frames that error adds up.
fn alike(sighting: &Sighting) -> f64 {
    sighting.detail.min(1.0 / sighting.detail).max(LEAST_ALIKE).powi(2)
}

/// Whether each frame belongs to the largest set of linked frames.
fn most(count: usize, links: &[Link]) -> Vec<bool> {
    let mut groups: Vec<usize> = (0..count).collect();
    for _ in 0..count {
        for link in links {
            let first = groups[link.reference].min(groups[link.frame]);
            (groups[link.reference], groups[link.frame]) = (first, first);
        }
    }
    let size = |group: &usize| groups.iter().filter(|other| *other == group).count();
    let largest = (0..count).rev().max_by_key(size).unwrap_or(0);
    groups.iter().map(|group| *group == largest).collect()
}

/// The frame with the strongest links. On a weakly linked reference frame all others could shrink
/// to a point, as only its few links speak against that.
fn firmest(count: usize, links: &[Link]) -> usize {
    let held = |frame: usize| -> f64 {
        let its_links = links.iter().filter(|link| link.frame == frame || link.reference == frame);
        its_links.flat_map(|link| &link.sharp).sum()
    };
    (0..count).max_by(|a, b| held(*a).total_cmp(&held(*b))).unwrap_or(0)
}

/// The similarities of all frames that fit the links best, by robust iterated weights (Cauchy's
/// loss); those of frames without links are meaningless.
fn solve(count: usize, reference: usize, links: &[Link], middle: [f64; 2]) -> Vec<Matrix3<f64>> {
    let mut motions = vec![Matrix3::identity(); count];
    // Without a floor a few sharp patches would decide alone.
    let errors = links.iter().flat_map(|link| &link.sightings).map(|s| s.error as f32);
    let mut errors: Vec<f32> = errors.collect();
    if errors.is_empty() {
        return motions;
    }
    let floor = f64::from(median(&mut errors));
    let even = |at: [f64; 2]| [0, 1].map(|axis| (at[axis] - middle[axis]) / middle[0]);
    let place = |frame: usize| match frame.cmp(&reference) {
        std::cmp::Ordering::Less => Some(VALUES * frame),
        std::cmp::Ordering::Equal => None,
        std::cmp::Ordering::Greater => Some(VALUES * (frame - 1)),
    };
    for round in 0..ROUNDS {
        let offs: Vec<Vec<f64>> = links.iter().map(|link| link.offs(&motions)).collect();
        let mut all: Vec<f32> = offs.iter().flatten().map(|off| *off as f32).collect();
        let usual = (f64::from(median(&mut all)) / 1.18).max(1e-3);
        let size = VALUES * (count - 1);
        let (mut normal, mut right) = (DMatrix::zeros(size, size), DVector::zeros(size));
        // A frame without links keeps its motion.
        (0..size).for_each(|i| normal[(i, i)] = 1e-12);
        for (link, offs) in links.iter().zip(&offs) {
            for ((s, sharp), off) in link.sightings.iter().zip(&link.sharp).zip(offs) {
                let far = if round == 0 { 0.0 } else { off / (2.5 * usual) };
                let weight = sharp * s.error.hypot(floor).powi(-2) / (1.0 + far * far).powi(2);
                let (in_reference, other) = (even(s.reference), even(s.at));
                for axis in 0..2 {
                    // The parameters of both frames that this coordinate depends on, with their
                    // coefficients.
                    let mut on: Vec<(usize, f64)> = Vec::with_capacity(2 * VALUES);
                    let mut rest = 0.0;
                    for (frame, at, sign) in
                        [(link.reference, in_reference, 1.0), (link.frame, other, -1.0)]
                    {
                        let Some(first) = place(frame) else {
                            rest -= sign * at[axis];
                            continue;
                        };
                        let terms = match axis {
                            0 => [at[0], -at[1], 1.0, 0.0],
                            _ => [at[1], at[0], 0.0, 1.0],
                        };
                        on.extend((0..VALUES).map(|i| (first + i, sign * terms[i])));
                    }
                    for &(i, a) in &on {
                        right[i] += weight * a * rest;
                        on.iter().for_each(|&(j, b)| normal[(i, j)] += weight * a * b);
                    }
                }
            }
        }
        let Some(values) = normal.cholesky().map(|known| known.solve(&right)) else { break };
        for (frame, motion) in motions.iter_mut().enumerate() {
            let Some(first) = place(frame) else { continue };
            let [a, b, x, y] = [0, 1, 2, 3].map(|i| values[first + i]);
            let shift = [
                middle[0] * (1.0 + x) - a * middle[0] + b * middle[1],
                middle[1] + middle[0] * y - b * middle[0] - a * middle[1],
            ];
            *motion = Matrix3::new(a, -b, shift[0], b, a, shift[1], 0.0, 0.0, 1.0);
        }
    }
    motions
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_optics::space::InFrame;

    /// Similarities about the middle, and patches seen under them; every tenth is wrong.
    fn links(motions: &[Matrix3<f64>], pairs: &[(usize, usize)]) -> Vec<Link> {
        let link = |&(reference, frame): &(usize, usize)| {
            let back = motions[frame].try_inverse().unwrap() * motions[reference];
            let sightings: Vec<Sighting> = (0..60)
                .map(|i| {
                    let place = [f64::from(i * 97 % 600), f64::from(i * 61 % 400)];
                    let [x, y] = apply(&back, place);
                    let wrong = if i % 10 == 0 { 3.0 } else { 0.0 };
                    Sighting {
                        at: [x + wrong, y - wrong],
                        reference: place,
                        error: 0.02,
                        detail: 1.0,
                    }
                })
                .collect();
            Link { reference, frame, sharp: vec![1.0; sightings.len()], sightings }
        };
        pairs.iter().map(link).collect()
    }

    fn similarity(scale: f64, turn: f64, shift: [f64; 2]) -> Matrix3<f64> {
        let (s, c) = turn.sin_cos();
        let (a, b) = (scale * c, scale * s);
        Matrix3::new(a, -b, shift[0], b, a, shift[1], 0.0, 0.0, 1.0)
    }

    #[test]
    fn all_are_placed_together_and_wrong_patches_have_no_say() {
        let motions: Vec<Matrix3<f64>> = (0..5)
            .map(|i| {
                let far = f64::from(i) - 2.0;
                similarity(1.0 + 0.01 * far, 0.001 * far, [3.0 * far, -2.0 * far])
            })
            .collect();
        let pairs = [(0, 1), (0, 2), (1, 2), (1, 3), (2, 3), (2, 4), (3, 4)];
        let found = solve(5, 2, &links(&motions, &pairs), [299.5, 199.5]);
        for (found, truth) in found.iter().zip(&motions) {
            for at in [[0.0, 0.0], [599.0, 0.0], [0.0, 399.0], [599.0, 399.0]] {
                let ([x, y], [u, v]) = (apply(found, at), apply(truth, at));
                assert!((x - u).hypot(y - v) < 0.02, "{:.3} px", (x - u).hypot(y - v));
            }
        }
    }

    #[test]
    fn patches_that_are_blurred_differently_count_for_less() {
        let sighting =
            |detail: f64| Sighting { at: [0.0; 2], reference: [0.0; 2], error: 0.02, detail };
        assert_eq!([1.0, 2.0, 0.5].map(|detail| alike(&sighting(detail))), [1.0, 0.25, 0.25]);
        // Inverted detail, as far out of focus, counts as none.
        assert!([0.0, -1.0, f64::INFINITY].iter().all(|detail| alike(&sighting(*detail)) < 1e-3));
    }

    #[test]
    fn the_larger_group_of_frames_is_placed() {
        let still = vec![Matrix3::identity(); 6];
        let all = links(&still, &[(0, 1), (2, 3), (3, 4), (4, 5)]);
        assert_eq!(most(6, &all), [false, false, true, true, true, true]);
        assert_eq!(most(3, &[]).iter().filter(|hang| **hang).count(), 1);
        assert!([3, 4].contains(&firmest(6, &all)));
    }

    #[test]
    fn frames_do_not_shrink_away_from_one_that_is_hardly_held() {
        let motions: Vec<Matrix3<f64>> =
            (0..6).map(|i| similarity(1.0 + 0.01 * f64::from(i), 0.0, [0.0, 0.0])).collect();
        let mut all = links(&motions, &[(0, 1), (1, 2), (2, 3), (3, 4), (4, 5)]);
        // The links of the first frame are wrong and weak.
        let weak = &mut all[0];
        weak.sharp.fill(0.01);
        weak.sightings
            .iter_mut()
            .enumerate()
            .for_each(|(i, s)| s.at[0] += (i as f64 * 2.4).sin() * 5.0);
        let reference = firmest(6, &all);
        let found = solve(6, reference, &all, [299.5, 199.5]);
        let back = motions[reference].try_inverse().unwrap();
        for (found, truth) in found.iter().zip(&motions).skip(1) {
            let ([x, y], [u, v]) = (apply(found, [0.0, 0.0]), apply(&(back * truth), [0.0, 0.0]));
            assert!((x - u).hypot(y - v) < 0.05, "{:.3} px", (x - u).hypot(y - v));
        }
    }

    #[test]
    fn frames_come_nearer_as_they_grow_and_can_be_placed_on_another() {
        let placed = |scales: &[f64]| -> Vec<Aligned> {
            let scaled = |scale: &f64| Aligned {
                motion: Some(Motion::Homography(similarity(*scale, 0.0, [1.0, 2.0]))),
                ..Aligned::left_out(None)
            };
            scales.iter().map(scaled).collect()
        };
        assert!(comes_nearer(&placed(&[1.02, 1.01, 1.0])));
        assert!(!comes_nearer(&placed(&[0.99, 1.0, 1.01])));
        assert!(!comes_nearer(&placed(&[1.0, 1.0, 1.0])));
        let mut all = placed(&[0.98, 1.0, 1.03]);
        all[1].motion = None;
        let moved = placed_on(all.clone(), 2);
        assert!(moved[1].motion.is_none());
        let both =
            |aligned: &Aligned, at| aligned.motion.as_ref().unwrap().to_reference(InFrame(at)).0;
        assert_eq!(both(&moved[2], [50.0, 60.0]), [50.0, 60.0]);
        // A place of the first frame and its place in the new reference frame still coincide.
        let [x, y] = both(&all[2], both(&moved[0], [50.0, 60.0]));
        let [u, v] = both(&all[0], [50.0, 60.0]);
        assert!((x - u).hypot(y - v) < 1e-9);
    }
}
