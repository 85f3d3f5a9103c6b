//! From frames and a plan to a picture: only the stages whose key is not in the cache are run.

mod blocks;
mod combine;
mod decode;
mod finish;
mod focus;
mod gallery;
mod ground;
mod joined;
mod lens;
mod memory;
mod moving;
mod patch;
mod present;
mod skyline;
mod squares;
mod stages;
mod streamed;
mod sweep;

pub use focus::look_over;
pub use lens::{LensFound, lens_of_flats, lens_of_stars};
pub use memory::{Budget, default_memory};
pub use moving::moving;
pub use skyline::{Sights, SkylineFound, skyline};

use crate::CoreError;
use crate::align::Motion;
use crate::cache::{Cache, Key, LayerKind};
use crate::combine::level::Level;
use crate::combine::reduce::{Placed, Reducer, Workspace};
use crate::frames::measures::Measures;
use crate::frames::{Frame, FrameInput, Light};
use crate::plan::{Kind, Method, Plan, PlanCalibration, PlanFrame, PlanRecord};
use crate::prepare::calibration::{Calibration, CalibrationFrames};
use crate::prepare::lens::LensPlan;
use crate::prepare::{Denoise, Repair, Shows};
use crate::progress::Watch;
use crate::report::Report;
use crate::skyline::{GroundFrom, SkylineMode};
use jade_pixels::tiled::{Region, SIDE, TileWriter, TiledFile};
use present::Present;
use rayon::prelude::*;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// What to stack, and with what.
pub struct Request<'a> {
    /// The frames, in order.
    pub frames: &'a [FrameInput],
    /// Index of the reference frame; the middle one that can be read when not chosen.
    pub reference: Option<usize>,
    /// The settings.
    pub plan: &'a Plan,
    /// Where products of stages are kept; also the scratch space.
    pub cache: &'a Cache,
    /// Bounds of memory and threads.
    pub budget: Budget,
    /// Whether the cache is for this run alone. Frames that are not in it may then be decoded
    /// without putting them there, where the plan or the memory allow it, and the picture need not
    /// be on the disk before the run ends. The result is the same.
    pub stream: bool,
    /// What the skyline needs beside the frames.
    pub beside: Beside<'a>,
    /// Follows and stops the run.
    pub watch: &'a dyn Watch,
}

/// Files that the plan's skyline speaks of.
#[derive(Clone, Copy, Default)]
pub struct Beside<'a> {
    /// The mask, where one was loaded.
    pub mask: Option<&'a Path>,
    /// Frames of the ground set, or the finished picture, where the ground comes from those.
    pub ground: &'a [FrameInput],
}

/// A finished run.
pub struct Outcome {
    /// Names the picture; the same plan on the same files gives the same key and bytes.
    pub key: Key,
    /// Names what was combined, with its maps and layers; the same where nothing was finished.
    pub combined: Key,
    /// The picture's tiled file: linear light, three channels.
    pub picture: PathBuf,
    /// Embedded profile of the reference frame; empty for plain sRGB.
    pub profile: Vec<u8>,
    /// Index of the reference frame.
    pub reference: usize,
    /// Figures; times and memory are left for the caller, who has the clock.
    pub report: Report,
}

impl Outcome {
    /// Where a layer of the picture is kept, if it was made of layers: finished, where it is.
    pub fn layer(&self, cache: &Cache, kind: LayerKind) -> PathBuf {
        let finished = cache.layer(&self.key, kind);
        if finished.exists() { finished } else { cache.layer(&self.combined, kind) }
    }
}

