//! Registers all frames of a shoot on the stars.

use super::alignment::{Aligned, Alignment, spread_residuals};
use super::camera::{self, Sighting, Solution};
use super::matching::{self, PositionIndex};
use super::stars::StarList;
use jade_optics::homography::{self, Pair};
use jade_optics::motion::Motion;
use jade_optics::space::{InFrame, InReference};
use jade_optics::star::Star;
use jade_plan::{CoreError, FrameIndex, PerFrame};
use nalgebra::Matrix3;
use rayon::prelude::*;

/// Fewer stars in the reference frame are not enough to align on.
const FEWEST_STARS: usize = 15;
/// Fewer matched stars are considered chance.
const FEWEST_MATCHES: usize = 10;
/// Least share of the reference frame's bright stars that must be found in a frame.
const FOUND_SHARE: f64 = 0.25;
/// A light within this distance of its place in another frame has not moved, in pixels.
const SAME_PLACE: f64 = 0.6;
/// Where the sky has moved further than this, a light that has not is no star, in pixels.
const SKY_MOVED: f64 = 1.5;
/// Side of the cells for searching stars by place, in pixels: few stars in each, and few cells.
const PLACE_CELL: f64 = 24.0;
/// Most sightings of one frame in the joint solution.
const SIGHTINGS: usize = 600;

