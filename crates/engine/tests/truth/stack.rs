//! The whole engine against the written truth of simulated scenes, small ones so that it is quick.

use jade_engine as engine;
use jade_engine::export::{self, Colours, Form, Written};
use jade_engine::{Budget, Outcome, Request, SkylineInputs};
use jade_frames::FrameInput;
use jade_pixels::read::PictureFile;
use jade_plan::progress::{Stage, Unwatched, Watch};
use jade_plan::{AlignMode, CoreError, Denoise, Edges, Method, Plan};

use crate::shoot::{Shoot, input, pixels, plan};
use jade_pixels::write::Target;
use jade_scenes::night_sky::{NightSky, Options};
use std::path::PathBuf;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

/// A shoot of a night sky of 900 x 600 pixels.
struct Sky {
    scene: NightSky,
    shoot: Shoot,
    inputs: Vec<FrameInput>,
}

impl Sky {
    fn new(seed: u64, frames: u32) -> Self {
        Self::through(seed, frames, None)
    }

    fn through(seed: u64, frames: u32, focal_mm: Option<f64>) -> Self {
        let options = Options { frames, darks: 0, width: 900, height: 600, seed, deflate: false };
        let scene = NightSky::through(options, focal_mm).unwrap();
        let shoot = Shoot::new();
        let inputs = shoot.hold(&scene);
        Self { scene, shoot, inputs }
    }

    fn path(&self, name: &str) -> PathBuf {
        self.shoot.path(name)
    }

    fn stack(&self, plan: &Plan) -> Result<Outcome, CoreError> {
        self.shoot.stack(&self.inputs, plan)
    }

    fn watched(&self, plan: &Plan, watch: &dyn Watch) -> Result<Outcome, CoreError> {
        self.shoot.stack_into(&self.shoot.cache(), &self.inputs, None, plan, false, watch)
    }
}

fn stars(method: Method) -> Plan {
    plan(AlignMode::Stars, method, Edges::Trim)
}

/// Counts how often each stage ran.
#[derive(Default)]
struct Stages {
    begun: Mutex<Vec<(Stage, u64)>>,
    done: AtomicUsize,
    stop_after: Option<usize>,
}

impl Watch for Stages {
    fn begin(&self, stage: Stage, total: u64) {
        self.begun.lock().unwrap().push((stage, total));
    }
    fn advance(&self, steps: u64) {
        self.done.fetch_add(steps as usize, Ordering::Relaxed);
    }
    fn cancelled(&self) -> bool {
        self.stop_after.is_some_and(|n| self.done.load(Ordering::Relaxed) >= n)
    }
}

#[test]
fn motion_follows_the_written_truth() {
    for seed in 11..14 {
        let sky = Sky::new(seed, 6);
        let report = sky.stack(&stars(Method::Mean)).unwrap().report;
        for (index, frame) in report.frames.iter().enumerate() {
            assert!(frame.used, "seed {seed}, {}: {:?}", frame.file, frame.reason);
            let rms = motion_error(&sky, index, frame);
            assert!(rms < 0.1, "seed {seed}, {}: {rms:.3} px rms over the frame", frame.file);
        }
    }
}

/// No lens data are told, and the lens may be any from very wide to long.
#[test]
fn motion_follows_the_truth_through_any_lens() {
    for (seed, focal_mm) in [(14, 14.0), (15, 50.0), (16, 200.0)] {
        let sky = Sky::through(seed, 5, Some(focal_mm));
        let report = sky.stack(&stars(Method::Mean)).unwrap().report;
        for (index, frame) in report.frames.iter().enumerate() {
            assert!(frame.used, "{focal_mm} mm, {}: {:?}", frame.file, frame.reason);
            let rms = motion_error(&sky, index, frame);
            assert!(rms < 0.15, "{focal_mm} mm, {}: {rms:.3} px rms over the frame", frame.file);
        }
    }
}

/// Root mean square distance of a frame's motion from the truth over the frame, in pixels.
fn motion_error(sky: &Sky, index: usize, frame: &jade_plan::report::FrameReport) -> f64 {
    let squares: Vec<f64> = frame
        .grid
        .iter()
        .filter_map(|[x, y, to_x, to_y]| {
            let [tx, ty] = sky.scene.to_reference(index as u32, [*x, *y])?;
            Some((to_x - tx).powi(2) + (to_y - ty).powi(2))
        })
        .collect();
    assert!(squares.len() >= 63);
    (squares.iter().sum::<f64>() / squares.len() as f64).sqrt()
}