/// Carries out a plan.
///
/// Memory stays within `request.budget` whatever the number and size of the frames; frames that
/// cannot be read or placed are left out and say why in the report.
///
/// # Errors
/// [`CoreError`] with one sentence for the person. Products of finished stages stay in the cache,
/// and a later run goes on from them.
pub fn stack(request: &Request) -> Result<Outcome, CoreError> {
    request.plan.check()?;
    // What was made of all frames serves while some of them are gone, too.
    let known = match request.plan.kind {
        Kind::FocusSweep => focus::known(request).is_some(),
        _ => known(request, &combine_key(request)).is_some(),
    };
    if known {
        return stacked(request);
    }
    let mut present = Present::of(request);
    loop {
        let outcome = stacked(&present.request(request))?;
        // A frame that went while the run had still to read it was left out under its own name.
        let now = Present::of(request);
        let all_used = outcome.report.frames.iter().all(|frame| frame.used);
        if all_used || now.is_as(&present) {
            return Ok(outcome);
        }
        present = now;
    }
}

fn stacked(request: &Request) -> Result<Outcome, CoreError> {
    if request.plan.kind == Kind::FocusSweep {
        let merged = focus::merge(request)?;
        return pool(request.budget)?.install(|| patch::patched(request, merged));
    }
    let outcome = combined(request)?;
    // How much frames differ is no picture to be finished.
    if !request.plan.finish.is_on() || request.plan.combine.method == Method::Spread {
        return Ok(outcome);
    }
    pool(request.budget)?.install(|| finish::finish(request, outcome))
}

/// What was combined under a key before, if it is there still.
fn known(request: &Request, key: &Key) -> Option<stages::CombineNote> {
    let note = request.cache.read("combine", key)?;
    TiledFile::<f32>::open(&request.cache.picture(key)).is_ok().then_some(note)
}

fn combined(request: &Request) -> Result<Outcome, CoreError> {
    let key = combine_key(request);
    let picture = request.cache.picture(&key);
    if let Some(note) = known(request, &key) {
        return Ok(note.outcome(key, picture));
    }
    let note = pool(request.budget)?.install(|| stages::run(request, &key))?;
    request.cache.write("combine", &key, &note)?;
    Ok(note.outcome(key, picture))
}

fn align_key(request: &Request) -> Key {
    let keys: Vec<Key> = request.frames.iter().map(FrameInput::plain_key).collect();
    let inputs: Vec<&Key> = keys.iter().collect();
    let lenses: Vec<&LensPlan> = request.frames.iter().map(|f| &f.prepare.lens).collect();
    // A mask that is loaded tells which stars are in the sky.
    let mask = loaded_mask(request).and(request.plan.skyline.mask.as_ref()).map(|own| &own.blake3);
    Key::of("align", &(&request.plan.align, request.reference, lenses, mask), &inputs)
}

/// The mask, where the plan loads one and its file is at hand.
fn loaded_mask<'a>(request: &Request<'a>) -> Option<&'a Path> {
    request.beside.mask.filter(|_| request.plan.skyline.mode == SkylineMode::Mask)
}

fn combine_key(request: &Request) -> Key {
    // Names do not change the picture, but the report speaks of frames by name.
    let names: Vec<&str> = request.frames.iter().map(|f| f.name.as_str()).collect();
    // Noise reduction does not change where frames lie.
    let denoise: Vec<&Denoise> = request.frames.iter().map(|f| &f.prepare.denoise).collect();
    let align = align_key(request);
    if !request.plan.skyline.is_on() {
        return Key::of("combine", &(&request.plan.combine, names, denoise), &[&align]);
    }
    let plan = (&request.plan.combine, &request.plan.skyline);
    let ground: Vec<Key> = request.beside.ground.iter().map(FrameInput::light_key).collect();
    let inputs: Vec<&Key> = std::iter::once(&align).chain(&ground).collect();
    Key::of("join", &(plan, names, denoise), &inputs)
}

/// Makes what frames are calibrated with, and gives it to them; tells how many samples are repaired
/// in each.
///
/// # Errors
/// [`CoreError::Frames`] when frames do not fit together, [`CoreError::Picture`],
/// [`CoreError::Cancelled`].
pub fn calibrate(
    frames: &CalibrationFrames,
    lights: &mut [FrameInput],
    repair: Repair,
    cache: &Cache,
    budget: Budget,
    watch: &dyn Watch,
) -> Result<usize, CoreError> {
    let make = || Calibration::of(frames, lights, repair, cache, watch);
    let Some(calibration) = pool(budget)?.install(make)? else { return Ok(0) };
    let repaired = calibration.faults().len();
    let calibration = Arc::new(calibration);
    lights.iter_mut().for_each(|light| light.calibration = Some(calibration.clone()));
    Ok(repaired)
}

