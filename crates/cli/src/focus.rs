//! `focus`: the frames of a focus sweep.

use crate::inputs::{files, input};
use crate::progress::Progress;
use crate::work::Common;
use clap::Args;
use jade_core::cache::Cache;
use jade_core::engine;
use jade_core::prepare::PreparePlan;
use serde_json::json;
use std::path::PathBuf;

#[derive(Args)]
pub struct FocusArgs {
    /// Frames of one sweep, in any order.
    #[arg(value_name = "FRAME", required = true)]
    frames: Vec<PathBuf>,
    #[command(flatten)]
    common: Common,
}

/// Tells the order of the frames, one name in each line, and what is to be doubted.
pub fn put_in_order(args: FocusArgs) -> anyhow::Result<()> {
    let budget = args.common.budget()?;
    let scratch = args.common.scratch()?;
    let cache = Cache::at(scratch.path());
    let progress = Progress::new(args.common.quiet);
    let plain = PreparePlan::default();
    let frames: Vec<_> = files(&args.frames)?.iter().map(|file| input(file, &plain)).collect();
    let found = engine::sweep(&frames, &cache, budget, &progress)?;
    progress.finish();
    let names: Vec<&str> = frames.iter().map(|frame| frame.name.as_str()).collect();
    for (i, why) in &found.left_out {
        eprintln!("jade-stack: {} is left out: {why}", names[*i]);
    }
    let doubts = found.order.doubts(&names);
    doubts.iter().for_each(|doubt| eprintln!("jade-stack: {doubt}"));
    let order: Vec<&str> = found.order.frames.iter().map(|i| names[*i]).collect();
    order.iter().for_each(|name| println!("{name}"));
    let steps: Vec<f32> = found.order.steps.iter().map(|step| step.length).collect();
    args.common.tell(&json!({ "order": order, "steps": steps, "doubts": doubts }))
}
