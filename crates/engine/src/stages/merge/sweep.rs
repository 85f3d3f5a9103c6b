//! A focus sweep before it is merged: the order of its frames, where they lie, and what is to be doubted.

use crate::present::Present;
use crate::request::Request;
use crate::stages::frames::decode;
use crate::stages::frames::decoded::Decoded;
use crate::stages::merge::order::{SweepFound, ordered};
use crate::threads::pool;
use jade_align::Aligned;
use jade_align::sharpness::Sharpness;
use jade_focus::{DepthMap, Moved, Order, bumps, comes_nearer, levels, moved, place, placed_on};
use jade_frames::cache::Key;
use jade_frames::{Frame, FrameInput};
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_plan::frame_index::{FrameIndex, Given, InOrder, PerFrame, Used};
use jade_plan::progress::Stage;
use jade_plan::report::{FocusReport, FocusStep, MovedPlace};
use jade_plan::{AlignMode, CoreError};
use serde::{Deserialize, Serialize};

/// A frame that is the sharpest in a smaller part of its even share of the picture shows nothing in focus.
const LITTLE: f32 = 0.02;

/// A frame that is merged.
pub struct UsedFrame<'a> {
    /// Its index among the given frames.
    pub index: FrameIndex<Given>,
    /// Its index among the frames in order.
    place: FrameIndex<InOrder>,
    pub frame: &'a Frame,
}

/// Frames of a sweep that can be merged, and what is known of them.
pub struct Sweep<'a> {
    pub placed: Placed,
    pub used: PerFrame<Used, UsedFrame<'a>>,
    /// Motions of the used frames to the one in the middle of them.
    pub motions: Vec<Motion>,
    /// Factors that bring the light of the used frames to that of the one in the middle.
    pub gains: Vec<f32>,
    pub map: DepthMap,
    moved: Vec<Moved>,
}

impl<'a> Sweep<'a> {
    /// Puts decoded frames in order and places them.
    ///
    /// # Errors
    /// [`CoreError::Frames`] where fewer than three frames can be read or fewer than two aligned, or
    /// nothing in them tells an order.
    pub fn of(request: &Request, decoded: &'a PerFrame<Given, Decoded>) -> Result<Self, CoreError> {
        let (mut placed, sharpness) = placed(request, decoded)?;
        let (mut used, mut motions, mut sharp) = (vec![], vec![], vec![]);
        for ((place, registered), sharpness) in placed.aligned.enumerate().zip(sharpness) {
            let index = placed.order.frames[place];
            if let (Ok(frame), Some(motion)) = (&decoded[index], &registered.motion) {
                used.push(UsedFrame { index, place, frame });
                motions.push(motion.clone());
                sharp.push(sharpness);
            }
        }
        if used.len() < 2 {
            return Err(CoreError::Frames(
                "Fewer than two frames of this sweep can be aligned; see why the others were left out, or merge them as they lie, without alignment.".to_owned(),
            ));
        }
        let gains = levels(&sharp, &motions, used.len() / 2);
        let level = |(measured, gain): (Sharpness, &f32)| measured.brighter(*gain);
        let sharp: Vec<Sharpness> = sharp.into_iter().zip(&gains).map(level).collect();
        let map = DepthMap::of(&sharp, &motions);
        for (frame, share) in used.iter().zip(map.shares()) {
            if share < LITTLE / used.len() as f32 {
                placed.order.set_usual_around(frame.place);
            }
        }
        let steps = &placed.order.steps;
        let gap = |pair: &[UsedFrame]| {
            let between = pair[0].place.number()..pair[1].place.number();
            steps[between].iter().any(|step| step.is_wide())
        };
        let map = map.with_gaps(used.windows(2).map(gap).collect());
        let moved = moved(&sharp, &motions);
        Ok(Self { placed, used: used.into(), motions, gains, map, moved })
    }

    /// Place of the frame in the middle among those that are used; the others lie on it.
    pub fn middle(&self) -> FrameIndex<Used> {
        FrameIndex::new(self.used.len() / 2)
    }

    /// The report of the sweep; `names` and `inputs` are those of all given frames.
    pub fn report(&self, names: &PerFrame<Given, &str>, inputs: &[FrameInput]) -> FocusReport {
        let Self { placed, used, map, moved, .. } = self;
        let order = &placed.order;
        let mut shares: PerFrame<InOrder, f32> = order.frames.iter().map(|_| 0.0).collect();
        for (frame, share) in used.iter().zip(map.shares()) {
            shares[frame.place] = share;
        }
        let place = |spot: &Moved| MovedPlace {
            file: names[used[spot.frame].index].to_owned(),
            content: inputs[used[spot.frame].index.number()].id.clone(),
            at: spot.at,
            radius_px: spot.radius,
        };
        FocusReport {
            order: order.frames.iter().map(|i| names[*i].to_owned()).collect(),
            contents: order.frames.iter().map(|i| inputs[i.number()].id.clone()).collect(),
            steps: order.steps.iter().copied().map(FocusStep::from).collect(),
            shares: shares.into_vec(),
            doubts: self.doubts(names),
            moved: moved.iter().map(place).collect(),
            known: map.known(),
            between: map.between(),
        }
    }

