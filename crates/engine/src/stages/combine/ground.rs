//! The frames of the ground, and their motions.

use crate::request::Request;
use crate::stages::combine::used::UsedFrame;
use crate::stages::frames::decode;
use crate::stages::frames::decoded::Decoded;
use jade_align::noise;
use jade_align::scene::{Blur, LearnedPlaces, Scene};
use jade_combine::mask::{Mask, Side};
use jade_combine::normalise::Normalisation;
use jade_combine::reduce::{Placed, Reducer, Scratch};
use jade_frames::Frame;
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_optics::resample;
use jade_optics::space::InReference;
use jade_optics::statistics::median;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame, Used};
use jade_plan::progress::Stage;
use jade_plan::report::NoiseGain;
use jade_plan::{CombinePlan, CoreError, Edges, GroundFrom, Method, SceneModel};
use rayon::prelude::*;

/// Side of the patches by which the ground's brightness is compared.
const PATCH: u32 = 24;

/// The frames of the ground.
pub struct Ground {
    /// Frames other than those of the sky, with their motions.
    ground_only: Vec<(Frame, Motion)>,
    /// Frames that are shared with the sky.
    shared: Vec<FrameIndex<Given>>,
    /// Whether those are all frames of the sky.
    whole: bool,
    /// Factors that bring red, green and blue towards the brightness of the sky's frames.
    pub gain: [f32; 3],
    /// Names of frames that were left out, with the reasons.
    pub left_out: Vec<(String, String)>,
}

/// A frame with its motion, or its name and the reason why it is left out.
type Placing = Result<(Frame, Motion), (String, String)>;

static STILL: Motion = Motion::Still;

impl Ground {
    /// Opens and places the frames.
    ///
    /// # Errors
    /// [`CoreError`], when no frame is left.
    pub fn open(
        request: &Request,
        used: &PerFrame<Used, UsedFrame>,
        reference: &Frame,
        mask: &Mask,
    ) -> Result<Self, CoreError> {
        let plan = &request.plan.skyline.ground;
        let shared = match &plan.from {
            GroundFrom::Same => used.iter().map(|one| one.index).collect(),
            GroundFrom::Frame { blake3 } => {
                let place = request.find(blake3);
                let place = place.filter(|&i| used.iter().any(|one| one.index == i));
                vec![place.ok_or_else(|| {
                    CoreError::Frames("The frame that the ground should come from is not among the frames that are used; choose another for the ground.".to_owned())
                })?]
            }
            GroundFrom::Set { .. } | GroundFrom::Picture(_) => vec![],
        };
        let whole = plan.from == GroundFrom::Same;
        let (ground_only, left_out) = (vec![], vec![]);
        let mut ground = Self { ground_only, shared, whole, gain: [1.0; 3], left_out };
        if ground.shared.is_empty() {
            ground.take(request, reference, mask)?;
            ground.gain = ground.gain(reference, mask, plan.matched)?;
        }
        Ok(ground)
    }

    /// Decodes and places frames other than those of the sky.
    fn take(&mut self, request: &Request, reference: &Frame, mask: &Mask) -> Result<(), CoreError> {
        let inputs = request.skyline_inputs.ground;
        let decoded =
            decode::frames(inputs, request.cache, (request.budget, false), request.watch)?;
        let names: Vec<String> = inputs.iter().map(|input| input.name.clone()).collect();
        request.watch.begin(Stage::Align, decoded.len() as u64);
        let places = |at: [f64; 2]| mask.at(at[0].round() as i64, at[1].round() as i64) == 0;
        let blur = Blur::Alike;
        let places =
            LearnedPlaces { recognised: &places, measured: &|_| true, most: usize::MAX, blur };
        let scene = Scene::within(reference, SceneModel::Auto, request.watch, &places);
        let one = |(frame, name): (Decoded, String)| {
            let frame = match frame {
                Ok(frame) if frame.size() == reference.size() => frame,
                Ok(frame) => {
                    let ((w, h), (own_w, own_h)) = (reference.size(), frame.size());
                    let why =
                        format!("it has {own_w} x {own_h} pixels and the sky's frames {w} x {h}");
                    return Ok(Err((name, why)));
                }
                Err(why) => return Ok(Err((name, why))),
            };
            // Where the frame shows too little to align on, the camera is assumed to have stood
            // still.
            let motion = match &scene {
                Ok(scene) => scene.place(&frame, None)?.motion,
                Err(CoreError::Cancelled) => return Err(CoreError::Cancelled),
                Err(_) => None,
            };
            request.watch.advance(1);
            Ok(Ok((frame, motion.unwrap_or(Motion::Still))))
        };
        let named: Vec<(Decoded, String)> = decoded.into_iter().zip(names).collect();
        let all: Result<Vec<Placing>, CoreError> =
            named.into_par_iter().with_max_len(1).map(one).collect();
        let all = all?;
        for one in all {
            match one {
                Ok(ground_only) => self.ground_only.push(ground_only),
                Err(why) => self.left_out.push(why),
            }
        }
        match self.ground_only.is_empty() {
            false => Ok(()),
            true => Err(CoreError::Frames(match self.left_out.first() {
                Some((name, why)) => format!("The ground's frames cannot be used: {name}: {why}."),
                None => "There are no frames for the ground; add a ground set, or let the ground come from the frames of the sky.".to_owned(),
            })),
        }
    }

