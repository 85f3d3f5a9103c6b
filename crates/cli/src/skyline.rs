//! Options of keeping sky and ground apart.

use crate::inputs::{files, input};
use crate::outputs::Input;
use crate::written::target;
use anyhow::{Context, bail};
use clap::{Args, ValueEnum};
use jade_engine::{Outcome, export};
use jade_frames::cache::{Cache, LayerKind};
use jade_frames::{FrameInput, content_hash};
use jade_pixels::write::Target;
use jade_plan::{GroundFrom, Method, NamedFile, Plan, PreparePlan, SkylineMode};
use std::path::{Path, PathBuf};

#[derive(Args)]
pub struct SkylineArgs {
    /// Keep sky and ground apart, with a skyline that is found, or with a mask: a grey picture,
    /// white for sky.
    #[arg(long, value_name = "auto|none|MASK-FILE", default_value = "none")]
    skyline: PathBuf,
    /// Move the edge of the ground into the sky, in pixels; a negative number moves it back.
    #[arg(long, value_name = "PX", default_value_t = 0.0, allow_negative_numbers = true)]
    skyline_margin: f32,
    /// Soften the mask, in pixels.
    #[arg(long, value_name = "PX", default_value_t = 0.0)]
    skyline_soft: f32,
    /// How the ground is combined, without alignment; `frame` takes a single one.
    #[arg(long, value_enum, default_value_t = GroundArg::Clipped)]
    ground: GroundArg,
    /// Frames that the ground comes from, instead of those of the sky; placed on the reference frame
    /// where the camera was nudged.
    #[arg(long, value_name = "FRAME", num_args = 1..)]
    ground_frame: Vec<PathBuf>,
    /// How far brightness and colour of such frames are brought to those of the sky's, 0 to 1.
    #[arg(long, value_name = "AMOUNT", default_value_t = 0.0)]
    ground_match: f32,
    /// Write the share of sky of each pixel, as a grey 16-bit TIFF or PNG.
    #[arg(long, value_name = "FILE")]
    save_mask: Option<PathBuf>,
    /// Size of that mask: the result's, or that of a whole frame, as --skyline takes it again.
    #[arg(long, value_enum, default_value_t = MaskSize::Result, requires = "save_mask")]
    mask_size: MaskSize,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum MaskSize {
    /// As the result.
    Result,
    /// As the frames; what was cut off is as its nearest edge.
    Frame,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum GroundArg {
    /// The average.
    Mean,
    /// The middle value.
    Median,
    /// The mean of the samples that do not lie far from the median.
    Clipped,
    /// A single frame: the one that is given, or the reference frame.
    Frame,
}

impl SkylineArgs {
    fn is_off(&self) -> bool {
        self.skyline == Path::new("none")
    }

    /// Checks that options fit together, and that the mask can be written under its name.
    pub fn check(&self) -> anyhow::Result<()> {
        if self.is_off() && (self.save_mask.is_some() || !self.ground_frame.is_empty()) {
            bail!("--save-mask and --ground-frame need --skyline auto or a mask");
        }
        if self.ground == GroundArg::Frame && self.ground_frame.len() > 1 {
            bail!(
                "--ground frame takes one --ground-frame; combine several by mean, median or clipped"
            );
        }
        match &self.save_mask {
            Some(path) if self.mask_target(path).is_none() => {
                bail!("{}: name the mask .tif or .png", path.display())
            }
            _ => Ok(()),
        }
    }

    /// All files that are read; the words `auto` and `none` name none.
    pub fn inputs(&self) -> impl Iterator<Item = Input<'_>> {
        let ground = self.ground_frame.iter().map(|path| ("a frame of the ground", path.as_path()));
        ground.chain([("the mask", self.skyline.as_path())])
    }

    /// Where the mask is written, if it is.
    pub fn mask_output(&self) -> Option<&Path> {
        self.save_mask.as_deref()
    }

    fn mask_target(&self, path: &Path) -> Option<Target> {
        target(path, true).filter(|file| !matches!(file, Target::Jpeg { .. }))
    }

    /// Sets the skyline of a plan; the mask's file where there is one.
    pub fn mask(&self, plan: &mut Plan) -> anyhow::Result<Option<PathBuf>> {
        plan.skyline.margin_px = self.skyline_margin;
        plan.skyline.soft_px = self.skyline_soft;
        if self.is_off() {
            return Ok(None);
        }
        if self.skyline == Path::new("auto") {
            plan.skyline.mode = SkylineMode::Auto;
            return Ok(None);
        }
        let path = &self.skyline;
        let shown = path.display();
        if !path.is_file() {
            bail!("{shown}: there is no such mask; give auto, none or a mask's file to --skyline");
        }
        let file = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        plan.skyline.mode = SkylineMode::Mask;
        plan.skyline.mask = Some(NamedFile { file, blake3: content_hash(path)? });
        Ok(Some(path.clone()))
    }

    /// Sets the ground of a plan; its frames where they are others than those of the sky.
    pub fn ground(
        &self,
        plan: &mut Plan,
        frames: &[FrameInput],
        reference: Option<usize>,
    ) -> anyhow::Result<Vec<FrameInput>> {
        let settings = &mut plan.skyline.ground;
        settings.matched = self.ground_match;
        settings.method = match self.ground {
            GroundArg::Mean | GroundArg::Frame => Method::Mean,
            GroundArg::Median => Method::Median,
            GroundArg::Clipped => Method::Clipped,
        };
        if self.ground_frame.is_empty() {
            if self.ground == GroundArg::Frame {
                let chosen = &frames[reference.unwrap_or(frames.len() / 2)];
                settings.from = GroundFrom::Frame { blake3: chosen.id.clone() };
            }
            return Ok(vec![]);
        }
        let kept = files(&self.ground_frame)?;
        let same = |frame: &&FrameInput, real: &Path| {
            frame.path.canonicalize().is_ok_and(|path| path == real)
        };
        if let [(_, real)] = &kept[..]
            && let Some(frame) = frames.iter().find(|frame| same(frame, real))
        {
            settings.from = GroundFrom::Frame { blake3: frame.id.clone() };
            return Ok(vec![]);
        }
        settings.from = GroundFrom::Set { set: 0 };
        let treated = PreparePlan { gain_ev: 0.0, ..plan.prepare.clone() };
        let mut ground: Vec<FrameInput> = kept.iter().map(|file| input(file, &treated)).collect();
        for frame in &mut ground {
            frame.id = content_hash(&frame.path)?.into();
        }
        Ok(ground)
    }

    /// Saves the mask of a finished run on frames of this size.
    pub fn save(&self, outcome: &Outcome, cache: &Cache, size: (u32, u32)) -> anyhow::Result<()> {
        let Some(path) = &self.save_mask else { return Ok(()) };
        let target = self.mask_target(path).context("the mask's name was checked")?;
        let layer = outcome.layer(cache, LayerKind::Mask);
        match self.mask_size {
            MaskSize::Result => export::write_grey(path, target, &layer)?,
            MaskSize::Frame => {
                export::write_mask(path, target, &layer, outcome.report.origin, size)?;
            }
        }
        Ok(())
    }
}