/// The same for the frames of a ground set: with what fits them, as they may be exposed otherwise
/// than the lights. A finished picture is not calibrated again.
///
/// # Errors
/// As for [`calibrate`].
pub fn calibrate_ground(
    frames: &CalibrationFrames,
    ground: &mut [FrameInput],
    plan: &Plan,
    cache: &Cache,
    budget: Budget,
    watch: &dyn Watch,
) -> Result<(), CoreError> {
    if ground.is_empty() || !matches!(plan.skyline.ground.from, GroundFrom::Set { .. }) {
        return Ok(());
    }
    let frames = frames.as_far_as_fitting(ground);
    calibrate(&frames, ground, plan.prepare.repair, cache, budget, watch).map(|_| ())
}

fn pool(budget: Budget) -> Result<rayon::ThreadPool, CoreError> {
    rayon::ThreadPoolBuilder::new()
        .num_threads(budget.threads)
        .build()
        .map_err(|e| CoreError::Setting(format!("The threads could not be started: {e}.")))
}

/// Writes a frame as it lies on the reference frame under a motion, to a tiled file of linear light
/// at `path`: for looking at an alignment.
///
/// # Errors
/// [`CoreError::Picture`].
pub fn place(frame: &Frame, motion: &Motion, path: &Path) -> Result<(), CoreError> {
    let (width, height) = frame.size();
    let placed = Placed { light: frame, motion, levels: [Level::NONE; 3], weight: 1.0 };
    let mut plan = Plan::of(Kind::NightSky).combine;
    plan.method = Method::Mean;
    let reducer = Reducer::new(vec![placed], &plan, 0);
    let writer = TileWriter::<f32>::create(path, width, height, 3)?;
    Region::covering(width, height, [SIDE; 2]).into_par_iter().try_for_each_init(
        Workspace::default,
        |space, tile| {
            let made = reducer.reduce(tile, space, &|| false)?;
            writer.write_region(tile, &made.light)
        },
    )?;
    writer.finish(false)?;
    Ok(())
}

/// Measures a frame: it is decoded where that has not been done, and its stars are found for later
/// runs too.
///
/// # Errors
/// [`CoreError::Picture`]; [`CoreError::Cancelled`] when `stop` says so.
pub fn measure(
    input: &FrameInput,
    cache: &Cache,
    budget: Budget,
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Measures, CoreError> {
    let frame = decode::one(input, cache, budget, stop)?;
    let stars = stages::stars_in(input, cache, &frame, stop)?;
    Ok(Measures::of(&frame, &stars, stop)?)
}

/// The record of a run to save beside its result; frames are named by BLAKE3 of their content.
pub fn record(
    frames: &[FrameInput],
    ground: &[FrameInput],
    calibration: &CalibrationFrames,
    plan: &Plan,
    report: &Report,
) -> PlanRecord {
    let named = |input: &FrameInput, used: bool| PlanFrame {
        file: input.name.clone(),
        blake3: input.content.clone(),
        used,
    };
    let CalibrationFrames { darks, flats, biases } = calibration;
    let kinds = [(Shows::Dark, darks), (Shows::Flat, flats), (Shows::Bias, biases)];
    let calibration = kinds.iter().flat_map(|(shows, inputs)| {
        inputs.iter().map(|input| PlanCalibration { shows: *shows, frame: named(input, true) })
    });
    PlanRecord {
        plan: plan.clone(),
        reference: report.reference.clone(),
        reference_blake3: report.reference_content.clone(),
        frames: frames.iter().zip(&report.frames).map(|(i, f)| named(i, f.used)).collect(),
        ground: ground.iter().map(|input| named(input, true)).collect(),
        calibration: calibration.collect(),
    }
}
