//! What every command that combines frames shares: its bounds, its scratch, its report.

use crate::lens_found;
use crate::outputs::{Input, Outputs};
use crate::progress::Progress;
use crate::say::say;
use crate::scratch::Scratch;
use clap::Args;
use jade_engine as engine;
use jade_engine::{Budget, Outcome, Request, SkylineInputs};
use jade_frames::CalibrationFrames;
use jade_frames::FrameInput;
use jade_frames::cache::Cache;
use jade_pixels::facts::Facts;
use jade_pixels::read::PictureFile;
use jade_pixels::write::write_whole;
use jade_plan::FrameIndex;
use jade_plan::report::Report;
use jade_plan::{Plan, PlanRecord};
use serde::Serialize;
use std::io::Write;
use std::path::{Path, PathBuf};

#[derive(Args)]
pub struct Common {
    /// Memory budget in MiB; by default the smaller of 2048 and a quarter of the machine's.
    #[arg(long, value_name = "MIB")]
    memory: Option<u64>,
    /// Threads; unless given, one for each core, as far as each has 64 MiB of the memory budget.
    #[arg(long)]
    threads: Option<usize>,
    /// Folder for scratch files, about six bytes for each pixel of each frame; the system's folder
    /// for temporary files unless given.
    #[arg(long, value_name = "DIR")]
    scratch: Option<PathBuf>,
    /// Write what was measured, as JSON.
    #[arg(long, value_name = "FILE.json")]
    report: Option<PathBuf>,
    /// Replace files that lie under the names of the outputs already.
    #[arg(long)]
    replace: bool,
    /// No progress on stderr.
    #[arg(long)]
    pub quiet: bool,
}

/// Frames to be combined, and how.
pub struct Work {
    pub frames: Vec<FrameInput>,
    /// Place of the reference frame.
    pub reference: Option<usize>,
    pub calibration: CalibrationFrames,
    pub plan: Plan,
    /// The mask, where the plan loads one.
    pub mask: Option<PathBuf>,
    /// Frames that the ground comes from, where those are others.
    pub ground: Vec<FrameInput>,
    /// Whether the lens is found from the stars first.
    pub find_lens: bool,
    /// Where a moving view of a sweep is written, if it is.
    pub moving: Option<PathBuf>,
}

impl Work {
    /// All pictures that are read.
    pub fn inputs(&self) -> Vec<Input<'_>> {
        let CalibrationFrames { darks, flats, biases } = &self.calibration;
        let frames = [
            ("a frame", &self.frames),
            ("a dark frame", darks),
            ("a flat frame", flats),
            ("a bias frame", biases),
            ("a frame of the ground", &self.ground),
        ];
        let mut inputs = vec![];
        for (what, some) in frames {
            inputs.extend(some.iter().map(|frame| (what, frame.path.as_path())));
        }
        inputs.extend(self.mask.iter().map(|path| ("the mask", path.as_path())));
        inputs
    }
}

/// What a finished run can be saved from.
pub struct Finished<'a> {
    pub outcome: &'a Outcome,
    pub cache: &'a Cache,
    /// What the reference frame's file tells.
    pub facts: &'a Facts,
    pub record: &'a PlanRecord,
    pub progress: &'a Progress,
}

impl Common {
    pub fn budget(&self) -> anyhow::Result<Budget> {
        Ok(Budget::new(self.memory, self.threads)?)
    }

    /// Writes what was measured, where that is wanted.
    pub fn tell(&self, measured: &impl Serialize) -> anyhow::Result<()> {
        self.report.as_ref().map_or(Ok(()), |path| write_json(path, measured))
    }

    /// The outputs of the command, the report among them.
    pub fn outputs(&self) -> Outputs {
        Outputs::new(self.replace).and("--report", self.report.as_deref())
    }

    pub fn scratch(&self) -> anyhow::Result<Scratch> {
        Scratch::new(self.scratch.as_deref())
    }

