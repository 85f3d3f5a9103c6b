//! Raw frames against the light they were made from.

use crate::shoot::truth::{block_error, blocks, error, rms};
use crate::shoot::{Shoot, input};
use jade_align::noise::noise as noise_of;
use jade_engine as engine;
use jade_engine::Budget;
use jade_frames::CalibrationFrames;
use jade_frames::cache::Cache;
use jade_frames::calibration::Calibration;
use jade_frames::{Frame, FrameInput};
use jade_optics::light::Light;
use jade_pixels::mosaic::Mosaic;
use jade_pixels::tiled::Region;
use jade_pixels::write::write_mosaic;
use jade_plan::progress::Unwatched;
use jade_plan::{AlignMode, Demosaic, Edges, GroundFrom, Method, NamedFile, PreparePlan, Repair};
use jade_scenes::night_sky::{Card, Land, NightSky, Options, Purpose};
use std::path::Path;
use std::sync::Arc;

const WIDTH: u32 = 600;
const HEIGHT: u32 = 400;

fn sky(seed: u64) -> NightSky {
    let options =
        Options { frames: 6, darks: 0, width: WIDTH, height: HEIGHT, seed, deflate: false };
    NightSky::new(options).unwrap()
}

fn save(scene: &NightSky, folder: &Path, name: &str, mosaic: &Mosaic) -> FrameInput {
    let path = folder.join(name);
    write_mosaic(&path, mosaic, &scene.raw_facts(0, 8.0)).unwrap();
    input(&path)
}

/// All light of a frame, colour by colour.
fn light(input: &FrameInput) -> [Vec<f32>; 3] {
    let frame = Frame::load(input, &mut || Ok(())).unwrap();
    frame.planes(Region { x: 0, y: 0, width: WIDTH, height: HEIGHT }).unwrap()
}

fn saved(
    scene: &NightSky,
    folder: &Path,
    name: &str,
    count: u32,
    seconds: f64,
    make: impl Fn(u32) -> Mosaic,
) -> Vec<FrameInput> {
    let one = |i| {
        let path = folder.join(format!("{name}{i:02}.dng"));
        write_mosaic(&path, &make(i), &scene.raw_facts(i, seconds)).unwrap();
        input(&path)
    };
    (0..count).map(one).collect()
}

#[test]
fn a_mosaic_without_noise_becomes_the_light_it_was_made_from() {
    let folder = tempfile::tempdir().unwrap();
    for seed in 3..5 {
        let scene = sky(seed);
        let truth = scene.clean_light();
        let input = save(&scene, folder.path(), "clean.dng", &scene.clean_raw());
        let of = |demosaic| {
            let prepare = PreparePlan { demosaic, ..PreparePlan::default() };
            light(&FrameInput { prepare, ..input.clone() })
        };
        let (fast, fine) = (of(Demosaic::Fast), of(Demosaic::Fine));
        let (fast_error, fine_error) = (error(&fast, &truth), error(&fine, &truth));
        // Edges are found better along them than across, and that shows over all.
        assert!(fine_error < 0.8 * fast_error && fine_error < 0.003, "{fine_error} {fast_error}");
        for light in [fast, fine] {
            let off = block_error(&light, &truth, scene.sky_mask(), (WIDTH, HEIGHT));
            assert!(off < 0.01, "{off} of a block's light, seed {seed}");
        }
    }
}

