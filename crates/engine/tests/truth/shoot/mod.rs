//! Small simulated shoots in a folder of their own, and the engine on them.

pub mod joined;
pub mod strokes;
pub mod truth;

use jade_engine as engine;
use jade_engine::{Budget, Outcome, Request, SkylineInputs};
use jade_frames::cache::{Cache, LayerKind};
use jade_frames::{Frame, FrameInput, content_hash};
use jade_optics::light::Light;
use jade_pixels::colour::Encoding;
use jade_pixels::tiled::{Region, TiledFile};
use jade_pixels::write::{Picture, Target, write_picture};
use jade_plan::FrameIndex;
use jade_plan::progress::{Unwatched, Watch};
use jade_plan::report::FocusReport;
use jade_plan::{AlignMode, CoreError, Edges, Kind, Method, NamedFile, Plan, SkylineMode};
use jade_scenes::frame_name;
use jade_scenes::night_sky::NightSky;
use std::path::{Path, PathBuf};

/// A folder with frames and a cache.
pub struct Shoot {
    pub folder: tempfile::TempDir,
}

impl Shoot {
    pub fn new() -> Self {
        Self { folder: tempfile::tempdir().unwrap() }
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// Writes a whole scene into the folder, and gives its frames.
    pub fn hold(&self, scene: &NightSky) -> Vec<FrameInput> {
        scene.write(self.folder.path(), |_, _| true).unwrap();
        let frames = scene.options().frames;
        (0..frames).map(|i| input(&self.path(&frame_name(i, frames)))).collect()
    }

    /// Writes 16-bit sRGB samples as a frame: a plain TIFF, or a compressed one when its name
    /// begins with "packed".
    pub fn save(&self, name: &str, size: (u32, u32), samples: &[u16]) -> FrameInput {
        let target = Target::Tiff { sixteen_bit: true, deflate: name.starts_with("packed") };
        self.save_as(target, name, size, samples)
    }

    /// The same in any form.
    pub fn save_as(
        &self,
        target: Target,
        name: &str,
        (width, height): (u32, u32),
        samples: &[u16],
    ) -> FrameInput {
        let path = self.path(name);
        let encoding = Encoding::srgb();
        let picture = Picture { width, height, channels: 3, encoding: &encoding, taken: None };
        let row = width as usize * 3;
        write_picture(&path, target, &picture, &mut |y, out| {
            let from = y as usize * row;
            out.copy_from_slice(&samples[from..from + out.len()]);
            Ok(())
        })
        .unwrap();
        input(&path)
    }

    pub fn stack(&self, inputs: &[FrameInput], plan: &Plan) -> Result<Outcome, CoreError> {
        self.stack_on(inputs, None, plan)
    }

    pub fn stack_on(
        &self,
        inputs: &[FrameInput],
        reference: Option<usize>,
        plan: &Plan,
    ) -> Result<Outcome, CoreError> {
        self.stack_into(&self.cache(), inputs, reference, plan, false, &Unwatched)
    }

    /// Stacks with any cache, perhaps without decoding frames into it, under any watch.
    pub fn stack_into(
        &self,
        cache: &Cache,
        inputs: &[FrameInput],
        reference: Option<usize>,
        plan: &Plan,
        stream: bool,
        watch: &dyn Watch,
    ) -> Result<Outcome, CoreError> {
        let reference = reference.map(FrameIndex::new);
        let budget = Budget::new(Some(256), Some(2)).unwrap();
        let skyline_inputs = SkylineInputs::default();
        let frames = inputs;
        engine::stack(&Request {
            frames,
            reference,
            plan,
            cache,
            budget,
            stream,
            skyline_inputs,
            watch,
        })
    }

    /// What is told of a sweep before it is merged.
    pub fn look_over(&self, frames: &[FrameInput]) -> FocusReport {
        let (plan, cache) = (&Plan::of(Kind::FocusSweep), &self.cache());
        let budget = Budget::new(Some(256), Some(2)).unwrap();
        let (reference, stream, skyline_inputs, watch) =
            (None, false, SkylineInputs::default(), &Unwatched);
        let request =
            Request { frames, reference, plan, cache, budget, stream, skyline_inputs, watch };
        engine::look_over(&request).unwrap()
    }

    /// Stacks with a mask that is loaded, and frames of another set for the ground.
    pub fn stack_beside(
        &self,
        frames: &[FrameInput],
        reference: usize,
        plan: &Plan,
        skyline_inputs: SkylineInputs,
    ) -> Result<Outcome, CoreError> {
        let budget = Budget::new(Some(256), Some(2)).unwrap();
        let (reference, cache, stream) = (Some(FrameIndex::new(reference)), &self.cache(), false);
        let watch = &Unwatched;
        engine::stack(&Request {
            frames,
            reference,
            plan,
            cache,
            budget,
            stream,
            skyline_inputs,
            watch,
        })
    }

    /// The mask of a joined result, 0 to 255.
    pub fn mask_of(&self, outcome: &Outcome) -> Vec<u8> {
        let path = self.cache().layer(&outcome.key, LayerKind::Mask);
        let file = TiledFile::<u16>::open(&path).unwrap();
        let whole = Region { x: 0, y: 0, width: file.width(), height: file.height() };
        file.read_region(whole).unwrap().into_iter().map(|code| (code / 257) as u8).collect()
    }

    pub fn cache(&self) -> Cache {
        Cache::at(&self.path("cache"))
    }
}

pub fn input(path: &Path) -> FrameInput {
    FrameInput {
        path: path.to_owned(),
        name: path.file_name().unwrap().to_string_lossy().into_owned(),
        prepare: Default::default(),
        calibration: None,
        id: content_hash(path).unwrap().into(),
        state: None,
    }
}

pub fn plan(mode: AlignMode, method: Method, edges: Edges) -> Plan {
    let mut plan = Plan::of(Kind::NightSky);
    plan.align.mode = mode;
    plan.combine.method = method;
    plan.combine.edges = edges;
    plan
}

/// A plan that joins sky and ground by the mask in a file, kept as large as the frames.
pub fn masked(method: Method, mask: &Path) -> Plan {
    let mut plan = plan(AlignMode::Stars, method, Edges::Keep);
    plan.skyline.mode = SkylineMode::Mask;
    let file = mask.file_name().unwrap().to_string_lossy().into_owned();
    plan.skyline.mask = Some(NamedFile { file, blake3: content_hash(mask).unwrap() });
    plan
}

/// Interleaved light of a frame.
pub fn light(input: &FrameInput) -> Vec<f32> {
    let frame = Frame::load(input, &mut || Ok(())).unwrap();
    let (width, height) = frame.size();
    let [red, green, blue] = frame.planes(Region { x: 0, y: 0, width, height }).unwrap();
    (0..red.len()).flat_map(|i| [red[i], green[i], blue[i]]).collect()
}

/// Width and interleaved light of a result.
pub fn pixels(outcome: &Outcome) -> (usize, Vec<f32>) {
    let file = TiledFile::<f32>::open(&outcome.picture).unwrap();
    let whole = Region { x: 0, y: 0, width: file.width(), height: file.height() };
    (file.width() as usize, file.read_region(whole).unwrap())
}

/// Linear light of encoded sRGB samples.
pub fn linear(samples: &[u16]) -> Vec<f32> {
    let srgb = Encoding::srgb();
    samples.iter().enumerate().map(|(i, &v)| srgb.curve(i % 3)[v as usize]).collect()
}
