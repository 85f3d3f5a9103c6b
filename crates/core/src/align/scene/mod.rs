//! Aligning frames on the whole scene: for a camera that was held by hand, bumped, or moved a
//! little.
//!
//! Corners of small sketches are matched by description and a similarity is found that most of them
//! agree with (Fischler & Bolles 1981); patches of the sketches, then of the frames themselves,
//! refine it to fractions of a pixel. The simplest model that explains the patches is taken
//! (Schwarz 1978).

mod features;
mod fit;
mod patches;
mod sketch;

use super::alignment::{Aligned, spread_residuals};
use super::motion::{Motion, apply};
use crate::CoreError;
use crate::frames::Light;
use crate::plan::SceneModel;
use crate::prepare::lens::Corrected;
use crate::progress::Watch;
use features::Corner;
use fit::Fit;
use nalgebra::Matrix3;
use patches::Patches;
pub use patches::Sighting;
use sketch::Sketch;

/// Fewer agreeing corners are taken for chance.
const FEWEST_CORNERS: usize = 12;
/// Fewer agreeing patches do not place a frame.
const FEWEST_PATCHES: usize = 10;
/// Share of the patches that can be seen in a frame which must agree with its motion.
const AGREEING: f64 = 0.4;
/// Patches at most.
const PATCHES: usize = 1400;
/// Patches of the sketches.
const ROUGH_PATCHES: usize = 160;
/// A motion that changes by less than this is looked for once only, in pixels.
const NEAR: f64 = 0.4;
/// A motion that moves nothing by more than this is none, in pixels.
const STILL: f64 = 0.03;

/// The reference frame, ready to be looked for in the others; which motions they may have.
pub struct Scene<'a> {
    corners: Vec<Corner>,
    rough: Patches,
    full: Patches,
    size: (u32, u32),
    step: f64,
    model: SceneModel,
    watch: &'a dyn Watch,
}

impl<'a> Scene<'a> {
    /// Learns what the reference frame shows.
    ///
    /// # Errors
    /// [`CoreError::Frames`] when that is too little to align on.
    pub fn new(
        reference: &dyn Light,
        model: SceneModel,
        watch: &'a dyn Watch,
    ) -> Result<Self, CoreError> {
        Self::within(reference, model, watch, (&|_| true, PATCHES))
    }

    /// Learns what the reference frame shows at some places, from so many patches at most.
    ///
    /// # Errors
    /// As for [`Scene::new`].
    pub fn within(
        reference: &dyn Light,
        model: SceneModel,
        watch: &'a dyn Watch,
        (counts, most): (&dyn Fn([f64; 2]) -> bool, usize),
    ) -> Result<Self, CoreError> {
        let reference = &Corrected(reference);
        let sketch = Sketch::of(reference, watch)?;
        let mut corners = features::corners(&sketch);
        corners.retain(|corner| counts(sketch.to_frame(corner.at)));
        let places = || corners.iter().take(most.min(PATCHES)).map(|c| c.at);
        let rough = Patches::new(&sketch, places().take(ROUGH_PATCHES), false)?;
        let full = Patches::new(reference, places().map(|at| sketch.to_frame(at)), true)?;
        if corners.len() < FEWEST_CORNERS || full.count() < FEWEST_PATCHES {
            return Err(CoreError::Frames(
                "The reference frame shows too little detail to align on; choose another reference frame, or combine without alignment.".to_owned(),
            ));
        }
        let step = sketch.step as f64;
        Ok(Self { corners, rough, full, size: reference.size(), step, model, watch })
    }

    /// The reference frame's own place.
    pub fn reference(&self) -> Aligned {
        Aligned { matched: self.full.count(), rms_px: Some(0.0), ..Aligned::still() }
    }

    /// Places a frame of the same size, or tells why it cannot be placed. With a hint, a motion
    /// known from elsewhere, it is refined from there, or placed by it alone.
    ///
    /// # Errors
    /// [`CoreError::Cancelled`] when the watch says so.
    pub fn place(
        &self,
        frame: &dyn Light,
        hint: Option<&Matrix3<f64>>,
    ) -> Result<Aligned, CoreError> {
        let start = match hint {
            Some(hint) => *hint,
            None => match self.start(frame)? {
                Ok(start) => start,
                Err(why) => return Ok(Aligned::left_out(Some(why))),
            },
        };
        let found = self.follow(frame, start)?;
        Ok(match found.and_then(|(fit, seen)| self.verdict(fit, &seen)) {
            Some(aligned) => Aligned { by_hand: hint.is_some(), ..aligned },
            None if hint.is_some() => Aligned {
                motion: Some(Motion::Homography(start)),
                by_hand: true,
                ..Aligned::left_out(None)
            },
            None => Aligned::left_out(Some(too_few_agree())),
        })
    }

