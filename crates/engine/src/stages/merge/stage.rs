//! A focus sweep to one picture that is sharp from front to back.

use crate::present::Present;
use crate::request::Request;
use crate::stages::frame_report::{exposures, frame_report};
use crate::stages::frames::decode;
use crate::stages::frames::decoded::Decoded;
use crate::stages::merge::order::{SweepFound, ordered};
use crate::stages::note::PictureNote;
use crate::stages::source::Source;
use crate::threads::pool;
use jade_align::Aligned;
use jade_align::sharpness::Sharpness;
use jade_combine::edges;
use jade_focus::{
    DepthMap, Merger, Moved, Order, Scratch, Sight, bumps, comes_nearer, levels, moved, place,
    placed_on,
};
use jade_frames::cache::{Key, MapKind};
use jade_frames::{Frame, FrameInput};
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, SIDE, TileWriter};
use jade_plan::progress::Stage;
use jade_plan::report::{FocusReport, FocusStep, FrameReport, MovedPlace, Report};
use jade_plan::{AlignMode, CoreError, Edges, Plan};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// Side of the parts of a picture that are merged at a time, in pixels.
const PART: u32 = 2 * SIDE;
/// A frame that is the sharpest in a smaller part of its even share of the picture shows nothing in focus.
const LITTLE: f32 = 0.02;

/// Merges the frames of a focus sweep, whatever their order, in place of combining them. Fails with
/// [`CoreError::Frames`] when fewer than three frames can be read or two be aligned, or nothing in them
/// tells an order.
pub struct Merge;

impl Source for Merge {
    fn notes(&self) -> &'static str {
        "focus"
    }

    fn key(&self, request: &Request) -> Key {
        key(request)
    }

    fn make(&self, request: &Request, key: &Key) -> Result<PictureNote, CoreError> {
        merged(request, key)
    }
}

/// A frame that is merged: its number, and the place among those in order.
struct Used<'a> {
    index: usize,
    place: usize,
    frame: &'a Frame,
}

/// Frames of a sweep that can be merged, and what is known of them.
struct Sweep<'a> {
    placed: Placed,
    used: Vec<Used<'a>>,
    /// Where those lie on the one in the middle of them.
    motions: Vec<Motion>,
    /// What brings their light to its light.
    gains: Vec<f32>,
    map: DepthMap,
    moved: Vec<Moved>,
}

