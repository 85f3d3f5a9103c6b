//! `lens`: what frames tell about the lens they were taken through.

use crate::inputs::{files, input, untreated};
use crate::lens_found;
use crate::progress::Progress;
use crate::work::{Common, write_json};
use anyhow::bail;
use clap::Args;
use jade_engine as engine;
use jade_engine::LensFound;
use jade_frames::cache::Cache;
use jade_plan::{LensPlan, PreparePlan};
use serde_json::json;
use std::path::PathBuf;

#[derive(Args)]
pub struct LensArgs {
    /// Frames between which the sky turned: distortion and lateral colour are found from their
    /// stars.
    #[arg(value_name = "FRAME")]
    frames: Vec<PathBuf>,
    /// A flat frame: shading is found from it.
    #[arg(long = "flat", value_name = "FRAME", num_args = 1..)]
    flats: Vec<PathBuf>,
    /// Write the lens, to be given to `stack --lens`.
    #[arg(long, value_name = "FILE.json")]
    out: Option<PathBuf>,
    #[command(flatten)]
    common: Common,
}

pub fn find(args: LensArgs) -> anyhow::Result<()> {
    if args.frames.is_empty() && args.flats.is_empty() {
        bail!("give frames with stars, flat frames with --flat, or both");
    }
    let outputs = args.common.outputs().and("--out", args.out.as_deref());
    let plain = PreparePlan::default();
    let frames: Vec<_> = files(&args.frames)?.iter().map(|file| input(file, &plain)).collect();
    let flats = untreated(&args.flats)?;
    let both = [("a frame", &frames), ("a flat frame", &flats)];
    outputs.check(
        both.iter().flat_map(|(what, some)| some.iter().map(|f| (*what, f.path.as_path()))),
    )?;
    let budget = args.common.budget()?;
    let scratch = args.common.scratch()?;
    let cache = Cache::at(scratch.path());
    let progress = Progress::new(args.common.quiet);
    let mut found = LensFound::default();
    if !flats.is_empty() {
        let lens = LensPlan::default();
        found = engine::lens_of_flats(&flats, lens, &cache, budget, &progress)?;
    }
    if !frames.is_empty() {
        let corner_light = found.corner_light;
        found = engine::lens_of_stars(&frames, found.lens, &cache, budget, &progress)?;
        found.corner_light = corner_light;
    }
    let stages = progress.finish();
    outputs.still_free()?;
    args.common.tell(&json!({ "lens": found, "stages": stages }))?;
    print!("{}", lens_found::lines(&found));
    match &args.out {
        Some(path) => write_json(path, &found.lens),
        None => {
            println!("{}", serde_json::to_string(&found.lens)?);
            Ok(())
        }
    }
}