#[test]
fn noise_falls_as_it_should_and_stars_stay_as_narrow() {
    let sky = Sky::new(21, 8);
    for method in [Method::Mean, Method::Median] {
        let report = sky.stack(&stars(method)).unwrap().report;
        let noise = report.noise().unwrap();
        assert!(noise.gain > 0.95 * noise.ideal_gain, "{method:?}: {noise:?}");
        assert!(noise.gain < 1.25 * noise.ideal_gain, "no hidden smoothing, {method:?}: {noise:?}");
        let reference = report.frames.iter().find(|f| f.file == report.reference).unwrap();
        let wider = report.star_width_px().unwrap() / reference.star_width_px.unwrap();
        assert!(wider < 1.05, "{method:?}: stars are {wider:.3} times as wide");
    }
}

/// The aligned mean comes nearer to the noise-free frame in the sky than any single frame.
#[test]
fn the_result_is_near_the_noise_free_picture() {
    let sky = Sky::new(22, 8);
    let outcome = sky.stack(&stars(Method::Mean)).unwrap();
    let (width, light) = pixels(&outcome);
    let [ox, oy] = outcome.report.origin.map(|v| v as usize);
    let srgb = jade_pixels::colour::Encoding::srgb();
    let linear = |samples: Vec<u16>| -> Vec<f32> {
        samples.iter().enumerate().map(|(i, &v)| srgb.curve(i % 3)[v as usize]).collect()
    };
    let clean = linear(sky.scene.clean_reference());
    let single = linear(sky.scene.frame(sky.scene.reference()));
    let (mut result, mut one, mut count) = (0.0f64, 0.0f64, 0);
    for (i, v) in light.iter().enumerate() {
        let (x, y) = (i / 3 % width + ox, i / 3 / width + oy);
        // Sky above everything that stands.
        if y > 200 {
            continue;
        }
        let at = (y * 900 + x) * 3 + i % 3;
        result += (v - clean[at]).powi(2) as f64;
        one += (single[at] - clean[at]).powi(2) as f64;
        count += 1;
    }
    let gain = (one / result).sqrt();
    assert!(count > 300_000);
    assert!(gain > 0.9 * 8f64.sqrt(), "root mean square error falls by {gain:.2}");
}

#[test]
fn without_alignment_the_mean_is_the_mean_and_the_median_the_median() {
    let sky = Sky::new(23, 3);
    let srgb = jade_pixels::colour::Encoding::srgb();
    let frames: Vec<Vec<u16>> = (0..3).map(|i| sky.scene.frame(i)).collect();
    for method in [Method::Mean, Method::Median] {
        let outcome = sky.stack(&plan(AlignMode::None, method, Edges::Trim)).unwrap();
        assert_eq!((outcome.report.size, outcome.report.origin), ([900, 600], [0, 0]));
        for (i, v) in pixels(&outcome).1.iter().enumerate() {
            let mut values = [0, 1, 2].map(|f: usize| srgb.curve(i % 3)[frames[f][i] as usize]);
            values.sort_by(f32::total_cmp);
            let truth = match method {
                Method::Mean => values.iter().sum::<f32>() / 3.0,
                _ => values[1],
            };
            assert!((v - truth).abs() < 1e-6, "{method:?} at {i}: {v} for {truth}");
        }
    }
}

#[test]
fn a_changed_method_does_not_align_again_and_a_repeated_plan_runs_nothing() {
    let sky = Sky::new(24, 4);
    let begun = |plan: &Plan| {
        let watch = Stages::default();
        let outcome = sky.watched(plan, &watch).unwrap();
        let begun = watch.begun.into_inner().unwrap();
        (begun.into_iter().map(|(stage, _)| stage).collect::<Vec<_>>(), pixels(&outcome).1)
    };
    let (first, mean) = begun(&stars(Method::Mean));
    assert_eq!(first, [Stage::Frames, Stage::Align, Stage::Combine]);
    assert_eq!(begun(&stars(Method::Median)).0, [Stage::Frames, Stage::Combine]);
    let (again, same) = begun(&stars(Method::Mean));
    assert!(again.is_empty(), "nothing runs again: {again:?}");
    assert!(mean == same);
    // Without the cache the same plan gives the same bytes.
    std::fs::remove_dir_all(sky.path("cache")).unwrap();
    assert!(begun(&stars(Method::Mean)).1 == mean);
}