/// Finds each frame's motion from the stars of all frames, which have one size. Lights that stand
/// still while the sky turns (lamps, hot pixels) are recognised and left out. A hint is a motion
/// known from elsewhere: the frame is matched from there, and where its stars do not confirm the
/// hint, the hint itself is used.
///
/// # Errors
/// [`CoreError::Frames`] when the reference frame shows too few stars; [`CoreError::Cancelled`]
/// when `stop` says so.
pub fn align_stars<S: Copy>(
    lists: PerFrame<S, StarList>,
    reference: FrameIndex<S>,
    hints: PerFrame<S, Option<Matrix3<f64>>>,
    (width, height): (u32, u32),
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Alignment<S>, CoreError> {
    let found = lists[reference].stars.len();
    if found < FEWEST_STARS {
        return Err(CoreError::Frames(format!(
            "The reference frame shows {found} stars, and {FEWEST_STARS} are needed to align on them; choose another reference frame, or combine without alignment."
        )));
    }
    let mut all: Vec<Vec<Star>> = lists.into_iter().map(|l| l.stars).collect();
    let (reference, hints) = (reference.number(), hints.into_vec());
    let sky = Sky { reference, hints, width, height, stop };
    let still = sky.still_lights(&all);
    let mut rough = sky.match_all(&sky.without(&all, &still))?;
    let enough = rough.iter().flatten().count() * 2 > all.len();
    if enough {
        sky.drop_all(&mut all, &sky.lights_of_the_ground(&still, &rough));
    } else {
        rough = sky.match_all(&all)?;
    }
    let first: Vec<Option<Motion>> =
        rough.into_iter().map(|fit| fit.map(|fit| Motion::Homography(fit.homography))).collect();
    sky.solve(&all, first)
}

/// Finds the motions again from the stars in the sky alone, starting from motions found with all
/// lights. A frame that these stars cannot place keeps its known motion.
///
/// # Errors
/// [`CoreError::Cancelled`] when `stop` says so.
pub fn align_again<S: Copy>(
    lists: PerFrame<S, StarList>,
    reference: FrameIndex<S>,
    known: Alignment<S>,
    (width, height): (u32, u32),
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Alignment<S>, CoreError> {
    if lists[reference].stars.len() < FEWEST_STARS {
        return Ok(known);
    }
    let all: Vec<Vec<Star>> = lists.into_iter().map(|list| list.stars).collect();
    let (reference, hints) = (reference.number(), vec![None; all.len()]);
    let sky = Sky { reference, hints, width, height, stop };
    let mut found: Alignment<S> =
        sky.solve(&all, known.frames.iter().map(|frame| frame.motion.clone()).collect())?;
    for (solved, known) in found.frames.iter_mut().zip(known.frames) {
        match solved.motion {
            Some(_) => solved.by_hand = known.by_hand,
            None => *solved = known,
        }
    }
    Ok(found)
}

struct Sky<'a> {
    reference: usize,
    hints: Vec<Option<Matrix3<f64>>>,
    width: u32,
    height: u32,
    stop: &'a (dyn Fn() -> bool + Sync),
}

impl Sky<'_> {
    fn go_on(&self) -> Result<(), CoreError> {
        if (self.stop)() { Err(CoreError::Cancelled) } else { Ok(()) }
    }

    /// Lights of the reference frame that are at the same place in most frames.
    fn still_lights(&self, all: &[Vec<Star>]) -> Vec<[f64; 2]> {
        if all.len() < 3 {
            return vec![];
        }
        let places: Vec<PositionIndex> = all.par_iter().map(|stars| places_of(stars)).collect();
        let others = || places.iter().enumerate().filter(|(i, _)| *i != self.reference);
        let need = (0.7 * (all.len() - 1) as f64).ceil() as usize;
        all[self.reference]
            .par_iter()
            .map(|s| [s.x, s.y])
            .filter(|&at| {
                others().filter(|(_, p)| p.nearest(at, SAME_PLACE).is_some()).count() >= need
            })
            .collect()
    }

    /// The lists without the stars at the given places.
    fn without(&self, all: &[Vec<Star>], lights: &[[f64; 2]]) -> Vec<Vec<Star>> {
        let mut lists = all.to_vec();
        self.drop_all(&mut lists, lights);
        lists
    }

    /// Removes the stars at the given places from the lists.
    fn drop_all(&self, lists: &mut [Vec<Star>], lights: &[[f64; 2]]) {
        let lights = PositionIndex::new(lights.to_vec(), PLACE_CELL);
        lists.par_iter_mut().for_each(|stars| {
            stars.retain(|s| lights.nearest([s.x, s.y], SAME_PLACE).is_none());
        });
    }

    /// Still lights under which the sky moved in some frames: they are no stars.
    fn lights_of_the_ground(
        &self,
        still: &[[f64; 2]],
        rough: &[Option<matching::Match>],
    ) -> Vec<[f64; 2]> {
        let motions: Vec<_> = rough.iter().flatten().map(|m| m.homography).collect();
        let stays = |at: &&[f64; 2]| {
            let moved = motions.iter().filter(|h| {
                let [x, y] = jade_optics::motion::apply(h, **at);
                (x - at[0]).hypot(y - at[1]) > SKY_MOVED
            });
            moved.count() * 5 >= motions.len().max(1)
        };
        still.iter().filter(stays).copied().collect()
    }

    /// Matches each frame by itself; `None` where too few stars agree.
    fn match_all(&self, lists: &[Vec<Star>]) -> Result<Vec<Option<matching::Match>>, CoreError> {
        let reference = &lists[self.reference];
        lists
            .par_iter()
            .enumerate()
            .map(|(i, stars)| {
                self.go_on()?;
                if i == self.reference {
                    let pairs = (0..stars.len()).map(|i| (i, i)).collect();
                    let homography = Matrix3::identity();
                    return Ok(Some(matching::Match { pairs, homography }));
                }
                if let Some(hint) = &self.hints[i] {
                    return Ok(matching::match_from(stars, reference, hint));
                }
                let found = matching::match_stars(stars, reference, self.width, self.height);
                Ok(found.filter(|found| {
                    let share = self.share_found(reference, &found.pairs, &found.homography);
                    found.pairs.len() >= FEWEST_MATCHES && share >= FOUND_SHARE
                }))
            })
            .collect()
    }

    /// Share of the reference frame's bright stars inside the frame that have a partner.
    fn share_found(
        &self,
        reference: &[Star],
        pairs: &[(usize, usize)],
        motion: &Matrix3<f64>,
    ) -> f64 {
        let Some(back) = motion.try_inverse() else { return 0.0 };
        let found: std::collections::HashSet<usize> = pairs.iter().map(|p| p.1).collect();
        let inside: Vec<usize> = matching::spread(reference, self.width, self.height)
            .into_iter()
            .filter(|&j| {
                let [x, y] = jade_optics::motion::apply(&back, [reference[j].x, reference[j].y]);
                x > 6.0 && y > 6.0 && x < self.width as f64 - 7.0 && y < self.height as f64 - 7.0
            })
            .collect();
        let hits = inside.iter().filter(|j| found.contains(j)).count();
        hits as f64 / inside.len().max(1) as f64
    }

    /// Solves the motions, starting from motions that are known to a few pixels; `None` leaves a
    /// frame out.
    fn solve<S>(
        &self,
        stars: &[Vec<Star>],
        first: Vec<Option<Motion>>,
    ) -> Result<Alignment<S>, CoreError> {
        let reference = &stars[self.reference];
        let mut frames: Vec<Aligned> = first
            .iter()
            .zip(stars)
            .map(|(motion, stars)| match motion {
                Some(_) => Aligned::left_out(None),
                None => Aligned::left_out(Some(too_few(stars, reference))),
            })
            .collect();
        let places = places_of(reference);
        let kept = first.into_iter().enumerate().filter(|(i, _)| *i != self.reference);
        let (kept, mut motions): (Vec<usize>, Vec<Motion>) =
            kept.filter_map(|(i, motion)| Some((i, motion?))).unzip();
        type Sighted = (Vec<Vec<Sighting>>, Vec<usize>);
        let sight = |motions: &[Motion], reach: f64| -> Result<Sighted, CoreError> {
            let found = kept.par_iter().zip(motions).map(|(&i, motion)| {
                self.go_on()?;
                Ok(sightings(&stars[i], reference, &places, motion, reach))
            });
            Ok(found.collect::<Result<Vec<_>, CoreError>>()?.into_iter().unzip())
        };
        let (mut sightings, mut matched) = sight(&motions, 2.0)?;
        let mut solution = camera_of(&motions);
        let reaches: &[f64] = if solution.is_some() { &[1.2] } else { &[4.0, 2.5, 1.5, 1.2] };
        for &reach in reaches {
            self.go_on()?;
            let next = match solution.take() {
                None => camera::solve(&sightings, self.width, self.height, self.stop),
                Some(known) => Some(camera::refine(known, &sightings, 30, self.stop)),
            };
            let Some(next) = next else { break };
            motions = next
                .turns
                .iter()
                .map(|turn| Motion::Camera { lens: next.lens, turn: *turn })
                .collect();
            (sightings, matched) = sight(&motions, reach)?;
            solution = Some(next);
        }
        let solution = solution.map(|known| camera::refine(known, &sightings, 30, self.stop));
        let (motions, lens) = self.choose(solution, &sightings, motions)?;
        let lens_spread = lens.as_ref().and_then(|known| camera::spread(known, &sightings));
        let lens = lens.map(|known| known.lens);

        frames[self.reference] =
            Aligned { matched: reference.len(), rms_px: Some(0.0), ..Aligned::still() };
        let found = kept.iter().zip(motions).zip(sightings.iter().zip(matched));
        for ((&i, motion), (seen_stars, matched)) in found {
            frames[i] = verdict(motion, seen_stars, matched, stars[i].len());
        }
        // Where the stars do not confirm pairs set by hand, the pairs alone place the frame.
        for (frame, hint) in frames.iter_mut().zip(&self.hints) {
            if let Some(hint) = hint {
                if frame.motion.is_none() {
                    *frame = Aligned {
                        motion: Some(Motion::Homography(*hint)),
                        ..Aligned::left_out(None)
                    };
                }
                frame.by_hand = true;
            }
        }
        let lens_spread = lens_spread.map(|spread| spread.data.0);
        Ok(Alignment { frames: frames.into(), lens, lens_spread })
    }

    /// The camera's solution, or a homography for each frame where that explains the sightings
    /// better for the number of its values (Schwarz 1978).
    fn choose(
        &self,
        solution: Option<Solution>,
        sightings: &[Vec<Sighting>],
        rough: Vec<Motion>,
    ) -> Result<(Vec<Motion>, Option<Solution>), CoreError> {
        let homographies: Result<Vec<Motion>, CoreError> = sightings
            .par_iter()
            .zip(rough)
            .map(|(s, rough)| {
                self.go_on()?;
                Ok(robust_homography(s).unwrap_or(rough))
            })
            .collect();
        let homographies = homographies?;
        let Some(solution) = solution else { return Ok((homographies, None)) };
        let turns = solution.turns.iter();
        let cameras: Vec<Motion> =
            turns.map(|turn| Motion::Camera { lens: solution.lens, turn: *turn }).collect();
        let values = 2.0 * sightings.iter().map(Vec::len).sum::<usize>() as f64;
        let frames = sightings.len() as f64;
        let criterion = |motions: &[Motion], parameters: f64| {
            let loss = motions.iter().zip(sightings).map(|(m, s)| robust_loss(m, s)).sum::<f64>();
            loss + parameters * values.max(1.0).ln()
        };
        let camera = criterion(&cameras, camera::LENS_VALUES as f64 + 3.0 * frames);
        Ok(match camera <= criterion(&homographies, 8.0 * frames) {
            true => (cameras, Some(solution)),
            false => (homographies, None),
        })
    }
}

