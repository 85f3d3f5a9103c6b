//! `skyline`: where the sky ends, as a mask.

use crate::inputs::{files, input};
use crate::progress::Progress;
use crate::say::say;
use crate::work::Common;
use crate::written::target;
use anyhow::bail;
use clap::Args;
use jade_engine as engine;
use jade_engine::{Request, SkylineInputs};
use jade_frames::cache::Cache;
use jade_pixels::write::Target;
use jade_plan::progress::Watch;
use jade_plan::report::StageTime;
use jade_plan::{Kind, Plan};
use serde::Serialize;
use std::path::PathBuf;

#[derive(Args)]
pub struct MaskArgs {
    /// Frames between which the sky turned; a single one gives a fair mask.
    #[arg(value_name = "FRAME", required = true)]
    frames: Vec<PathBuf>,
    /// The mask: the share of sky of each pixel of the middle frame, as a grey 16-bit TIFF or PNG.
    #[arg(long, value_name = "FILE")]
    out: PathBuf,
    /// Move the edge of the ground into the sky, in pixels; a negative number moves it back.
    #[arg(long, value_name = "PX", default_value_t = 0.0, allow_negative_numbers = true)]
    margin: f32,
    /// Soften the mask, in pixels.
    #[arg(long, value_name = "PX", default_value_t = 0.0)]
    soft: f32,
    #[command(flatten)]
    common: Common,
}

/// What was measured.
#[derive(Serialize)]
struct MaskReport {
    /// Share of the reference frame that is sky.
    sky: f32,
    /// Frames that were looked at.
    frames: usize,
    reference: PathBuf,
    stages: Vec<StageTime>,
}

pub fn find(args: MaskArgs) -> anyhow::Result<()> {
    let target = target(&args.out, true).filter(|file| !matches!(file, Target::Jpeg { .. }));
    let Some(target) = target else {
        bail!("{}: name the mask .tif or .png", args.out.display());
    };
    let mut plan = Plan::of(Kind::NightSky);
    plan.skyline.margin_px = args.margin;
    plan.skyline.soft_px = args.soft;
    plan.check()?;
    let frames: Vec<_> =
        files(&args.frames)?.iter().map(|file| input(file, &plan.prepare)).collect();
    let outputs = args.common.outputs().and("--out", Some(&args.out));
    outputs.check(frames.iter().map(|frame| ("a frame", frame.path.as_path())))?;
    let scratch = args.common.scratch()?;
    let cache = Cache::at(scratch.path());
    let progress = Progress::new(args.common.quiet);
    let found = engine::skyline(&Request {
        frames: &frames,
        reference: None,
        plan: &plan,
        cache: &cache,
        budget: args.common.budget()?,
        stream: false,
        skyline_inputs: SkylineInputs::default(),
        watch: &progress,
    })?;
    let mask = found.skyline.mask(&found.sights.views(), &|| progress.cancelled())?;
    let mask = mask.shaped(&plan.skyline);
    outputs.still_free()?;
    mask.write(&args.out, target)?;
    let said = MaskReport {
        sky: mask.sky_of_all(),
        frames: found.sights.count(),
        reference: frames[found.reference.number()].path.clone(),
        stages: progress.finish(),
    };
    args.common.tell(&said)?;
    if said.frames == 1 {
        eprintln!(
            "jade-stack: found in one frame alone, where nothing moves: look the mask over before you use it."
        );
    }
    if !args.common.quiet {
        say(format!("{:.0} % sky in {}", 100.0 * said.sky, said.reference.display()));
    }
    Ok(())
}