#[test]
fn a_stopped_run_goes_on_from_its_finished_stages() {
    let sky = Sky::new(25, 4);
    // Four frames decoded, four aligned, then some tiles.
    let watch = Stages { stop_after: Some(12), ..Stages::default() };
    let stopped = sky.watched(&stars(Method::Mean), &watch);
    assert!(matches!(stopped, Err(CoreError::Cancelled)));
    let watch = Stages::default();
    sky.watched(&stars(Method::Mean), &watch).unwrap();
    let begun = watch.begun.into_inner().unwrap();
    assert!(!begun.iter().any(|(stage, _)| *stage == Stage::Align), "{begun:?}");
}

#[test]
fn frames_that_cannot_be_used_say_why_and_the_others_go_on() {
    let sky = Sky::new(26, 6);
    let mut inputs = sky.inputs.clone();
    let add = |name: &str| input(&sky.path(name));
    // Cut short, another size, another sky.
    let bytes = std::fs::read(sky.path("f01.tif")).unwrap();
    std::fs::write(sky.path("cut.tif"), &bytes[..bytes.len() / 2]).unwrap();
    let other = |name: &str, width, height, seed| {
        let scene =
            NightSky::new(Options { frames: 1, darks: 0, width, height, seed, deflate: false })
                .unwrap();
        let folder = tempfile::tempdir().unwrap();
        scene.write(folder.path(), |_, _| true).unwrap();
        std::fs::copy(folder.path().join("f01.tif"), sky.path(name)).unwrap();
    };
    other("small.tif", 450, 300, 26);
    other("elsewhere.tif", 900, 600, 99);
    inputs.extend([add("cut.tif"), add("small.tif"), add("elsewhere.tif")]);
    let plan = stars(Method::Median);
    let report = sky.shoot.stack_on(&inputs, Some(3), &plan).unwrap().report;
    let verdict = |name: &str| {
        let frame = report.frames.iter().find(|f| f.file == name).unwrap();
        (frame.used, frame.reason.clone().unwrap_or_default())
    };
    for i in 1..=6 {
        assert_eq!(verdict(&format!("f{i:02}.tif")), (true, String::new()));
    }
    let (used, reason) = verdict("cut.tif");
    assert!(!used && reason.contains("cut short"), "{reason}");
    let (used, reason) = verdict("small.tif");
    assert!(!used && reason.contains("450 x 300"), "{reason}");
    let (used, reason) = verdict("elsewhere.tif");
    assert!(!used && !reason.is_empty(), "{reason}");
}

#[test]
fn kept_edges_have_the_reference_frames_size_and_no_dark_rim() {
    let sky = Sky::new(27, 6);
    for edges in [Edges::Keep, Edges::Fill] {
        let outcome = sky.stack(&plan(AlignMode::Stars, Method::Mean, edges)).unwrap();
        assert_eq!((outcome.report.size, outcome.report.origin), ([900, 600], [0, 0]));
        let (_, light) = pixels(&outcome);
        // Light in the outermost four columns and rows is what the pedestal alone exceeds.
        let rim = |inside: &dyn Fn(usize, usize) -> bool| {
            let kept = light.iter().enumerate().filter(|(i, _)| inside(i / 3 % 900, i / 3 / 900));
            let values: Vec<f32> = kept.map(|(_, v)| *v).collect();
            values.iter().sum::<f32>() / values.len() as f32
        };
        let rims =
            [rim(&|x, _| x < 4), rim(&|x, _| x >= 896), rim(&|_, y| y < 4), rim(&|_, y| y >= 596)];
        assert!(rims.iter().all(|v| *v > 0.008), "{edges:?}: a dark rim: {rims:?}");
    }
}

#[test]
fn too_few_stars_and_too_few_frames_are_refused_in_a_sentence() {
    let sky = Sky::new(28, 2);
    let one = sky.shoot.stack(&sky.inputs[..1], &stars(Method::Mean)).err().unwrap();
    assert!(one.to_string().contains("at least two frames"), "{one}");
    let dark = |i: u32| {
        let scene = NightSky::new(Options {
            frames: 1,
            darks: 2,
            width: 300,
            height: 200,
            seed: 5,
            deflate: false,
        })
        .unwrap();
        scene.write(&sky.path("capped"), |_, _| true).unwrap();
        input(&sky.path(&format!("capped/darks/d0{i}.tif")))
    };
    let capped = sky.shoot.stack(&[dark(1), dark(2)], &stars(Method::Mean)).err().unwrap();
    assert!(capped.to_string().contains("stars"), "{capped}");
}