/// The camera of some motions, where all of them have one.
fn camera_of(motions: &[Motion]) -> Option<Solution> {
    let known = motions.iter().map(|motion| match motion {
        Motion::Camera { lens, turn } => Some((*lens, *turn)),
        _ => None,
    });
    let known: Vec<_> = known.collect::<Option<_>>()?;
    let lens = known.first()?.0;
    Some(Solution { lens, turns: known.into_iter().map(|entry| entry.1).collect(), cost: f64::MAX })
}

fn too_few(stars: &[Star], reference: &[Star]) -> String {
    if stars.len() * 4 < reference.len() {
        format!(
            "Only {} stars are found where the reference frame shows {}: clouds, or out of focus.",
            stars.len(),
            reference.len()
        )
    } else {
        "Its stars do not match those of the reference frame: another scene, or the camera was moved too far.".to_owned()
    }
}

fn verdict(motion: Motion, sightings: &[Sighting], matched: usize, found: usize) -> Aligned {
    let (mut squares, mut weights) = (0.0, 0.0);
    for s in sightings {
        let InReference([x, y]) = motion.to_reference(InFrame(s.at));
        let weight = s.error.powi(-2);
        squares += weight * ((x - s.reference[0]).powi(2) + (y - s.reference[1]).powi(2));
        weights += weight;
    }
    let rms = (squares / weights).sqrt();
    let reason = if matched < FEWEST_MATCHES {
        Some(format!(
            "Only {matched} of its {found} stars match those of the reference frame, too few to place it."
        ))
    } else if rms > 1.0 {
        Some(format!("Its stars stay {rms:.1} px rms beside those of the reference frame."))
    } else {
        None
    };
    let residuals = spread_residuals(sightings.iter().map(|s| {
        let InReference([x, y]) = motion.to_reference(InFrame(s.at));
        [s.reference[0], s.reference[1], x - s.reference[0], y - s.reference[1]]
    }));
    Aligned {
        motion: reason.is_none().then_some(motion),
        reason,
        matched,
        rms_px: Some(rms),
        by_hand: false,
        residuals,
    }
}

