//! `stack`: frames to one picture, without a browser.

use crate::inputs::{Given, files, input, untreated};
use crate::outputs::Input;
use crate::skyline::SkylineArgs;
use crate::work::{Common, Finished, Work, write_json};
use crate::written::{WrittenArgs, target};
use anyhow::{Context, bail};
use clap::{Args, ValueEnum};
use jade_engine::export::{self, Form};
use jade_frames::CalibrationFrames;
use jade_frames::cache::MapKind;
use jade_frames::{FrameInput, content_hash};
use jade_pixels::write::Target;
use jade_plan::{
    AlignMode, Demosaic, Denoise, Edges, Highlights, Kind, LensPlan, Method, Plan, PreparePlan,
    Repair, SceneModel, WhiteBalance,
};
use std::path::{Path, PathBuf};

#[derive(Args)]
pub struct StackArgs {
    /// The frames, in order.
    #[arg(required = true, value_name = "FRAME")]
    frames: Vec<PathBuf>,
    /// The result: .tif, .png or .jpg.
    #[arg(long, value_name = "FILE")]
    out: PathBuf,
    /// A dark frame: with the lens cap on, exposed as the frames. Give as many as there are.
    #[arg(long = "dark", value_name = "FRAME", num_args = 1..)]
    darks: Vec<PathBuf>,
    /// A flat frame: of an evenly lit surface.
    #[arg(long = "flat", value_name = "FRAME", num_args = 1..)]
    flats: Vec<PathBuf>,
    /// A bias frame: with the lens cap on, as short as can be.
    #[arg(long = "bias", value_name = "FRAME", num_args = 1..)]
    biases: Vec<PathBuf>,
    /// Repair of samples that are faulty in all frames.
    #[arg(long, value_enum, default_value_t = RepairArg::Auto)]
    repair: RepairArg,
    /// White balance: as-shot, a colour temperature in kelvin, or one and a tint, as 4200,12 (raw
    /// frames).
    #[arg(long, value_name = "BALANCE", default_value = "as-shot", value_parser = white_balance)]
    white_balance: WhiteBalance,
    /// How a mosaic's missing colours are found (raw frames).
    #[arg(long, value_enum, default_value_t = DemosaicArg::Fine)]
    demosaic: DemosaicArg,
    /// Clipped highlights: white, or colours that go beyond white (raw frames).
    #[arg(long, value_enum, default_value_t = HighlightsArg::Clip)]
    highlights: HighlightsArg,
    /// Exposure of all frames in stops.
    #[arg(long, value_name = "STOPS", default_value_t = 0.0, allow_negative_numbers = true)]
    exposure: f32,
    /// Noise taken off the brightness of each frame before they are combined, 0 to 1.
    #[arg(long, value_name = "AMOUNT", default_value_t = 0.0)]
    denoise: f32,
    /// Noise taken off the colour of each frame, 0 to 1.
    #[arg(long, value_name = "AMOUNT", default_value_t = 0.0)]
    denoise_colour: f32,
    /// How the motion of the frames is found.
    #[arg(long, value_enum, default_value_t = AlignArg::Stars)]
    align: AlignArg,
    /// What a motion on the scene may be.
    #[arg(long, value_enum, default_value_t = ModelArg::Auto)]
    model: ModelArg,
    /// How many samples become one.
    #[arg(long, value_enum, default_value_t = CombineArg::Mean)]
    combine: CombineArg,
    /// Standard deviations from the median beyond which the clipped mean rejects a sample.
    #[arg(long, value_name = "SIGMA")]
    clip: Option<f32>,
    /// Bring frames to the reference frame's brightness first.
    #[arg(long)]
    level: bool,
    /// Let less noisy and sharper frames count more in a mean or clipped mean.
    #[arg(long)]
    weigh: bool,
    /// Fill the gaps that pauses between exposures leave in star trails; with --align none and
    /// --combine lightest.
    #[arg(long)]
    fill_gaps: bool,
    /// The frame that all others are aligned with; the middle one unless given.
    #[arg(long, value_name = "FRAME")]
    reference: Option<PathBuf>,
    /// Edges that not every frame covers: cut them off, keep them from fewer frames, or fill them.
    #[arg(long, value_enum, default_value_t = EdgesArg::Trim)]
    edges: EdgesArg,
    #[command(flatten)]
    written: WrittenArgs,
    /// How much of the sky's uneven brightness is taken off, 0 to 1; of the sky alone where --skyline
    /// parts it from the ground.
    #[arg(long, value_name = "AMOUNT", default_value_t = 0.0)]
    sky_glow: f32,
    /// How much of the noise between the stars is smoothed, 0 to 1; of the sky alone, as above.
    #[arg(long, value_name = "AMOUNT", default_value_t = 0.0)]
    sky_smoothing: f32,
    /// Write how many frames cover each pixel, as a grey 16-bit TIFF or PNG.
    #[arg(long, value_name = "FILE")]
    save_coverage: Option<PathBuf>,
    /// Write how many samples the clipped mean rejected at each pixel, as a grey 16-bit TIFF or PNG.
    #[arg(long, value_name = "FILE")]
    save_rejected: Option<PathBuf>,
    /// What is known of the lens: a file that `lens` wrote, or `stars` to find it from the stars of
    /// the frames.
    #[arg(long, value_name = "FILE.json|stars")]
    lens: Option<PathBuf>,
    /// Write the plan with the frames it was carried out on, for `run`.
    #[arg(long, value_name = "FILE.json")]
    save_plan: Option<PathBuf>,
    #[command(flatten)]
    skyline: SkylineArgs,
    #[command(flatten)]
    common: Common,
}