#[test]
fn results_are_saved_in_each_format_with_the_frames_profile() {
    let sky = Sky::new(29, 3);
    let outcome = sky.stack(&stars(Method::Mean)).unwrap();
    for (name, target, bits) in [
        ("r.tif", Target::Tiff { sixteen_bit: true, deflate: false }, 16),
        ("r.png", Target::Png { sixteen_bit: true }, 16),
        ("r.jpg", Target::Jpeg { quality: 94 }, 8),
    ] {
        let path = sky.path(name);
        let facts = sky.scene.facts(1);
        export::write(
            &path,
            &Written {
                form: Form::Encoded(target),
                colours: Colours::Input,
                facts: Some(&facts),
                report: &outcome.report,
                place: true,
            },
            &outcome.picture,
            &outcome.profile,
            &Unwatched,
        )
        .unwrap();
        let file = PictureFile::open(&path).unwrap();
        let facts = file.facts();
        assert_eq!([facts.width, facts.height], outcome.report.size);
        assert_eq!((facts.bits, facts.profile.as_deref()), (bits, Some("sRGB")), "{name}");
    }
    let facts = PictureFile::open(&sky.path("r.tif")).unwrap().facts().clone();
    assert_eq!((facts.exposure_s, facts.iso), (Some(8.0), Some(6400)));
}

/// Less noise in each frame is less in the result; the motions are those of the frames as they are.
#[test]
fn noise_taken_off_each_frame_is_taken_off_the_result_and_motions_stay() {
    let mut sky = Sky::new(17, 5);
    let plain = sky.stack(&stars(Method::Mean)).unwrap();
    let amount = Denoise { luminance: 0.6, colour: 0.6 };
    sky.inputs.iter_mut().for_each(|input| input.prepare.denoise = amount);
    let stages = Stages::default();
    let less = sky.watched(&stars(Method::Mean), &stages).unwrap();
    assert_ne!(plain.key, less.key);
    let begun = stages.begun.lock().unwrap();
    assert!(begun.iter().all(|(stage, _)| *stage != Stage::Align), "nothing is aligned again");
    for (was, is) in plain.report.frames.iter().zip(&less.report.frames) {
        assert_eq!((was.used, was.rms_px), (is.used, is.rms_px), "{}", is.file);
    }
    let noise = |outcome: &Outcome| outcome.report.noise().unwrap().result;
    assert!(noise(&less) < 0.8 * noise(&plain), "{} of {}", noise(&less), noise(&plain));
    let mean = |outcome: &Outcome| {
        let (_, light) = pixels(outcome);
        light.iter().map(|v| f64::from(*v)).sum::<f64>() / light.len() as f64
    };
    assert!((mean(&less) / mean(&plain) - 1.0).abs() < 0.003, "no light is lost");
    // One frame alone may differ.
    sky.inputs[1..].iter_mut().for_each(|input| input.prepare.denoise = Denoise::default());
    let one = sky.stack(&stars(Method::Mean)).unwrap();
    assert!(noise(&one) < noise(&plain) && noise(&one) > noise(&less));
}

/// The plan decides every digit, and neither the memory nor the threads of the machine do.
#[test]
fn a_plan_gives_the_same_bytes_with_any_memory_and_threads() {
    let sky = Sky::new(29, 16);
    for method in [Method::Clipped, Method::Median] {
        let plan = stars(method);
        let bytes = [(128, 1), (128, 2), (2048, 4)].map(|(memory, threads)| {
            let _ = std::fs::remove_dir_all(sky.path("cache"));
            let cache = sky.shoot.cache();
            let outcome = engine::stack(&Request {
                frames: &sky.inputs,
                reference: None,
                plan: &plan,
                cache: &cache,
                budget: Budget::new(Some(memory), Some(threads)).unwrap(),
                stream: false,
                skyline_inputs: SkylineInputs::default(),
                watch: &Unwatched,
            });
            pixels(&outcome.unwrap()).1
        });
        assert!(bytes[0] == bytes[1] && bytes[1] == bytes[2], "{method:?}");
    }
}