    /// Sentences about what a person should look at: the order, jolts of the camera, and things that
    /// moved.
    fn doubts(&self, names: &PerFrame<Given, &str>) -> Vec<String> {
        let Self { placed, used, motions, moved, .. } = self;
        let name = |frame: FrameIndex<Used>| names[used[frame].index];
        let jolts = bumps(motions, used[self.middle()].frame.size()).into_iter().map(|bump| {
            let [one, other] = bump.between.map(name);
            format!(
                "Between {one} and {other} the camera moved by {:.0} px, usually by {:.0}; see whether these frames are blurred.",
                bump.px, bump.usual_px
            )
        });
        let moved = moved.iter().map(|spot| {
            let (file, [x, y]) = (name(spot.frame), spot.at);
            match spot.stays {
                true => format!(
                    "Something moved between {} and {file} and stayed there, around {x:.0}, {y:.0} px; patch the place from one of them.",
                    name(spot.before())
                ),
                false => format!(
                    "Something moved in {file}, around {x:.0}, {y:.0} px; leave the frame out, or patch the place from another one."
                ),
            }
        });
        placed.order.doubts(names).into_iter().chain(jolts).chain(moved).collect()
    }
}

/// Puts the frames of a focus sweep in order and places them, and tells what is to be doubted, before
/// they are merged.
///
/// # Errors
/// As for [`crate::stack`] of such a sweep.
pub fn look_over(request: &Request) -> Result<FocusReport, CoreError> {
    request.plan.check()?;
    let present = Present::of(request);
    let request = &present.request(request);
    let names = names(request);
    let key = Key::of("looked over", &names, &[&sweep_key(request)]);
    if let Some(known) = request.cache.read("sweep", &key) {
        return Ok(known);
    }
    let report = pool(request.budget)?.install(|| {
        let Request { cache, watch, .. } = *request;
        let mut decoded = decode::frames(request.frames, cache, (request.budget, true), watch)?;
        decode::settle(&mut decoded, None)?;
        let sweep = Sweep::of(request, &decoded)?;
        let mut report = sweep.report(&names, request.frames);
        let out = names.indices().filter_map(|i| Some((names[i], sweep.placed.of(i).reason?)));
        report.doubts.extend(out.map(|(name, why)| format!("{name} is left out: {why}")));
        Ok::<_, CoreError>(report)
    })?;
    request.cache.write("sweep", &key, &report)?;
    Ok(report)
}

/// Names of all given frames.
pub fn names<'a>(request: &Request<'a>) -> PerFrame<Given, &'a str> {
    request.frames.iter().map(|frame| frame.name.as_str()).collect()
}

/// Frames in the order of focus, and where they lie.
#[derive(Serialize, Deserialize)]
pub struct Placed {
    order: Order<Given>,
    /// Where they lie on the one in the middle of those that are placed.
    aligned: PerFrame<InOrder, Aligned>,
    /// Those that cannot be read, and why.
    left_out: Vec<(FrameIndex<Given>, String)>,
}

impl Placed {
    /// Where a frame lies, by its index among the given ones.
    pub fn of(&self, index: FrameIndex<Given>) -> Aligned {
        match self.order.frames.position(|other| *other == index) {
            Some(place) => self.aligned[place].clone(),
            None => {
                let entry = self.left_out.iter().find(|(out, _)| *out == index);
                Aligned::left_out(entry.map(|(_, why)| why.clone()))
            }
        }
    }
}

/// Puts decoded frames in order, from near to far, and places them; with how sharp each is where.
fn placed(
    request: &Request,
    decoded: &PerFrame<Given, Decoded>,
) -> Result<(Placed, Vec<Sharpness>), CoreError> {
    let Request { plan, watch, .. } = *request;
    let measured: Result<PerFrame<Given, Result<Sharpness, String>>, CoreError> = decoded
        .iter()
        .map(|frame| match frame {
            Ok(frame) => Ok(Ok(Sharpness::of(frame, &|| watch.cancelled())?)),
            Err(why) => Ok(Err(why.clone())),
        })
        .collect();
    let key = sweep_key(request);
    let known: Option<Placed> = request.cache.read("sweep", &key);
    let measured = measured?;
    if let Some(known) = known {
        let mut measured: PerFrame<Given, Option<Sharpness>> =
            measured.into_iter().map(Result::ok).collect();
        let sharpness: Vec<Sharpness> =
            known.order.frames.iter().filter_map(|i| measured[*i].take()).collect();
        if sharpness.len() == known.order.frames.len() {
            return Ok((known, sharpness));
        }
        return Err(CoreError::Frames(
            "A frame of this sweep can no longer be read; see which, and run again without it."
                .to_owned(),
        ));
    }
    let SweepFound { mut order, mut sharpness, left_out } = ordered(measured)?;
    watch.begin(Stage::Align, order.frames.len() as u64);
    if plan.align.mode == AlignMode::None {
        let aligned = order.frames.iter().map(|_| Aligned::still()).collect();
        return Ok((Placed { order, aligned, left_out }, sharpness));
    }
    // Only frames that could be read have a place in the order.
    let read = order.frames.iter().filter_map(|i| decoded[*i].as_ref().ok());
    let lights: Vec<&dyn Light> = read.map(|frame| frame as &dyn Light).collect();
    let mut aligned = place(&lights, &sharpness, watch)?;
    if comes_nearer(&aligned) {
        order.reverse();
        sharpness.reverse();
        aligned.reverse();
    }
    let placed = (0..aligned.len()).filter(|i| aligned[*i].motion.is_some());
    let placed: Vec<usize> = placed.collect();
    let aligned = placed_on(aligned, placed[placed.len() / 2]).into();
    let placed = Placed { order, aligned, left_out };
    request.cache.write("sweep", &key, &placed)?;
    Ok((placed, sharpness))
}

/// Names the order and the places of frames.
fn sweep_key(request: &Request) -> Key {
    let keys: Vec<Key> = request.frames.iter().map(FrameInput::light_key).collect();
    Key::of("sweep", &request.plan.align.mode, &keys.iter().collect::<Vec<_>>())
}
