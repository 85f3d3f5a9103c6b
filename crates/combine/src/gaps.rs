//! Fills the gaps that pauses between exposures leave in star trails.
//!
//! The light of a frame that turned with the sky (lighter than both neighbouring frames at the same
//! place, well above the noise) is moved along the sky's motion until the next exposure begins, and
//! the lightest is kept. Light that stands still is not part of it, so the ground stays as it is.

use jade_frames::lens::Corrected;
use jade_optics::lens::Geometry;
use jade_optics::light::Light;
use jade_optics::motion::{Backward, Motion};
use jade_optics::resample::{self, Scratch};
use jade_optics::space::InReference;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use nalgebra::{Matrix3, Rotation3};

/// Standard deviations of noise beyond which light counts as the sky's.
const ABOVE: f32 = 3.5;
/// Largest step along a trail in pixels, narrower than the image of a star.
const STEP: f64 = 0.7;
/// A path of more steps is an interruption, not a pause between exposures.
const MOST_STEPS: usize = 64;

/// A frame whose stars are moved on towards the next frame.
pub struct Gap<'a> {
    layer: Layer<'a>,
    next: &'a dyn Light,
    /// The ways from the picture to the frame, one for each step.
    backward: Vec<Backward>,
}

/// The light of a frame that turned with the sky; the rest is zero.
struct Layer<'a> {
    before: Option<&'a dyn Light>,
    middle: &'a dyn Light,
    after: &'a dyn Light,
    noise: f32,
    level: f32,
}

/// A frame and the motion of its sky.
pub struct Exposure<'a> {
    /// The light.
    pub light: &'a dyn Light,
    /// The motion of its sky to that of the reference frame, if it is known.
    pub sky: Option<Motion>,
    /// Noise of its samples, in linear light.
    pub noise: f32,
    /// Usual level of its sky, in linear light.
    pub level: f32,
}

/// The gaps between exposures in the order they were taken; all are of one size.
pub fn find<'a>(exposures: &[Exposure<'a>]) -> Vec<Gap<'a>> {
    let mut gaps = Vec::new();
    for (i, pair) in exposures.windows(2).enumerate() {
        let [this, next] = pair else { continue };
        let (Some(from), Some(to)) = (&this.sky, &next.sky) else { continue };
        let (width, height) = this.light.size();
        let whole = moved_on(from, to, 1.0);
        let way = whole.grid(width, height, 7, 5).into_iter();
        let way = way.map(|[x, y, u, v]| (u - x).hypot(v - y)).fold(0.0, f64::max);
        let steps = (way / STEP).ceil() as usize;
        if !way.is_finite() || !(2..=MOST_STEPS).contains(&steps) {
            continue;
        }
        let backward =
            (1..steps).map(|k| moved_on(from, to, k as f64 / steps as f64).backward()).collect();
        let before = i.checked_sub(1).map(|before| exposures[before].light);
        let (noise, level) = (this.noise, this.level);
        let layer = Layer { before, middle: this.light, after: next.light, noise, level };
        gaps.push(Gap { layer, next: next.light, backward });
    }
    gaps
}

/// The motion from a frame to where its sky is after a share of the way to the next frame.
fn moved_on(from: &Motion, to: &Motion, share: f64) -> Motion {
    // The reference frame itself has no motion: a camera that did not turn.
    let lens = [from, to].into_iter().find_map(|motion| match motion {
        Motion::Camera { lens, .. } => Some(*lens),
        _ => None,
    });
    if let Some(lens) = lens {
        let turn = |motion: &Motion| match motion {
            Motion::Camera { turn, .. } => *turn,
            _ => Rotation3::identity(),
        };
        let whole = turn(to).inverse() * turn(from);
        return Motion::Camera { lens, turn: whole.powf(share) };
    }
    let matrix = |motion: &Motion| match motion {
        Motion::Homography(h) => *h,
        _ => Matrix3::identity(),
    };
    let whole = matrix(&to.inverted()) * matrix(from);
    let whole = whole / whole[(2, 2)];
    Motion::Homography(Matrix3::identity() * (1.0 - share) + whole * share)
}

impl Gap<'_> {
    /// Lightens three planes of a region, which hold the lightest of all frames, by this gap.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn fill(
        &self,
        InReference(region): InReference<Region>,
        planes: &mut [Vec<f32>; 3],
        scratch: &mut Scratch,
    ) -> Result<(), PictureError> {
        let mut ground = Corrected(self.layer.middle).planes(region)?;
        for (ground, next) in ground.iter_mut().zip(Corrected(self.next).planes(region)?) {
            ground.iter_mut().zip(next).for_each(|(g, n)| *g = g.min(n));
        }
        let mut stars = [(); 3].map(|()| vec![0.0; region.area()]);
        for backward in &self.backward {
            let out = stars.each_mut().map(Vec::as_mut_slice);
            let covered = resample::read(&self.layer, backward, InReference(region), out, scratch)?;
            for ((plane, stars), ground) in planes.iter_mut().zip(&stars).zip(&ground) {
                for (i, (have, star)) in plane.iter_mut().zip(stars).enumerate() {
                    if *star > 0.0 && covered.as_ref().is_none_or(|c| c[i]) {
                        *have = have.max(ground[i] + star);
                    }
                }
            }
        }
        Ok(())
    }
}

impl Light for Layer<'_> {
    fn size(&self) -> (u32, u32) {
        self.middle.size()
    }

    fn lens(&self) -> Option<&Geometry> {
        self.middle.lens()
    }

    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        let here = self.middle.planes(region)?;
        let mut near = self.after.planes(region)?;
        if let Some(before) = self.before {
            for (near, before) in near.iter_mut().zip(before.planes(region)?) {
                near.iter_mut().zip(before).for_each(|(n, b)| *n = n.max(b));
            }
        }
        let width = region.width as usize;
        // The colours decide together, so that a star keeps its colour.
        let turned: Vec<bool> = (0..region.area())
            .map(|i| {
                let sum = |planes: &[Vec<f32>; 3]| planes.iter().map(|p| p[i]).sum::<f32>() / 3.0;
                let (here, near) = (sum(&here), sum(&near));
                // Shot noise grows with light.
                here - near > ABOVE * self.noise * (near / self.level).max(1.0).sqrt()
            })
            .collect();
        for ((out, here), near) in planes.into_iter().zip(here).zip(near) {
            for (y, row) in out.chunks_mut(stride).take(region.height as usize).enumerate() {
                for (x, value) in row[..width].iter_mut().enumerate() {
                    let i = y * width + x;
                    *value = if turned[i] { (here[i] - near[i]).max(0.0) } else { 0.0 };
                }
            }
        }
        Ok(())
    }
}
