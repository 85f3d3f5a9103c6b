//! Aligning frames on the whole scene: for a camera that was held by hand, bumped, or moved a
//! little.
//!
//! Corners of small sketches are matched by their descriptions, and a similarity that most of them
//! agree with is found (Fischler & Bolles 1981). Patches of the sketches, then of the frames
//! themselves, refine it to fractions of a pixel. The simplest model that explains the patches is
//! chosen (Schwarz 1978).

mod features;
mod fit;
mod patches;
mod sketch;

use super::alignment::{Aligned, spread_residuals};
use features::Corner;
use fit::Fit;
use jade_frames::lens::Corrected;
use jade_optics::light::Light;
use jade_optics::motion::{Motion, apply};
use jade_plan::progress::Watch;
use jade_plan::{CoreError, SceneModel};
use nalgebra::Matrix3;
use patches::Patches;
pub use patches::{Blur, Sighting};
use sketch::Sketch;

/// Fewer agreeing corners are considered chance.
const FEWEST_CORNERS: usize = 12;
/// Fewer agreeing patches do not place a frame.
const FEWEST_PATCHES: usize = 10;
/// Least share of the patches seen in a frame that must agree with its motion.
const AGREEING: f64 = 0.4;
/// Largest root mean square distance of those patches, in pixels; more is allowed where frames are
/// blurred differently.
const SURE_PX: f64 = 1.0;
const BLURRED_PX: f64 = 2.0;
/// Most patches.
const PATCHES: usize = 1400;
/// Patches of the sketches.
const ROUGH_PATCHES: usize = 160;
/// Motion changes below this are not searched again, in pixels.
const NEAR: f64 = 0.4;
/// A motion that moves no pixel by more than this counts as none, in pixels.
const STILL: f64 = 0.03;

/// Where the reference frame's content is used.
pub struct LearnedPlaces<'a> {
    /// Positions whose content recognises the frame.
    pub recognised: &'a dyn Fn([f64; 2]) -> bool,
    /// Positions whose content also measures its place to fractions of a pixel.
    pub measured: &'a dyn Fn([f64; 2]) -> bool,
    /// Most patches.
    pub most: usize,
    /// How its blur compares to that of the frames.
    pub blur: Blur,
}