#[test]
fn calibration_takes_off_the_glow_and_gives_back_the_shade() {
    let folder = tempfile::tempdir().unwrap();
    for seed in 5..7 {
        let scene = sky(seed);
        let path = &folder.path().join(seed.to_string());
        std::fs::create_dir(path).unwrap();
        let lights = saved(&scene, path, "f", 6, 8.0, |i| scene.raw_frame(i));
        let frames = CalibrationFrames {
            darks: saved(&scene, path, "d", 12, 8.0, |i| scene.raw_dark(i)),
            flats: saved(&scene, path, "l", 12, 0.02, |i| scene.raw_flat(i)),
            biases: saved(&scene, path, "b", 12, 0.000_125, |i| scene.raw_bias(i)),
        };
        let cache = Cache::at(&path.join("cache"));
        let calibration =
            Calibration::of(&frames, &lights, Repair::Auto, &cache, &Unwatched).unwrap();
        let calibration = calibration.map(Arc::new);
        // The light before the lens and the dust took their share, as bright on the whole as after.
        let reach = scene.reach();
        let mean = reach.iter().sum::<f32>() / reach.len() as f32;
        let (clean, sky) = (scene.clean_light(), scene.sky_mask());
        for c in 0..3 {
            let truth: Vec<f32> = reach
                .iter()
                .enumerate()
                .map(|(i, reach)| clean[i * 3 + c] / reach * mean)
                .collect();
            let truth = blocks(&truth, sky, (WIDTH, HEIGHT));
            // What is off in the middle of all frames is not noise.
            let off = |of: &dyn Fn(&FrameInput) -> FrameInput| {
                let frames: Vec<Vec<f32>> = lights
                    .iter()
                    .map(|input| blocks(&light(&of(input))[c], sky, (WIDTH, HEIGHT)))
                    .collect();
                let off = (0..truth.len()).map(|block| {
                    frames.iter().map(|f| f[block]).sum::<f32>() / frames.len() as f32
                        - truth[block]
                });
                rms(off)
            };
            let before = off(&FrameInput::clone);
            let after =
                off(&|input| FrameInput { calibration: calibration.clone(), ..input.clone() });
            let frame = Frame::load(&lights[0], &mut || Ok(())).unwrap();
            let region = Region { x: 250, y: 20, width: 100, height: 60 };
            let noise = noise_of(&frame.planes(region).unwrap()[c], region.width as usize);
            let of_result = noise / (lights.len() as f32).sqrt();
            assert!(
                after < 0.5 * of_result && after < 0.3 * before,
                "colour {c}, seed {seed}: off by {after}, before {before}; noise {of_result}"
            );
        }
    }
}

#[test]
fn hot_photosites_are_found_in_the_lights_and_stars_are_left_alone() {
    let folder = tempfile::tempdir().unwrap();
    for seed in 7..10 {
        let scene = sky(seed);
        let path = &folder.path().join(seed.to_string());
        std::fs::create_dir(path).unwrap();
        let lights = saved(&scene, path, "f", 6, 8.0, |i| scene.raw_frame(i));
        let cache = Cache::at(&path.join("cache"));
        let none = CalibrationFrames::default();
        let calibration =
            Calibration::of(&none, &lights, Repair::Auto, &cache, &Unwatched).unwrap().unwrap();
        let found = calibration.faults();
        // Ten standard deviations of a photosite under the sky: some 25 electrons, and read noise.
        let hot = scene.hot_photosites();
        let strong: Vec<_> = hot.iter().filter(|hot| hot.electrons > 55.0).collect();
        let seen = strong.iter().filter(|hot| found.contains(&(hot.y, hot.x))).count();
        assert!(
            strong.len() > 20 && seen as f32 >= 0.95 * strong.len() as f32,
            "{seen} of {}",
            strong.len()
        );
        let wrong: Vec<_> =
            found.iter().filter(|at| !hot.iter().any(|hot| (hot.y, hot.x) == **at)).collect();
        assert!(wrong.len() <= 2, "not hot: {wrong:?}, seed {seed}");
    }
}

