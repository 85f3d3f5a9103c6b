//! `focus`: the frames of a focus sweep.

use crate::inputs::{files, input};
use crate::progress::Progress;
use crate::stack::{form, target};
use crate::work::Common;
use anyhow::{Context, bail};
use clap::{Args, ValueEnum};
use jade_core::cache::Cache;
use jade_core::engine::{self, FocusPlan, FocusRequest, Merged};
use jade_core::export::{self, Form};
use jade_core::focus::{Order, Way};
use jade_core::frames::FrameInput;
use jade_core::prepare::PreparePlan;
use jade_pixels::read::PictureFile;
use jade_pixels::write::Target;
use serde_json::{Value, json};
use std::path::PathBuf;

#[derive(Args)]
pub struct FocusArgs {
    /// Frames of one sweep, in any order.
    #[arg(value_name = "FRAME", required = true)]
    frames: Vec<PathBuf>,
    /// The merged picture: .tif, .png or .jpg. Without it the order of focus is told alone.
    #[arg(long, value_name = "FILE")]
    out: Option<PathBuf>,
    /// How frames are merged.
    #[arg(long, value_enum, default_value_t = WayArg::Fine)]
    way: WayArg,
    /// How the motion of the frames is found.
    #[arg(long, value_enum, default_value_t = AlignArg::Scene)]
    align: AlignArg,
    /// Edges that not every frame covers: cut them off, or fill them from the frames that do.
    #[arg(long, value_enum, default_value_t = EdgesArg::Trim)]
    edges: EdgesArg,
    /// Bits of the picture's samples; 16 unless it is a JPEG. With 32f a TIFF holds linear light as
    /// floating-point numbers.
    #[arg(long, value_parser = ["8", "16", "32f"])]
    depth: Option<String>,
    /// Write the focus map as a grey 16-bit TIFF or PNG: black for the first frame in order, white for
    /// the last one, 65535 alone where no frame is told to be sharp.
    #[arg(long, value_name = "FILE")]
    save_depth: Option<PathBuf>,
    #[command(flatten)]
    common: Common,
}

#[derive(Clone, Copy, ValueEnum)]
enum WayArg {
    /// For hairs and bristles: each scale of detail from where it is sharp.
    Fine,
    /// For smooth surfaces: each place as a whole from where it is sharp.
    Smooth,
}

#[derive(Clone, Copy, ValueEnum)]
enum AlignArg {
    /// Each on its neighbours: shift, turn and scale.
    Scene,
    /// Not at all.
    None,
}

#[derive(Clone, Copy, ValueEnum)]
enum EdgesArg {
    Trim,
    Fill,
}

/// Tells the order of the frames, one name in each line, and what is to be doubted; merges them.
pub fn focus(args: FocusArgs) -> anyhow::Result<()> {
    let files_to_write = args.files()?;
    let budget = args.common.budget()?;
    let scratch = args.common.scratch()?;
    let cache = Cache::at(scratch.path());
    let progress = Progress::new(args.common.quiet);
    let plain = PreparePlan::default();
    let frames: Vec<FrameInput> =
        files(&args.frames)?.iter().map(|file| input(file, &plain)).collect();
    let names: Vec<&str> = frames.iter().map(|frame| frame.name.as_str()).collect();
    let Some((form, depth)) = files_to_write else {
        let found = engine::sweep(&frames, &cache, budget, &progress)?;
        progress.finish();
        return args.common.tell(&told(&found.order, &found.left_out, &names));
    };
    let plan = args.plan();
    let request = FocusRequest { frames: &frames, plan, cache: &cache, budget, watch: &progress };
    let merged = engine::merge(&request)?;
    cache.drop_frames();
    let facts = PictureFile::open(&frames[merged.reference].path)?.facts().clone();
    let out = args.out.as_deref().context("a picture is written")?;
    export::write(out, form, &merged.picture, &merged.profile, Some(&facts), &progress)?;
    if let (Some(path), Some(target)) = (&args.save_depth, depth) {
        export::write_grey(path, target, &merged.depth)?;
    }
    let mut report = told(&merged.order, &merged.left_out, &names);
    report["frames"] = placed(&merged, &names);
    report["reference"] = json!(names[merged.reference]);
    report["origin"] = json!([merged.region.x, merged.region.y]);
    report["size"] = json!([merged.region.width, merged.region.height]);
    report["gains"] = json!(merged.gains);
    report["told"] = json!(merged.told);
    report["stages"] = json!(progress.finish());
    report["peak_memory_mib"] = json!(jade_server::peak_memory_mib());
    args.common.tell(&report)
}

impl FocusArgs {
    fn plan(&self) -> FocusPlan {
        FocusPlan {
            way: match self.way {
                WayArg::Fine => Way::Fine,
                WayArg::Smooth => Way::Smooth,
            },
            trim: matches!(self.edges, EdgesArg::Trim),
            align: matches!(self.align, AlignArg::Scene),
        }
    }

    /// What is to be written, if anything: the picture's form, and that of the focus map.
    fn files(&self) -> anyhow::Result<Option<(Form, Option<Target>)>> {
        let depth = match &self.save_depth {
            None => None,
            Some(path) => match target(path, true) {
                Some(own) if !matches!(own, Target::Jpeg { .. }) => Some(own),
                _ => bail!("{}: name the focus map .tif or .png", path.display()),
            },
        };
        match &self.out {
            Some(out) => Ok(Some((form(out, self.depth.as_deref())?, depth))),
            None if depth.is_some() => bail!("--save-depth needs --out"),
            None => Ok(None),
        }
    }
}

/// Tells the order, and what is left out and doubted; the same for the report.
fn told(order: &Order, left_out: &[(usize, String)], names: &[&str]) -> Value {
    for (i, why) in left_out {
        eprintln!("jade-stack: {} is left out: {why}", names[*i]);
    }
    let doubts = order.doubts(names);
    doubts.iter().for_each(|doubt| eprintln!("jade-stack: {doubt}"));
    let in_order: Vec<&str> = order.frames.iter().map(|i| names[*i]).collect();
    in_order.iter().for_each(|name| println!("{name}"));
    let steps: Vec<f32> = order.steps.iter().map(|step| step.length).collect();
    json!({ "order": in_order, "steps": steps, "doubts": doubts })
}

/// Where each frame lies, in order.
fn placed(merged: &Merged, names: &[&str]) -> Value {
    let size = [merged.region.width, merged.region.height];
    let frames = merged.order.frames.iter().zip(&merged.aligned).map(|(i, aligned)| {
        let rows = aligned.motion.as_ref().map(|motion| {
            let m = motion.nearest_homography(size[0], size[1]);
            [0, 1, 2].map(|i| [m[(i, 0)], m[(i, 1)], m[(i, 2)]])
        });
        json!({
            "file": names[*i],
            "used": aligned.motion.is_some(),
            "reason": aligned.reason,
            "to_reference": rows,
            "rms_px": aligned.rms_px,
            "matched": aligned.matched,
        })
    });
    Value::Array(frames.collect())
}