/// The reference frame, prepared for placing the others on it.
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
    /// Prepares the whole reference frame.
    ///
    /// # Errors
    /// [`CoreError::Frames`] when it shows too little to align on.
    pub fn new(
        reference: &dyn Light,
        model: SceneModel,
        watch: &'a dyn Watch,
    ) -> Result<Self, CoreError> {
        let all = |_| true;
        let blur = Blur::Alike;
        Self::within(
            reference,
            model,
            watch,
            &LearnedPlaces { recognised: &all, measured: &all, most: PATCHES, blur },
        )
    }

    /// Prepares the reference frame at some positions.
    ///
    /// # Errors
    /// As for [`Scene::new`].
    pub fn within(
        reference: &dyn Light,
        model: SceneModel,
        watch: &'a dyn Watch,
        places: &LearnedPlaces,
    ) -> Result<Self, CoreError> {
        let reference = &Corrected(reference);
        let sketch = Sketch::of(reference, watch)?;
        let mut corners = features::corners(&sketch);
        corners.retain(|corner| (places.recognised)(sketch.to_frame(corner.at)));
        let rough = corners.iter().take(ROUGH_PATCHES).map(|corner| corner.at);
        let rough = Patches::new(&sketch, rough, false, Blur::Alike)?;
        let full = corners.iter().map(|corner| sketch.to_frame(corner.at));
        let full = full.filter(|at| (places.measured)(*at)).take(places.most.min(PATCHES));
        let full = Patches::new(reference, full, true, places.blur)?;
        if corners.len() < FEWEST_CORNERS || full.count() < FEWEST_PATCHES {
            return Err(CoreError::Frames(
                "The reference frame shows too little detail to align on; choose another reference frame, or combine without alignment.".to_owned(),
            ));
        }
        let step = sketch.step as f64;
        Ok(Self { corners, rough, full, size: reference.size(), step, model, watch })
    }

    /// The reference frame's own alignment.
    pub fn reference(&self) -> Aligned {
        Aligned { matched: self.full.count(), rms_px: Some(0.0), ..Aligned::still() }
    }

    /// Places a frame of the same size, or returns why it cannot be placed. A hint is a motion
    /// known from elsewhere: it is refined, or taken as it is.
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
        let found = self.follow(frame, start, &|_| true)?;
        Ok(match found.and_then(|(fit, sightings)| self.verdict(fit, &sightings)) {
            Some(aligned) => Aligned { by_hand: hint.is_some(), ..aligned },
            None if hint.is_some() => Aligned {
                motion: Some(Motion::Homography(start)),
                by_hand: true,
                ..Aligned::left_out(None)
            },
            None => Aligned::left_out(Some(too_few_agree())),
        })
    }

    /// Sightings of patches of the reference frame in a frame of the same size, most of which agree
    /// on one motion; or why there are none. Patches at positions that count are searched; where
    /// too few of them agree, the next function of positions is tried.
    ///
    /// # Errors
    /// [`CoreError::Cancelled`] when the watch says so.
    pub fn sightings(
        &self,
        frame: &dyn Light,
        places: [&dyn Fn([f64; 2]) -> bool; 2],
    ) -> Result<Result<Vec<Sighting>, String>, CoreError> {
        let start = match self.start(frame)? {
            Ok(start) => start,
            Err(why) => return Ok(Err(why)),
        };
        for counts in places {
            let found = self.follow(frame, start, counts)?;
            let sure = |(fit, sightings): &(Fit, Vec<Sighting>)| {
                fit.rms_px <= BLURRED_PX && agrees(fit, sightings)
            };
            if let Some((_, sightings)) = found.filter(sure) {
                return Ok(Ok(sightings));
            }
        }
        Ok(Err(too_few_agree()))
    }

    /// The motion of a frame to a few pixels, or why it cannot be found.
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
        let near = self.rough.find(&sketch, &Motion::Homography(motion), &|_| true, self.watch)?;
        let size = (sketch.width as u32, sketch.height as u32);
        let better = fit::choose(&near, SceneModel::Auto, size);
        let enough = better.filter(|b| b.agreeing >= FEWEST_PATCHES);
        Ok(Ok(self.scaled(enough.map_or(motion, |b| b.motion))))
    }

    /// Refines a motion that is known to a few pixels, together with the sightings under it.
    fn follow(
        &self,
        frame: &dyn Light,
        start: Matrix3<f64>,
        counts: &dyn Fn([f64; 2]) -> bool,
    ) -> Result<Option<(Fit, Vec<Sighting>)>, CoreError> {
        let mut now = start;
        let mut found = None;
        for _ in 0..3 {
            let sightings = self.full.find(frame, &Motion::Homography(now), counts, self.watch)?;
            let Some(fit) = fit::choose(&sightings, self.model, self.size) else { break };
            let moved = self.furthest(&now, &fit.motion);
            now = fit.motion;
            found = Some((fit, sightings));
            // Patches that were found near their expected position are found well.
            if moved < NEAR {
                break;
            }
        }
        Ok(found)
    }

    /// Largest distance between two motions over a frame, in pixels.
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

    /// Converts a motion between sketches to one between frames.
    fn scaled(&self, motion: Matrix3<f64>) -> Matrix3<f64> {
        let (s, o) = (self.step, (self.step - 1.0) / 2.0);
        let up = Matrix3::new(s, 0.0, o, 0.0, s, o, 0.0, 0.0, 1.0);
        let down = Matrix3::new(1.0 / s, 0.0, -o / s, 0.0, 1.0 / s, -o / s, 0.0, 0.0, 1.0);
        let scaled = up * motion * down;
        scaled / scaled[(2, 2)]
    }

    fn verdict(&self, fit: Fit, sightings: &[Sighting]) -> Option<Aligned> {
        if !is_sure(&fit, sightings) {
            return None;
        }
        let residuals = spread_residuals(sightings.iter().map(|s| {
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

/// Whether the sightings determine a motion well.
fn is_sure(fit: &Fit, sightings: &[Sighting]) -> bool {
    agrees(fit, sightings) && fit.rms_px <= SURE_PX
}

/// Whether enough of the sightings agree with a motion.
fn agrees(fit: &Fit, sightings: &[Sighting]) -> bool {
    let share = fit.agreeing as f64 / sightings.len().max(1) as f64;
    fit.agreeing >= FEWEST_PATCHES && share >= AGREEING
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