#[test]
fn a_ground_set_is_calibrated_with_what_fits_its_exposure() {
    let folder = tempfile::tempdir().unwrap();
    let options =
        Options { frames: 4, darks: 4, width: WIDTH, height: HEIGHT, seed: 10, deflate: false };
    let scene = NightSky::over(Land::Moonlit, options, None).unwrap();
    let card = Card { ground: 4, flats: 8, biases: 4, raw: true };
    scene.write_card(folder.path(), &card, |_, _| true).unwrap();
    let taken_for = |purpose: Purpose| -> Vec<FrameInput> {
        let frames = scene.card(&card).into_iter().filter(|frame| frame.purpose == purpose);
        frames.map(|frame| input(&folder.path().join(frame.file))).collect()
    };
    let frames = CalibrationFrames {
        darks: taken_for(Purpose::Dark),
        flats: taken_for(Purpose::Flat),
        biases: taken_for(Purpose::Bias),
    };
    let cache = Cache::at(&folder.path().join("cache"));
    let budget = Budget::new(Some(256), Some(2)).unwrap();
    let developed = Shoot::new();
    let calibrated = |frames: &CalibrationFrames, ground: &[FrameInput], from: GroundFrom| {
        let mut plan = crate::shoot::plan(AlignMode::Stars, Method::Clipped, Edges::Keep);
        plan.skyline.ground.from = from;
        let mut ground = ground.to_vec();
        engine::calibrate_ground(frames, &mut ground, &plan, &cache, budget, &Unwatched).unwrap();
        ground
    };
    // What the lens took from squares of the picture is given back, and nothing else is changed.
    let plain = taken_for(Purpose::Ground);
    let given = calibrated(&frames, &plain, GroundFrom::Set { set: 2 });
    let reach = scene.reach();
    let all = |frames: &[FrameInput]| -> Vec<f32> {
        let lights: Vec<[Vec<f32>; 3]> = frames.iter().map(light).collect();
        (0..reach.len()).map(|i| lights.iter().map(|light| light[1][i]).sum()).collect()
    };
    let (plain_light, light) = (all(&plain), all(&given));
    let squares = Region::covering(WIDTH, HEIGHT, [40; 2]).into_iter().map(|square| {
        let rows = square.y..square.y + square.height;
        let places = rows.flat_map(|y| (square.x..square.x + square.width).map(move |x| (x, y)));
        let sums = places.fold([0.0f32; 3], |sums, (x, y)| {
            let i = (y * WIDTH + x) as usize;
            [sums[0] + plain_light[i], sums[1] + light[i], sums[2] + reach[i]]
        });
        (sums[1] / sums[0], sums[2] / square.area() as f32)
    });
    let squares: Vec<(f32, f32)> = squares.collect();
    let even = |values: &dyn Fn(&(f32, f32)) -> f32| {
        let values: Vec<f32> = squares.iter().map(values).collect();
        let mean = values.iter().sum::<f32>() / values.len() as f32;
        rms(values.iter().map(|value| value / mean - 1.0))
    };
    let (taken, left) = (even(&|(_, reach)| *reach), even(&|(given, reach)| given * reach));
    assert!(taken > 0.05 && left < 0.1 * taken, "the lens took {taken}, of which is left {left}");
    // Darks of the sky's exposure, and a picture that is finished, are left alone.
    let darks = CalibrationFrames { flats: vec![], ..frames.clone() };
    assert!(Calibration::of(&darks, &plain, Repair::Off, &cache, &Unwatched).is_err());
    let [one, other, dark] = ["g1.tif", "g2.tif", "d1.tif"].map(|name| {
        let samples = vec![500; WIDTH as usize * HEIGHT as usize * 3];
        developed.save(name, (WIDTH, HEIGHT), &samples)
    });
    let one_dark = CalibrationFrames { darks: vec![dark], ..CalibrationFrames::default() };
    let is_calibrated = |ground: &[FrameInput]| {
        let ground = calibrated(&one_dark, ground, GroundFrom::Set { set: 2 });
        ground.iter().all(|frame| frame.calibration.is_some())
    };
    assert!(is_calibrated(&[one.clone(), other]));
    assert!(!is_calibrated(&[one]), "a developed picture that is alone may be finished");
    let file = NamedFile { file: "ground.tif".to_owned(), blake3: "0".repeat(64) };
    let picture = GroundFrom::Picture(file);
    assert!(calibrated(&frames, &plain, picture).iter().all(|frame| frame.calibration.is_none()));
}