#[derive(Clone, Copy, ValueEnum)]
enum RepairArg {
    /// Those that the darks show; in raw frames without darks, those that the frames show.
    Auto,
    /// Those that developed frames show without darks, too.
    Always,
    Off,
}

#[derive(Clone, Copy, ValueEnum)]
enum DemosaicArg {
    /// In straight lines.
    Fast,
    /// Along edges.
    Fine,
}

#[derive(Clone, Copy, ValueEnum)]
enum HighlightsArg {
    Clip,
    Keep,
}

fn white_balance(text: &str) -> Result<WhiteBalance, String> {
    if text == "as-shot" {
        return Ok(WhiteBalance::AsShot);
    }
    let (kelvin, tint) = text.split_once(',').unwrap_or((text, "0"));
    match (kelvin.trim().parse(), tint.trim().parse()) {
        (Ok(kelvin), Ok(tint)) => Ok(WhiteBalance::Light { kelvin, tint }),
        _ => Err("give as-shot, a temperature in kelvin as 4200, or one and a tint as 4200,12"
            .to_owned()),
    }
}

#[derive(Clone, Copy, ValueEnum)]
enum AlignArg {
    /// On the stars, while the sky turns.
    Stars,
    /// On the whole scene, for a camera that was held by hand or moved a little.
    Scene,
    /// Not at all.
    None,
}

#[derive(Clone, Copy, ValueEnum)]
enum ModelArg {
    /// The simplest that explains what is seen.
    Auto,
    /// A shift.
    Shift,
    /// A shift, a turn and a scale.
    Similarity,
    /// A plane seen from elsewhere.
    Homography,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum CombineArg {
    /// The average.
    Mean,
    /// The middle value.
    Median,
    /// The mean of the samples that do not lie far from the median.
    Clipped,
    /// The lightest sample of each colour.
    Lightest,
    /// The darkest sample of each colour.
    Darkest,
    /// The standard deviation.
    Spread,
}

#[derive(Clone, Copy, ValueEnum)]
enum EdgesArg {
    Trim,
    Keep,
    Fill,
}

impl StackArgs {
    fn plan(&self) -> Plan {
        let mut plan = Plan::of(Kind::NightSky);
        plan.prepare = PreparePlan {
            white_balance: self.white_balance,
            demosaic: match self.demosaic {
                DemosaicArg::Fast => Demosaic::Fast,
                DemosaicArg::Fine => Demosaic::Fine,
            },
            highlights: match self.highlights {
                HighlightsArg::Clip => Highlights::Clip,
                HighlightsArg::Keep => Highlights::Keep,
            },
            gain_ev: self.exposure,
            denoise: Denoise { luminance: self.denoise, colour: self.denoise_colour },
            repair: match self.repair {
                RepairArg::Auto => Repair::Auto,
                RepairArg::Always => Repair::Always,
                RepairArg::Off => Repair::Off,
            },
            ..PreparePlan::default()
        };
        plan.align.mode = match self.align {
            AlignArg::Stars => AlignMode::Stars,
            AlignArg::Scene => AlignMode::Scene,
            AlignArg::None => AlignMode::None,
        };
        plan.align.model = match self.model {
            ModelArg::Auto => SceneModel::Auto,
            ModelArg::Shift => SceneModel::Shift,
            ModelArg::Similarity => SceneModel::Similarity,
            ModelArg::Homography => SceneModel::Homography,
        };
        plan.combine.method = match self.combine {
            CombineArg::Mean => Method::Mean,
            CombineArg::Median => Method::Median,
            CombineArg::Clipped => Method::Clipped,
            CombineArg::Lightest => Method::Lightest,
            CombineArg::Darkest => Method::Darkest,
            CombineArg::Spread => Method::StdDev,
        };
        plan.combine.clip = self.clip.unwrap_or(plan.combine.clip);
        plan.combine.level = self.level;
        plan.combine.weigh = self.weigh;
        plan.combine.fill_gaps = self.fill_gaps;
        plan.combine.edges = match self.edges {
            EdgesArg::Trim => Edges::Trim,
            EdgesArg::Keep => Edges::Keep,
            EdgesArg::Fill => Edges::Fill,
        };
        plan.finish.glow = self.sky_glow;
        plan.finish.smoothing = self.sky_smoothing;
        plan
    }

