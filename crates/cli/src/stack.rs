//! `stack`: frames to one picture, without a browser.

use crate::progress::Progress;
use crate::scratch::Scratch;
use anyhow::{Context, bail};
use clap::{Args, ValueEnum};
use jade_core::cache::Cache;
use jade_core::engine::{self, Budget, Outcome, Request};
use jade_core::export;
use jade_core::frames::FrameInput;
use jade_core::plan::{AlignMode, Edges, Kind, Method, Plan};
use jade_core::report::Report;
use jade_pixels::read::PictureFile;
use jade_pixels::write::{Target, write_whole};
use std::io::Write;
use std::path::{Path, PathBuf};

#[derive(Args)]
pub struct StackArgs {
    /// The frames, in order.
    #[arg(required = true, value_name = "FRAME")]
    frames: Vec<PathBuf>,
    /// The result: .tif, .png or .jpg.
    #[arg(long, value_name = "FILE")]
    out: PathBuf,
    /// How the motion of the frames is found.
    #[arg(long, value_enum, default_value_t = AlignArg::Stars)]
    align: AlignArg,
    /// How many samples become one.
    #[arg(long, value_enum, default_value_t = CombineArg::Mean)]
    combine: CombineArg,
    /// The frame that all others are aligned with; the middle one unless given.
    #[arg(long, value_name = "FRAME")]
    reference: Option<PathBuf>,
    /// Edges that not every frame covers: cut them off, keep them from fewer frames, or fill them.
    #[arg(long, value_enum, default_value_t = EdgesArg::Trim)]
    edges: EdgesArg,
    /// Bits of the result's samples; 16 unless the result is a JPEG.
    #[arg(long, value_parser = ["8", "16"])]
    depth: Option<String>,
    /// Memory budget in MiB; by default the smaller of 2048 and a quarter of the machine's.
    #[arg(long, value_name = "MIB")]
    memory: Option<u64>,
    /// Threads; one for each core unless given.
    #[arg(long)]
    threads: Option<usize>,
    /// Folder for scratch files, about six bytes for each pixel of each frame; the system's folder
    /// for temporary files unless given.
    #[arg(long, value_name = "DIR")]
    scratch: Option<PathBuf>,
    /// Write what was measured, as JSON.
    #[arg(long, value_name = "FILE.json")]
    report: Option<PathBuf>,
    /// No progress on stderr.
    #[arg(long)]
    quiet: bool,
}

#[derive(Clone, Copy, ValueEnum)]
enum AlignArg {
    Stars,
    None,
}

#[derive(Clone, Copy, ValueEnum)]
enum CombineArg {
    Mean,
    Median,
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
        plan.align.mode = match self.align {
            AlignArg::Stars => AlignMode::Stars,
            AlignArg::None => AlignMode::None,
        };
        plan.combine.method = match self.combine {
            CombineArg::Mean => Method::Mean,
            CombineArg::Median => Method::Median,
        };
        plan.combine.edges = match self.edges {
            EdgesArg::Trim => Edges::Trim,
            EdgesArg::Keep => Edges::Keep,
            EdgesArg::Fill => Edges::Fill,
        };
        plan
    }

    /// The file to write, by the result's name and the wanted depth.
    fn target(&self) -> anyhow::Result<Target> {
        let extension = self.out.extension().and_then(|e| e.to_str()).unwrap_or_default();
        let wide = self.depth.as_deref() != Some("8");
        match extension.to_ascii_lowercase().as_str() {
            "tif" | "tiff" => Ok(Target::Tiff { wide }),
            "png" => Ok(Target::Png { wide }),
            "jpg" | "jpeg" if self.depth.as_deref() == Some("16") => {
                bail!("{}: a JPEG holds 8 bits; choose .tif or .png for 16", self.out.display())
            }
            "jpg" | "jpeg" => Ok(Target::Jpeg { quality: export::JPEG_QUALITY }),
            _ => bail!("{}: name the result .tif, .png or .jpg", self.out.display()),
        }
    }

    fn inputs(&self) -> anyhow::Result<(Vec<FrameInput>, Option<usize>)> {
        let mut inputs = Vec::new();
        let mut paths: Vec<PathBuf> = Vec::new();
        for path in &self.frames {
            let real = path.canonicalize().with_context(|| {
                format!("{}: the frame cannot be found; check the path", path.display())
            })?;
            if paths.contains(&real) {
                eprintln!("jade-stack: {}: given twice, taken once", path.display());
                continue;
            }
            let name = path.file_name().unwrap_or(path.as_os_str()).to_string_lossy().into_owned();
            let blake3 = engine::content_hash(path)?;
            paths.push(real);
            inputs.push(FrameInput { path: path.clone(), name, blake3 });
        }
        let reference = match &self.reference {
            None => None,
            Some(path) => {
                let real = path.canonicalize().with_context(|| {
                    format!("{}: the reference frame cannot be found", path.display())
                })?;
                let place = paths.iter().position(|p| *p == real).with_context(|| {
                    format!("{}: the reference frame is not among the frames", path.display())
                })?;
                Some(place)
            }
        };
        Ok((inputs, reference))
    }
}

pub fn stack(args: StackArgs) -> anyhow::Result<()> {
    let target = args.target()?;
    let budget = Budget::new(args.memory, args.threads)?;
    let plan = args.plan();
    let (inputs, reference) = args.inputs()?;
    let scratch = Scratch::new(args.scratch.as_deref())?;
    let cache = Cache::at(scratch.path());
    let progress = Progress::new(args.quiet);
    let request = Request {
        frames: &inputs,
        reference,
        plan: &plan,
        cache: &cache,
        budget,
        watch: &progress,
    };
    let outcome = engine::stack(&request)?;
    let facts = PictureFile::open(&inputs[outcome.reference].path)?.facts().clone();
    export::write(&args.out, target, &outcome.picture, &outcome.profile, Some(&facts), &progress)?;
    let Outcome { mut report, .. } = outcome;
    report.stages = progress.finish();
    report.peak_memory_mib = jade_server::peak_memory_mib();
    if let Some(path) = &args.report {
        write_report(path, &report)?;
    }
    summarise(&report, args.quiet);
    Ok(())
}

fn summarise(report: &Report, quiet: bool) {
    for frame in report.frames.iter().filter(|f| !f.used) {
        let reason = frame.reason.as_deref().unwrap_or("not used");
        eprintln!("jade-stack: {} is left out: {reason}", frame.file);
    }
    if quiet {
        return;
    }
    let used = report.frames.iter().filter(|f| f.used).count();
    eprint!("{used} of {} frames combined", report.frames.len());
    if let Some(noise) = report.noise {
        eprint!("; noise ÷ {:.2} (at best ÷ {:.2})", noise.gain, noise.ideal_gain);
    }
    eprintln!();
}

fn write_report(path: &Path, report: &Report) -> anyhow::Result<()> {
    write_whole(path, |file| {
        let text = serde_json::to_string_pretty(report).expect("figures serialise");
        file.write_all(text.as_bytes()).map_err(jade_pixels::PictureError::io(path))
    })?;
    Ok(())
}