    /// Number of frames.
    pub fn count(&self) -> usize {
        self.ground_only.len() + self.shared.len()
    }

    /// Whether the ground comes from frames of the sky; then the sky that passed behind it is
    /// known.
    pub fn is_shared(&self) -> bool {
        !self.shared.is_empty()
    }

    /// Whether it comes from all frames of the sky.
    pub fn is_of_the_sky(&self) -> bool {
        self.whole
    }

    /// The frames of the sky among them.
    pub fn shared<'a, 'b>(
        &self,
        used: &'b PerFrame<Used, UsedFrame<'a>>,
    ) -> Vec<&'b UsedFrame<'a>> {
        used.iter().filter(|one| self.shared.contains(&one.index)).collect()
    }

    /// The frames with their motions and levels for the ground.
    pub fn placed<'a>(&'a self, used: &'a PerFrame<Used, UsedFrame>) -> Vec<Placed<'a>> {
        if self.is_shared() {
            let still = |one: &&'a UsedFrame| Placed { motion: &STILL, ..one.placed() };
            return self.shared(used).iter().map(still).collect();
        }
        let levels = self.gain.map(|gain| Normalisation { gain, offset: 0.0 });
        let opened =
            |(light, motion): &'a (Frame, Motion)| Placed { light, motion, levels, weight: 1.0 };
        self.ground_only.iter().map(opened).collect()
    }

    /// The settings by which they are combined.
    pub fn plan(&self, request: &Request) -> CombinePlan {
        let method = match self.count() {
            1 => Method::Mean,
            _ => request.plan.skyline.ground.method,
        };
        CombinePlan { method, edges: Edges::Fill, ..request.plan.combine.clone() }
    }

    /// Noise of the ground of one frame and of all frames together, from differences of halves, as
    /// detail of the ground is no noise. `None` with fewer than four frames, or where no patch
    /// shows pure ground.
    ///
    /// # Errors
    /// [`CoreError::Picture`], [`CoreError::Cancelled`].
    pub fn noise(
        &self,
        request: &Request,
        used: &PerFrame<Used, UsedFrame>,
        mask: &Mask,
        ideal_gain: f32,
    ) -> Result<Option<NoiseGain>, CoreError> {
        let count = self.count();
        if count < 4 {
            return Ok(None);
        }
        let (width, height) = mask.size();
        let patches = Region::covering(width, height, [2 * PATCH; 2]).into_iter();
        let whole = |region: &Region| region.width == 2 * PATCH && region.height == 2 * PATCH;
        let patches: Vec<Region> = patches
            .filter(|region| whole(region) && mask.side(InReference(*region)) == Side::Ground)
            .collect();
        let step = patches.len().div_ceil(40).max(1);
        let plan = self.plan(request);
        let reducer = |counts: &dyn Fn(usize) -> bool| {
            let some = self.placed(used).into_iter().enumerate().filter(|(i, _)| counts(*i));
            Reducer::new(some.map(|(_, light)| light).collect(), &plan)
        };
        let pairs = [
            [reducer(&|i| i == 0), reducer(&|i| i == 1)],
            [reducer(&|i| i % 2 == 0), reducer(&|i| i % 2 == 1)],
        ];
        let sigma =
            |[one, other]: &[Reducer; 2], patch: InReference<Region>, scratch: &mut Scratch| {
                let stop = || request.watch.cancelled();
                let mut light = one.reduce(patch, scratch, &stop)?.light;
                let other = other.reduce(patch, scratch, &stop)?.light;
                light.iter_mut().zip(other).for_each(|(v, other)| *v -= other);
                Ok::<f32, PictureError>(noise::of_light(&light, patch.0.width as usize))
            };
        let figures: Result<Vec<[f32; 2]>, PictureError> = patches
            .into_par_iter()
            .step_by(step)
            .map_init(Scratch::default, |scratch, patch| {
                let there = InReference(patch);
                Ok([sigma(&pairs[0], there, scratch)?, sigma(&pairs[1], there, scratch)?])
            })
            .collect();
        let figures = figures?;
        if figures.is_empty() {
            return Ok(None);
        }
        let middle =
            |i: usize| median(&mut figures.iter().map(|figure| figure[i]).collect::<Vec<_>>());
        let (all, even) = (count as f32, count.div_ceil(2) as f32);
        let halves = 1.0 / even + 1.0 / (all - even);
        let (single, result) = (middle(0) / 2f32.sqrt(), middle(1) / (halves * all).sqrt());
        let gain = single / result.max(1e-9);
        Ok((single > 0.0).then_some(NoiseGain { single, result, gain, ideal_gain }))
    }