    /// Where patches of the reference frame are seen in a frame of the same size, most of which agree
    /// on one motion; or why there are none.
    ///
    /// # Errors
    /// [`CoreError::Cancelled`] when the watch says so.
    pub fn sightings(&self, frame: &dyn Light) -> Result<Result<Vec<Sighting>, String>, CoreError> {
        let start = match self.start(frame)? {
            Ok(start) => start,
            Err(why) => return Ok(Err(why)),
        };
        let found = self.follow(frame, start)?;
        let found = found.filter(|(fit, seen)| is_sure(fit, seen));
        Ok(found.map(|(_, seen)| seen).ok_or_else(too_few_agree))
    }

    /// The motion of a frame to a few pixels, or why it cannot be told.
    fn start(&self, frame: &dyn Light) -> Result<Result<Matrix3<f64>, String>, CoreError> {
        let sketch = Sketch::of(&Corrected(frame), self.watch)?;
        let corners = features::corners(&sketch);
        let pairs: Vec<_> = features::pairs(&corners, &self.corners)
            .into_iter()
            .map(|(i, j)| (corners[i].at, self.corners[j].at))
            .collect();
        let alike = fit::agreeing_similarity(&pairs);
        let Some((motion, _)) = alike.filter(|(_, agreeing)| *agreeing >= FEWEST_CORNERS) else {
            return Ok(Err(nothing_alike(corners.len())));
        };
        let near = self.rough.find(&sketch, &Motion::Homography(motion), self.watch)?;
        let size = (sketch.width as u32, sketch.height as u32);
        let better = fit::choose(&near, SceneModel::Auto, size);
        let enough = better.filter(|b| b.agreeing >= FEWEST_PATCHES);
        Ok(Ok(self.scaled(enough.map_or(motion, |b| b.motion))))
    }

    /// Refines a motion that is known to a few pixels, and what is seen under it.
    fn follow(
        &self,
        frame: &dyn Light,
        start: Matrix3<f64>,
    ) -> Result<Option<(Fit, Vec<Sighting>)>, CoreError> {
        let mut now = start;
        let mut found = None;
        for _ in 0..3 {
            let seen = self.full.find(frame, &Motion::Homography(now), self.watch)?;
            let Some(fit) = fit::choose(&seen, self.model, self.size) else { break };
            let moved = self.furthest(&now, &fit.motion);
            now = fit.motion;
            found = Some((fit, seen));
            // Patches that were found near where they were looked for are found well.
            if moved < NEAR {
                break;
            }
        }
        Ok(found)
    }

    /// How far two motions lie apart at most over a frame, in pixels.
    fn furthest(&self, one: &Matrix3<f64>, other: &Matrix3<f64>) -> f64 {
        let (width, height) = self.size;
        let apart = |x: u32, y: u32| {
            let at =
                [f64::from(width) * f64::from(x) / 4.0, f64::from(height) * f64::from(y) / 4.0];
            let ([x, y], [u, v]) = (apply(one, at), apply(other, at));
            (x - u).hypot(y - v)
        };
        (0..25).map(|i| apart(i % 5, i / 5)).fold(0.0, f64::max)
    }

    /// A motion between sketches as a motion between frames.
    fn scaled(&self, motion: Matrix3<f64>) -> Matrix3<f64> {
        let (s, o) = (self.step, (self.step - 1.0) / 2.0);
        let up = Matrix3::new(s, 0.0, o, 0.0, s, o, 0.0, 0.0, 1.0);
        let down = Matrix3::new(1.0 / s, 0.0, -o / s, 0.0, 1.0 / s, -o / s, 0.0, 0.0, 1.0);
        let scaled = up * motion * down;
        scaled / scaled[(2, 2)]
    }

    fn verdict(&self, fit: Fit, seen: &[Sighting]) -> Option<Aligned> {
        if !is_sure(&fit, seen) {
            return None;
        }
        let residuals = spread_residuals(seen.iter().map(|s| {
            let [x, y] = apply(&fit.motion, s.at);
            [s.reference[0], s.reference[1], x - s.reference[0], y - s.reference[1]]
        }));
        let homography = Motion::Homography(fit.motion);
        let furthest = self.furthest(&Matrix3::identity(), &fit.motion);
        let motion = if furthest < STILL { Motion::Still } else { homography };
        Some(Aligned {
            motion: Some(motion),
            reason: None,
            matched: fit.agreeing,
            rms_px: Some(fit.rms_px),
            by_hand: false,
            residuals,
        })
    }
}

/// Whether enough of what is seen agrees with a motion.
fn is_sure(fit: &Fit, seen: &[Sighting]) -> bool {
    let share = fit.agreeing as f64 / seen.len().max(1) as f64;
    fit.agreeing >= FEWEST_PATCHES && share >= AGREEING && fit.rms_px <= 1.0
}

fn too_few_agree() -> String {
    "Too few of its details agree on one motion: something large moved, or the camera was moved too far.".to_owned()
}

fn nothing_alike(corners: usize) -> String {
    if corners < FEWEST_CORNERS {
        return "It shows too little detail to align on: blurred, covered or without light."
            .to_owned();
    }
    "Its details do not match those of the reference frame: another scene, or the camera was moved too far.".to_owned()
}