fn places_of(stars: &[Star]) -> PositionIndex {
    PositionIndex::new(stars.iter().map(|s| [s.x, s.y]).collect(), PLACE_CELL)
}

/// Pairs of stars that lie within `reach` pixels under a motion: the brightest pairs, and the
/// number of all.
fn sightings(
    stars: &[Star],
    reference: &[Star],
    places: &PositionIndex,
    motion: &Motion,
    reach: f64,
) -> (Vec<Sighting>, usize) {
    let nearest = |i: usize| {
        let star: &Star = &stars[i];
        let InReference(at) = motion.to_reference(InFrame([star.x, star.y]));
        places.nearest(at, reach.min(4.0))
    };
    let mut pairs = matching::one_to_one(stars.len(), reference.len(), nearest);
    pairs.sort_unstable();
    let matched = pairs.len();
    pairs.truncate(SIGHTINGS);
    let brightest = pairs
        .into_iter()
        .map(|(i, j)| Sighting {
            at: [stars[i].x, stars[i].y],
            reference: [reference[j].x, reference[j].y],
            error: stars[i].error().hypot(reference[j].error()),
        })
        .collect();
    (brightest, matched)
}

fn robust_loss(motion: &Motion, sightings: &[Sighting]) -> f64 {
    sightings
        .iter()
        .map(|s| {
            let InReference([x, y]) = motion.to_reference(InFrame(s.at));
            let r = (x - s.reference[0]).hypot(y - s.reference[1]) / s.error;
            9.0 * (1.0 + r * r / 9.0).ln()
        })
        .sum()
}

/// A homography by robust iterated weights.
fn robust_homography(sightings: &[Sighting]) -> Option<Motion> {
    let pairs: Vec<Pair> = sightings.iter().map(|s| (s.at, s.reference)).collect();
    let mut weights: Vec<f64> = sightings.iter().map(|s| s.error.powi(-2)).collect();
    let mut found = None;
    for _ in 0..8 {
        let h = homography::fit(&pairs, &weights)?;
        for (weight, s) in weights.iter_mut().zip(sightings) {
            let [x, y] = jade_optics::motion::apply(&h, s.at);
            let r2 =
                ((x - s.reference[0]).powi(2) + (y - s.reference[1]).powi(2)) / s.error.powi(2);
            *weight = s.error.powi(-2) / (1.0 + r2 / 9.0);
        }
        found = Some(Motion::Homography(h));
    }
    found
}