    /// Factors that bring these frames' ground to the brightness of the reference frame's, `amount`
    /// of the way: for each colour the median ratio over patches, weighted by brightness.
    fn gain(&self, reference: &Frame, mask: &Mask, amount: f32) -> Result<[f32; 3], PictureError> {
        let (width, height) = reference.size();
        let patches = Region::covering(width, height, [PATCH; 2]).into_iter();
        let patches: Vec<Region> =
            patches.filter(|patch| mask.side(InReference(*patch)) == Side::Ground).collect();
        let step = patches.len().div_ceil(600).max(1);
        let few: Vec<Region> = patches.into_iter().step_by(step).collect();
        let of = |light: &dyn Light, motion: &Motion, patch: Region| {
            let mut planes = [(); 3].map(|()| vec![0.0; patch.area()]);
            let out = planes.each_mut().map(Vec::as_mut_slice);
            resample::read(
                light,
                &motion.backward(),
                InReference(patch),
                out,
                &mut resample::Scratch::default(),
            )?;
            Ok::<_, PictureError>(planes.map(|mut plane| median(&mut plane)))
        };
        let one = |patch: &Region| {
            let wanted = of(reference, &STILL, *patch)?;
            let mut mean = [0.0f32; 3];
            for (frame, motion) in &self.ground_only {
                let light = of(frame, motion, *patch)?;
                mean.iter_mut()
                    .zip(light)
                    .for_each(|(sum, v)| *sum += v / self.ground_only.len() as f32);
            }
            Ok([mean, wanted])
        };
        let pairs: Result<Vec<[[f32; 3]; 2]>, PictureError> = few.par_iter().map(one).collect();
        let pairs = pairs?;
        Ok([0, 1, 2].map(|c| {
            // Clipped light says nothing about the ratio.
            let values = pairs.iter().map(|[found, wanted]| (found[c], wanted[c]));
            ratio(values.filter(|(found, wanted)| found.max(*wanted) < 0.9).collect()).powf(amount)
        }))
    }
}

/// The median ratio of the second of each pair to the first, weighted by light.
fn ratio(pairs: Vec<(f32, f32)>) -> f32 {
    let mut ratios: Vec<(f32, f32)> = pairs
        .into_iter()
        .filter(|(found, wanted)| *found > 1e-6 && *wanted > 1e-6)
        .map(|(found, wanted)| (wanted / found, found.min(wanted)))
        .collect();
    ratios.sort_by(|a, b| a.0.total_cmp(&b.0));
    let half = ratios.iter().map(|(_, weight)| weight).sum::<f32>() / 2.0;
    let mut sum = 0.0;
    let middle = ratios.iter().find(|(_, weight)| {
        sum += weight;
        sum >= half
    });
    middle.map_or(1.0, |(ratio, _)| ratio.clamp(1e-3, 1e3))
}

#[cfg(test)]
mod tests {
    use super::ratio;

    #[test]
    fn a_few_patches_that_changed_do_not_tell_the_gain() {
        let mut pairs: Vec<(f32, f32)> =
            (1..60).map(|i| (0.01 * i as f32, 0.0025 * i as f32)).collect();
        pairs.extend([(0.2, 0.8), (0.3, 0.001), (0.0, 0.1)]);
        assert!((ratio(pairs) - 0.25).abs() < 1e-6);
        assert_eq!(ratio(vec![]), 1.0);
    }
}