    /// Combines frames, has the result saved into `outputs`, which were checked, and tells what came
    /// of it.
    pub fn carry_out(
        &self,
        mut work: Work,
        outputs: &Outputs,
        save: impl FnOnce(&Finished) -> anyhow::Result<()>,
    ) -> anyhow::Result<()> {
        let budget = self.budget()?;
        let scratch = self.scratch()?;
        let cache = Cache::at(scratch.path());
        let progress = Progress::new(self.quiet);
        if work.find_lens {
            let known = work.plan.prepare.lens;
            let found = engine::lens_of_stars(&work.frames, known, &cache, budget, &progress)?;
            if !self.quiet {
                eprint!("{}", lens_found::lines(&found));
            }
            work.plan.prepare.lens = found.lens;
            work.frames.iter_mut().for_each(|frame| frame.prepare.lens = found.lens);
        }
        let Work { mut frames, reference, calibration, plan, mask, mut ground, moving, .. } = work;
        let repair = plan.prepare.repair;
        let repaired =
            engine::calibrate(&calibration, &mut frames, repair, &cache, budget, &progress)?;
        engine::calibrate_ground(&calibration, &mut ground, &plan, &cache, budget, &progress)?;
        let request = Request {
            frames: &frames,
            reference: reference.map(FrameIndex::new),
            plan: &plan,
            cache: &cache,
            budget,
            stream: true,
            skyline_inputs: SkylineInputs { mask: mask.as_deref(), ground: &ground },
            watch: &progress,
        };
        let outcome = engine::stack(&request)?;
        outputs.still_free()?;
        if let Some(path) = moving {
            engine::moving(&frames, &outcome.report, &path, &cache, budget, &progress)?;
        }
        let facts = PictureFile::open(&frames[outcome.reference.number()].path)?.facts().clone();
        let record = engine::record(&frames, &ground, &calibration, &plan, &outcome.report);
        // Removing gigabytes takes a while; nothing reads the decoded frames from here on.
        std::thread::scope(|scope| {
            scope.spawn(|| cache.drop_frames());
            save(&Finished {
                outcome: &outcome,
                cache: &cache,
                facts: &facts,
                record: &record,
                progress: &progress,
            })
        })?;
        let mut report = outcome.report;
        report.time(progress.finish());
        report.peak_memory_mib = jade_server::peak_memory_mib();
        self.tell(&report)?;
        self.summarise(&report, repaired);
        Ok(())
    }

    fn summarise(&self, report: &Report, repaired: usize) {
        for frame in report.frames.iter().filter(|f| !f.used) {
            let reason = frame.reason.as_deref().unwrap_or("not used");
            let reason = reason.strip_prefix(&format!("{}: ", frame.file)).unwrap_or(reason);
            say(format!("jade-stack: {} is left out: {reason}", frame.file));
        }
        for (name, reason) in report.skyline().into_iter().flat_map(|skyline| &skyline.left_out) {
            say(format!("jade-stack: {name} is left out of the ground: {reason}"));
        }
        if self.quiet {
            return;
        }
        let used = report.frames.iter().filter(|f| f.used).count();
        eprint!("{used} of {} frames combined", report.frames.len());
        if let Some(noise) = report.noise() {
            eprint!("; noise ÷ {:.2} (at best ÷ {:.2})", noise.gain, noise.ideal_gain);
        }
        if let Some(skyline) = report.skyline() {
            eprint!("; {:.0} % sky", 100.0 * skyline.sky);
            if let Some(noise) = skyline.ground_noise {
                eprint!(", noise of the ground ÷ {:.2}", noise.gain);
            }
        }
        if let Some(finish) = report.finish() {
            if let Some([was, is]) = finish.uneven {
                eprint!("; sky uneven by {:.0} %, now {:.0} %", 100.0 * was, 100.0 * is);
            }
            if let Some([was, is]) = finish.noise {
                eprint!("; noise of the sky smoothed ÷ {:.1}", was / is);
            }
        }
        if repaired > 0 {
            eprint!("; {repaired} faulty samples repaired in each");
        }
        eprintln!();
    }
}

/// Writes what was found as JSON, whole or not at all.
pub fn write_json(path: &Path, what: &impl Serialize) -> anyhow::Result<()> {
    write_whole(path, |file| {
        let text = serde_json::to_string_pretty(what).expect("figures serialise");
        file.write_all(text.as_bytes()).map_err(jade_pixels::PictureError::io(path))
    })?;
    Ok(())
}