    /// Checks that settings fit together, and that maps can be written under their names.
    fn check(&self) -> anyhow::Result<()> {
        if self.save_rejected.is_some() && self.combine != CombineArg::Clipped {
            bail!("--save-rejected needs --combine clipped: no other method rejects samples");
        }
        if self.fill_gaps
            && !matches!((self.align, self.combine), (AlignArg::None, CombineArg::Lightest))
        {
            bail!("--fill-gaps needs --align none and --combine lightest: it is for star trails");
        }
        self.skyline.check()?;
        for path in [&self.save_coverage, &self.save_rejected].into_iter().flatten() {
            if !matches!(target(path, true), Some(Target::Tiff { .. } | Target::Png { .. })) {
                bail!("{}: name the map .tif or .png", path.display());
            }
        }
        Ok(())
    }

    /// What is known of the lens.
    fn lens(&self) -> anyhow::Result<LensPlan> {
        let Some(path) = self.lens.as_ref().filter(|_| !self.finds_lens()) else {
            return Ok(LensPlan::default());
        };
        let shown = path.display();
        let text = std::fs::read_to_string(path)
            .with_context(|| format!("{shown}: the lens cannot be read"))?;
        serde_json::from_str(&text)
            .with_context(|| format!("{shown}: this is no lens as `jade-stack lens` writes it"))
    }

    /// All files that are read.
    fn inputs(&self) -> Vec<Input<'_>> {
        let frames = [
            ("a frame", &self.frames),
            ("a dark frame", &self.darks),
            ("a flat frame", &self.flats),
            ("a bias frame", &self.biases),
        ];
        let mut inputs: Vec<Input> = self.skyline.inputs().collect();
        for (what, some) in frames {
            inputs.extend(some.iter().map(|path| (what, path.as_path())));
        }
        inputs.extend(self.lens.iter().map(|path| ("the lens", path.as_path())));
        inputs
    }

    fn finds_lens(&self) -> bool {
        self.lens.as_deref() == Some(Path::new("stars"))
    }

    fn work(&self) -> anyhow::Result<Work> {
        let mut plan = self.plan();
        plan.prepare.lens = self.lens()?;
        let kept = files(&self.frames)?;
        let mut frames: Vec<FrameInput> =
            kept.iter().map(|file| input(file, &plan.prepare)).collect();
        let mut calibration = CalibrationFrames {
            darks: untreated(&self.darks)?,
            flats: untreated(&self.flats)?,
            biases: untreated(&self.biases)?,
        };
        if self.save_plan.is_some() {
            // A saved plan names files by their content.
            let CalibrationFrames { darks, flats, biases } = &mut calibration;
            for frame in frames.iter_mut().chain(darks).chain(flats).chain(biases) {
                frame.id = content_hash(&frame.path)?.into();
            }
        }
        let reference = match &self.reference {
            None => None,
            Some(path) => Some(place_of(path, &kept)?),
        };
        let ground = self.skyline.ground(&mut plan, &frames, reference)?;
        let mask = self.skyline.mask(&mut plan)?;
        let find_lens = self.finds_lens();
        let moving = None;
        Ok(Work { frames, reference, calibration, plan, mask, ground, find_lens, moving })
    }
}

/// The place of the reference frame, which is given by its path or, among the frames, by its name.
fn place_of(reference: &Path, frames: &[Given]) -> anyhow::Result<usize> {
    let shown = reference.display();
    let real = reference.canonicalize().ok();
    if let Some(place) = frames.iter().position(|(_, path)| Some(path) == real.as_ref()) {
        return Ok(place);
    }
    let is_named = |given: &&Given| given.0.file_name() == Some(reference.as_os_str());
    match (frames.iter().filter(is_named).count(), real) {
        (1, _) => Ok(frames.iter().position(|given| is_named(&given)).unwrap_or_default()),
        (0, None) => bail!("{shown}: the reference frame cannot be found; give one of the frames"),
        (0, Some(_)) => bail!("{shown}: the reference frame is not among the frames; add it there"),
        (several, _) => {
            bail!("{shown}: {several} of the frames have this name; give the path of the one")
        }
    }
}

pub fn stack(args: StackArgs) -> anyhow::Result<()> {
    let form = args.written.form(&args.out)?;
    args.check()?;
    let outputs = (args.common.outputs())
        .and("--out", Some(&args.out))
        .and("--save-coverage", args.save_coverage.as_deref())
        .and("--save-rejected", args.save_rejected.as_deref())
        .and("--save-mask", args.skyline.mask_output())
        .and("--save-plan", args.save_plan.as_deref());
    outputs.check(args.inputs())?;
    let work = args.work()?;
    args.common.carry_out(work, &outputs, |done| args.save(form, done))
}

impl StackArgs {
    fn save(&self, form: Form, done: &Finished) -> anyhow::Result<()> {
        let Finished { outcome, cache, facts, record, .. } = *done;
        self.written.write(&self.out, form, done)?;
        let maps =
            [(&self.save_coverage, MapKind::Coverage), (&self.save_rejected, MapKind::Rejected)];
        for (path, kind) in maps {
            if let Some(path) = path {
                let target = target(path, true).context("the map's name was checked")?;
                export::write_map(path, target, cache, outcome, kind)?;
            }
        }
        self.skyline.save(outcome, cache, (facts.width, facts.height))?;
        match &self.save_plan {
            Some(path) => write_json(path, record),
            None => Ok(()),
        }
    }
}
