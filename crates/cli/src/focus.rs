//! `focus`: the frames of a focus sweep.

use crate::inputs::{files, input};
use crate::progress::Progress;
use crate::say::{self, say};
use crate::work::{Common, Finished, Work, write_json};
use crate::written::{WrittenArgs, target};
use anyhow::{Context, bail};
use clap::{Args, ValueEnum};
use jade_engine as engine;
use jade_engine::export::{self, Form};
use jade_engine::{Request, SkylineInputs};
use jade_frames::CalibrationFrames;
use jade_frames::cache::{Cache, MapKind};
use jade_frames::{FrameInput, content_hash};
use jade_pixels::write::Target;
use jade_plan::report::{Figures, StageReport};
use jade_plan::{AlignMode, Edges, Kind, MergeMethod, Plan};
use serde_json::json;
use std::path::{Path, PathBuf};

#[derive(Args)]
pub struct FocusArgs {
    /// Frames of one sweep, in any order.
    #[arg(value_name = "FRAME", required = true)]
    frames: Vec<PathBuf>,
    /// The merged picture: .tif, .png or .jpg. Without it only the order of focus is printed.
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
    #[command(flatten)]
    written: WrittenArgs,
    /// Write the depth map as a grey 16-bit TIFF or PNG: black for the first frame in order, white
    /// for the last, 65535 where no frame is known to be sharp.
    #[arg(long, value_name = "FILE")]
    save_depth: Option<PathBuf>,
    /// Write a small moving view that goes through the frames in the order of focus and back, as a moving
    /// PNG.
    #[arg(long, value_name = "FILE.png")]
    moving: Option<PathBuf>,
    /// Write the plan with the frames it was carried out on, for `run`.
    #[arg(long, value_name = "FILE.json")]
    save_plan: Option<PathBuf>,
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
    let form = args.form()?;
    let depth = args.depth_target()?;
    if let Some(path) = args.moving.as_ref().filter(|path| path.extension() != Some("png".as_ref()))
    {
        bail!("{}: name the moving view .png", path.display());
    }
    let plan = args.plan();
    let kept = files(&args.frames)?;
    let mut frames: Vec<FrameInput> = kept.iter().map(|file| input(file, &plan.prepare)).collect();
    let Some((out, form)) = form else { return args.order(&frames, &plan) };
    let outputs = (args.common.outputs())
        .and("--out", Some(out))
        .and("--save-depth", args.save_depth.as_deref())
        .and("--moving", args.moving.as_deref())
        .and("--save-plan", args.save_plan.as_deref());
    outputs.check(frames.iter().map(|frame| ("a frame", frame.path.as_path())))?;
    if args.save_plan.is_some() {
        // A saved plan names files by their content.
        for frame in &mut frames {
            frame.id = content_hash(&frame.path)?.into();
        }
    }
    let calibration = CalibrationFrames::default();
    let (reference, mask, ground, find_lens) = (None, None, vec![], false);
    let moving = args.moving.clone();
    let work = Work { frames, reference, calibration, plan, mask, ground, find_lens, moving };
    args.common.carry_out(work, &outputs, |done| {
        let Finished { outcome, cache, record, .. } = *done;
        args.written.write(out, form, done)?;
        if let (Some(path), Some(target)) = (&args.save_depth, depth) {
            export::write_grey(path, target, &cache.map(&outcome.combined, MapKind::Depth))?;
        }
        let found = outcome.report.focus().context("a sweep tells its order")?;
        tell(&found.order, &found.doubts);
        args.save_plan.as_ref().map_or(Ok(()), |path| write_json(path, record))
    })
}

impl FocusArgs {
    fn plan(&self) -> Plan {
        let mut plan = Plan::of(Kind::FocusSweep);
        plan.focus.way = match self.way {
            WayArg::Fine => MergeMethod::Pyramid,
            WayArg::Smooth => MergeMethod::DepthMap,
        };
        plan.combine.edges = match self.edges {
            EdgesArg::Trim => Edges::Trim,
            EdgesArg::Fill => Edges::Fill,
        };
        plan.align.mode = match self.align {
            AlignArg::Scene => AlignMode::Scene,
            AlignArg::None => AlignMode::None,
        };
        plan
    }

    /// The picture to be written, if one is, and its form.
    fn form(&self) -> anyhow::Result<Option<(&Path, Form)>> {
        match &self.out {
            Some(out) => Ok(Some((out, self.written.form(out)?))),
            None if self.save_depth.is_some() => bail!("--save-depth needs --out"),
            None if self.moving.is_some() => bail!("--moving needs --out"),
            None if self.save_plan.is_some() => bail!("--save-plan needs --out"),
            None => Ok(None),
        }
    }

    fn depth_target(&self) -> anyhow::Result<Option<Target>> {
        let Some(path) = &self.save_depth else { return Ok(None) };
        match target(path, true) {
            Some(file) if !matches!(file, Target::Jpeg { .. }) => Ok(Some(file)),
            _ => bail!("{}: name the depth map .tif or .png", path.display()),
        }
    }

    /// Tells the order, and what is to be doubted, alone.
    fn order(&self, frames: &[FrameInput], plan: &Plan) -> anyhow::Result<()> {
        let outputs = self.common.outputs();
        outputs.check(frames.iter().map(|frame| ("a frame", frame.path.as_path())))?;
        let scratch = self.common.scratch()?;
        let cache = &Cache::at(scratch.path());
        let progress = Progress::new(self.common.quiet);
        let (budget, skyline_inputs) = (self.common.budget()?, SkylineInputs::default());
        let watch = &progress;
        let (reference, stream) = (None, true);
        let request =
            Request { frames, reference, plan, cache, budget, stream, skyline_inputs, watch };
        let found = engine::look_over(&request)?;
        progress.finish();
        outputs.still_free()?;
        tell(&found.order, &found.doubts);
        let stage = StageReport { seconds: None, figures: Figures::Merge(found) };
        self.common.tell(&json!({ "stages": [stage] }))
    }
}

/// The order to the output, and doubts beside it.
fn tell(order: &[impl AsRef<str>], doubts: &[String]) {
    doubts.iter().for_each(|doubt| say(format!("jade-stack: {doubt}")));
    order.iter().for_each(|name| say::tell(name.as_ref()));
}
