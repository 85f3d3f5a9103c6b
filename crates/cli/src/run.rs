//! `run`: a saved plan, carried out again on the frames it names.

use crate::work::{Common, Work, write_json};
use crate::written::WrittenArgs;
use anyhow::{Context, anyhow, bail};
use clap::Args;
use jade_frames::CalibrationFrames;
use jade_frames::{FrameInput, content_hash};
use jade_plan::{FrameId, FrameRole, NamedFile, PlanFrame, PlanRecord, PreparePlan, SkylineMode};
use std::collections::HashMap;
use std::path::{Path, PathBuf};

#[derive(Args)]
pub struct RunArgs {
    /// A plan that was saved beside a result.
    #[arg(value_name = "PLAN.json")]
    plan: PathBuf,
    /// Folder for the result, which is named as the plan, with the plan as it was carried out.
    #[arg(long, value_name = "DIR")]
    out: PathBuf,
    /// A folder in which the plan's frames lie, or in folders below it; that of the plan unless
    /// given.
    #[arg(long, value_name = "DIR", num_args = 1..)]
    frames: Vec<PathBuf>,
    #[command(flatten)]
    written: WrittenArgs,
    #[command(flatten)]
    common: Common,
}

pub fn run(args: RunArgs) -> anyhow::Result<()> {
    let shown = args.plan.display();
    let text = std::fs::read_to_string(&args.plan)
        .with_context(|| format!("{shown}: the plan cannot be read"))?;
    let record = PlanRecord::from_json(&text).map_err(|error| anyhow!("{shown}: {error}"))?;
    record.plan.check().map_err(|error| anyhow!("{shown}: {error}"))?;
    std::fs::create_dir_all(&args.out)
        .with_context(|| format!("{}: the folder cannot be made", args.out.display()))?;
    let name = args.plan.file_name().unwrap_or_default().to_string_lossy();
    let stem = name.strip_suffix(".json").unwrap_or(&name);
    let stem = stem.strip_suffix(".plan").unwrap_or(stem);
    let picture = args.out.join(format!("{stem}.tif"));
    let beside = args.out.join(format!("{stem}.plan.json"));
    // The plan is not written over the one that is carried out.
    let is_itself = beside.canonicalize().ok() == args.plan.canonicalize().ok();
    let beside = Some(beside.as_path()).filter(|_| !is_itself);
    let outputs =
        args.common.outputs().and("the result", Some(&picture)).and("the plan beside it", beside);
    outputs.check([("the plan", args.plan.as_path())])?;
    let folders = match args.frames.is_empty() {
        true => vec![folder_of(&args.plan)],
        false => args.frames.clone(),
    };
    let files = Files::below(&folders)?;
    let plan = &record.plan;
    // What was left out of the result is left out again.
    let used = record.frames.iter().filter(|frame| frame.used);
    let frames = used.map(|frame| files.input(frame, plan.prepare_of(&frame.blake3)));
    let frames: Vec<FrameInput> = frames.collect::<anyhow::Result<_>>()?;
    let of = |shows: FrameRole| -> anyhow::Result<Vec<FrameInput>> {
        let alike = record.calibration.iter().filter(|one| one.shows == shows);
        alike.map(|one| files.input(&one.frame, PreparePlan::default())).collect()
    };
    let calibration = CalibrationFrames {
        darks: of(FrameRole::Dark)?,
        flats: of(FrameRole::Flat)?,
        biases: of(FrameRole::Bias)?,
    };
    let id = &record.reference_blake3;
    let is_reference = |frame: &FrameInput| match id.is_known() {
        true => frame.id == *id,
        false => frame.name == record.reference,
    };
    let reference = frames.iter().position(is_reference);
    if reference.is_none() {
        bail!(
            "{shown}: the plan's reference frame, {}, is none of its frames; the plan was changed or is damaged; take it again from beside its result",
            record.reference
        );
    }
    let form = args.written.form(&picture)?;
    let ground = record.ground.iter().map(|one| files.input(one, plan.prepare_of(&one.blake3)));
    let ground: Vec<FrameInput> = ground.collect::<anyhow::Result<_>>()?;
    let mask = match &plan.skyline.mask {
        Some(NamedFile { file, blake3 }) if plan.skyline.mode == SkylineMode::Mask => {
            let (file, blake3) = (file.clone(), FrameId::from(blake3.clone()));
            let named = PlanFrame { file, blake3, used: true };
            Some(files.input(&named, PreparePlan::default())?.path)
        }
        _ => None,
    };
    let plan = plan.clone();
    let (find_lens, moving) = (false, None);
    let work = Work { frames, reference, calibration, plan, mask, ground, find_lens, moving };
    outputs.check(work.inputs())?;
    args.common.carry_out(work, &outputs, |done| {
        args.written.write(&picture, form, done)?;
        beside.map_or(Ok(()), |path| write_json(path, done.record))
    })
}

fn folder_of(plan: &Path) -> PathBuf {
    match plan.parent() {
        Some(parent) if parent != Path::new("") => parent.to_owned(),
        _ => PathBuf::from("."),
    }
}

/// Files by name.
struct Files(HashMap<String, Vec<PathBuf>>);

impl Files {
    /// All below some folders.
    fn below(folders: &[PathBuf]) -> anyhow::Result<Self> {
        let mut all: HashMap<String, Vec<PathBuf>> = HashMap::new();
        let mut open: Vec<(PathBuf, u32)> = folders.iter().map(|dir| (dir.clone(), 0)).collect();
        while let Some((folder, deep)) = open.pop() {
            let entries = std::fs::read_dir(&folder)
                .with_context(|| format!("{}: the folder cannot be read", folder.display()))?;
            for entry in entries.flatten() {
                let path = entry.path();
                // Links that lead back up would have no end.
                const DEEPEST: u32 = 8;
                if path.is_dir() && deep < DEEPEST {
                    open.push((path, deep + 1));
                } else if let Some(name) = path.file_name().and_then(|name| name.to_str()) {
                    all.entry(name.to_owned()).or_default().push(path);
                }
            }
        }
        Ok(Self(all))
    }

    /// The file of a frame: by name, and by its content.
    fn input(&self, frame: &PlanFrame, prepare: PreparePlan) -> anyhow::Result<FrameInput> {
        let PlanFrame { file, blake3, .. } = frame;
        let named = self.0.get(file).with_context(|| {
            format!("{file}: the plan needs this frame, and it is in none of the folders; give its folder with --frames")
        })?;
        let same = named
            .iter()
            .find(|path| content_hash(path).is_ok_and(|content| content == blake3.as_str()));
        let path = same.with_context(|| {
            format!("{}: this is not the file that the plan was made with; it was changed, or another has its name; give the right folder with --frames", named[0].display())
        })?;
        Ok(FrameInput {
            path: path.clone(),
            name: file.clone(),
            id: blake3.clone(),
            state: None,
            prepare,
            calibration: None,
        })
    }
}