impl<'a> Sweep<'a> {
    fn of(request: &Request, decoded: &'a [Decoded]) -> Result<Self, CoreError> {
        let (mut placed, sharpness) = placed(request, decoded)?;
        let (mut used, mut motions, mut sharp) = (vec![], vec![], vec![]);
        for (place, (own, sharpness)) in placed.aligned.iter().zip(sharpness).enumerate() {
            let index = placed.order.frames[place];
            if let (Ok(frame), Some(motion)) = (&decoded[index], &own.motion) {
                used.push(Used { index, place, frame });
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
        let level = |(own, gain): (Sharpness, &f32)| own.brighter(*gain);
        let sharp: Vec<Sharpness> = sharp.into_iter().zip(&gains).map(level).collect();
        let map = DepthMap::of(&sharp, &motions);
        for (own, share) in used.iter().zip(map.shares()) {
            if share < LITTLE / used.len() as f32 {
                placed.order.untold(own.place);
            }
        }
        let steps = &placed.order.steps;
        let gap = |pair: &[Used]| steps[pair[0].place..pair[1].place].iter().any(|s| s.is_wide());
        let map = map.with_gaps(used.windows(2).map(gap).collect());
        let moved = moved(&sharp, &motions);
        Ok(Self { placed, used, motions, gains, map, moved })
    }

    /// What is told of it, by the names and contents of all frames.
    fn told(&self, names: &[&str], inputs: &[FrameInput]) -> FocusReport {
        let Self { placed, used, motions, map, moved, .. } = self;
        let order = &placed.order;
        let mut shares = vec![0.0; order.frames.len()];
        for (own, share) in used.iter().zip(map.shares()) {
            shares[own.place] = share;
        }
        let name = |frame: usize| names[used[frame].index];
        let mut doubts = order.doubts(names);
        doubts.extend(bumps(motions, used[0].frame.size()).into_iter().map(|bump| {
            let (one, other) = (name(bump.after), name(bump.after + 1));
            format!(
                "Between {one} and {other} the camera moved by {:.0} px, usually by {:.0}; see whether these frames are blurred.",
                bump.px, bump.usual_px
            )
        }));
        doubts.extend(moved.iter().map(|own| {
            let (file, [x, y]) = (name(own.frame), own.at);
            match own.stays {
                true => format!(
                    "Something moved between {} and {file} and stayed there, around {x:.0}, {y:.0} px; patch the place from one of them.",
                    name(own.frame - 1)
                ),
                false => format!(
                    "Something moved in {file}, around {x:.0}, {y:.0} px; leave the frame out, or patch the place from another one."
                ),
            }
        }));
        let place = |own: &Moved| MovedPlace {
            file: name(own.frame).to_owned(),
            content: inputs[used[own.frame].index].content.clone(),
            at: own.at,
            radius_px: own.radius,
        };
        FocusReport {
            order: order.frames.iter().map(|i| names[*i].to_owned()).collect(),
            contents: order.frames.iter().map(|i| inputs[*i].content.clone()).collect(),
            steps: order.steps.iter().copied().map(FocusStep::from).collect(),
            shares,
            doubts,
            moved: moved.iter().map(place).collect(),
            told: map.told(),
            between: map.between(),
        }
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
    let told = pool(request.budget)?.install(|| {
        let Request { cache, watch, .. } = *request;
        let mut decoded = decode::frames(request.frames, cache, (request.budget, true), watch)?;
        decode::settle(&mut decoded, None)?;
        let sweep = Sweep::of(request, &decoded)?;
        let mut told = sweep.told(&names, request.frames);
        let out = (0..names.len()).filter_map(|i| Some((names[i], sweep.placed.of(i).reason?)));
        told.doubts.extend(out.map(|(name, why)| format!("{name} is left out: {why}")));
        Ok::<_, CoreError>(told)
    })?;
    request.cache.write("sweep", &key, &told)?;
    Ok(told)
}

fn names<'a>(request: &Request<'a>) -> Vec<&'a str> {
    request.frames.iter().map(|frame| frame.name.as_str()).collect()
}

fn merged(request: &Request, key: &Key) -> Result<PictureNote, CoreError> {
    let Request { plan, cache, watch, .. } = *request;
    let mut decoded = decode::frames(request.frames, cache, (request.budget, true), watch)?;
    decode::settle(&mut decoded, None)?;
    let sweep = Sweep::of(request, &decoded)?;
    let names = names(request);
    let told = sweep.told(&names, request.frames);
    let Sweep { placed, used, motions, gains, map, .. } = sweep;
    let middle = used.len() / 2;
    let (width, height) = used[middle].frame.size();
    let region = match plan.combine.edges {
        Edges::Trim => common(&motions, (width, height))?,
        Edges::Keep | Edges::Fill => Region { x: 0, y: 0, width, height },
    };
    let sights = used.iter().zip(motions).zip(&gains).map(|((own, motion), gain)| {
        let light: &dyn Light = own.frame;
        Sight { light, motion, gain: *gain }
    });
    let merger = Merger::new(sights.collect(), &map, plan.focus.way)?;
    let picture = cache.picture(key);
    let out = TileWriter::<f32>::create(&picture, region.width, region.height, 3)?;
    let create =
        |kind| TileWriter::<u16>::create(&cache.map(key, kind), region.width, region.height, 1);
    let (depth, certainty) = (create(MapKind::Depth)?, create(MapKind::Certainty)?);
    let parts = Region::covering(region.width, region.height, [PART; 2]);
    watch.begin(Stage::Combine, parts.len() as u64);
    parts.into_iter().par_bridge().try_for_each_init(Scratch::default, |scratch, part| {
        let there = part.moved([region.x, region.y]);
        out.write_region(part, &merger.merge(there, scratch, &|| watch.cancelled())?)?;
        depth.write_region(part, &map.codes(there))?;
        certainty.write_region(part, &map.certainty(there))?;
        watch.advance(1);
        Ok::<(), PictureError>(())
    })?;
    out.finish(!request.stream)?;
    depth.finish(false)?;
    certainty.finish(false)?;

    let mut frames: Vec<FrameReport> = (0..names.len())
        .map(|i| frame_report(&request.frames[i], &placed.of(i), None, None, (width, height)))
        .collect();
    for (own, gain) in used.iter().zip(&gains) {
        frames[own.index].weight = 1.0;
        frames[own.index].level = (*gain != 1.0).then_some([*gain, 0.0]);
    }
    let reference = used[middle].index;
    let report = Report {
        version: 1,
        reference: names[reference].to_owned(),
        reference_content: request.frames[reference].content.clone(),
        size: [region.width, region.height],
        origin: [region.x, region.y],
        frames,
        noise: None,
        noise_by_frames: vec![],
        star_width_px: None,
        skyline: None,
        focus: Some(told),
        finish: None,
        exposures: exposures(&decoded, &used.iter().map(|own| own.index).collect::<Vec<_>>()),
        lens: None,
        stages: vec![],
        peak_memory_mib: 0,
    };
    let profile = used[middle].frame.encoding.icc().to_vec();
    Ok(PictureNote { reference, profile, report })
}

/// Frames in the order of focus, and where they lie.
#[derive(Serialize, Deserialize)]
struct Placed {
    order: Order,
    /// Where they lie, in that order, on the one in the middle of those that are placed.
    aligned: Vec<Aligned>,
    /// Those that cannot be read, and why.
    left_out: Vec<(usize, String)>,
}

impl Placed {
    /// What was found for a frame by its number.
    fn of(&self, index: usize) -> Aligned {
        match self.order.frames.iter().position(|own| *own == index) {
            Some(place) => self.aligned[place].clone(),
            None => {
                let own = self.left_out.iter().find(|(out, _)| *out == index);
                Aligned::left_out(own.map(|(_, why)| why.clone()))
            }
        }
    }
}

/// Puts decoded frames in order, from near to far, and places them; with how sharp each is where.
fn placed(request: &Request, decoded: &[Decoded]) -> Result<(Placed, Vec<Sharpness>), CoreError> {
    let Request { plan, watch, .. } = *request;
    let measured: Result<Vec<Result<Sharpness, String>>, CoreError> = decoded
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
        let mut measured: Vec<Option<Sharpness>> = measured.into_iter().map(Result::ok).collect();
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
        let aligned = vec![Aligned::still(); order.frames.len()];
        return Ok((Placed { order, aligned, left_out }, sharpness));
    }
    // Only frames that could be read have a place in the order.
    let read = order.frames.iter().filter_map(|i| decoded[*i].as_ref().ok());
    let lights: Vec<&dyn Light> = read.map(|frame| frame as &dyn Light).collect();
    let mut aligned = place(&lights, &sharpness, watch)?;
    if comes_nearer(&aligned) {
        order.frames.reverse();
        order.steps.reverse();
        sharpness.reverse();
        aligned.reverse();
    }
    let placed = (0..aligned.len()).filter(|i| aligned[*i].motion.is_some());
    let placed: Vec<usize> = placed.collect();
    let aligned = placed_on(aligned, placed[placed.len() / 2]);
    let placed = Placed { order, aligned, left_out };
    request.cache.write("sweep", &key, &placed)?;
    Ok((placed, sharpness))
}

/// Names the order and the places of frames.
fn sweep_key(request: &Request) -> Key {
    let keys: Vec<Key> = request.frames.iter().map(FrameInput::light_key).collect();
    Key::of("sweep", &request.plan.align.mode, &keys.iter().collect::<Vec<_>>())
}

/// What all frames cover.
fn common(motions: &[Motion], (width, height): (u32, u32)) -> Result<Region, CoreError> {
    let motions: Vec<&Motion> = motions.iter().collect();
    edges::common(&motions, None, width, height).ok_or_else(|| {
        CoreError::Frames(
            "These frames have no part in common; fill edges instead of trimming them.".to_owned(),
        )
    })
}

/// Names the picture; the report speaks of frames by name.
fn key(request: &Request) -> Key {
    let Plan { focus, align, combine, .. } = request.plan;
    let names: Vec<&str> = request.frames.iter().map(|frame| frame.name.as_str()).collect();
    let keys: Vec<Key> = request.frames.iter().map(FrameInput::light_key).collect();
    let settings = (focus.way, align.mode, combine.edges, names);
    Key::of("focus", &settings, &keys.iter().collect::<Vec<_>>())
}
