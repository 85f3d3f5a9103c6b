//! Figures of the prepare step against the truth of simulated skies, as a table; so many seeds as the
//! argument says.

#[path = "../tests/truth/shoot/mod.rs"]
#[allow(dead_code, reason = "each example uses a part of it")]
mod shoot;

use jade_align::noise::noise;
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
use jade_plan::{Demosaic, LensPlan, PreparePlan, Repair};
use jade_scenes::night_sky::{NightSky, Options};
use shoot::truth::{block_error, blocks, error, furthest, rms};
use shoot::{Shoot, input, linear};
use std::sync::Arc;

const SIZE: (u32, u32) = (1500, 1000);
/// Lights, darks, flats and biases of a calibration.
const FRAMES: u32 = 12;
const FRINGES: [f64; 2] = [0.0009, -0.0006];
/// Electrons of a hot photosite that are ten standard deviations of one under the sky.
const HOT: f32 = 55.0;

fn sky(frames: u32, seed: u64) -> NightSky {
    let (width, height) = SIZE;
    NightSky::new(Options { frames, darks: 0, width, height, seed, deflate: false })
        .expect("the options are in range")
}

/// All light of a frame, colour by colour.
fn light(input: &FrameInput) -> [Vec<f32>; 3] {
    let frame = Frame::load(input, &mut || Ok(())).expect("the frame was just written");
    frame.planes(Region { x: 0, y: 0, width: SIZE.0, height: SIZE.1 }).expect("it is in memory")
}

fn saved(
    shoot: &Shoot,
    scene: &NightSky,
    name: &str,
    seconds: f64,
    make: impl Fn(u32) -> Mosaic,
) -> Vec<FrameInput> {
    let one = |i| {
        let path = shoot.path(&format!("{name}{i:02}.dng"));
        write_mosaic(&path, &make(i), &scene.raw_facts(i, seconds)).expect("there is room");
        input(&path)
    };
    (0..FRAMES).map(one).collect()
}

/// Errors of light, fine and fast; by how much a raw frame differs from the developed one in the worst
/// block of sky, by its middle light and by its mean, stars and all.
fn colours(seed: u64) -> [f64; 4] {
    let (shoot, scene) = (Shoot::new(), sky(1, seed));
    let truth = scene.clean_light();
    let path = shoot.path("clean.dng");
    write_mosaic(&path, &scene.clean_raw(), &scene.raw_facts(0, 8.0)).expect("there is room");
    let of = |demosaic| {
        let prepare = PreparePlan { demosaic, ..PreparePlan::default() };
        light(&FrameInput { prepare, ..input(&path) })
    };
    let (fine, fast) = (of(Demosaic::Fine), of(Demosaic::Fast));
    // The developed frame has a pedestal, under the same light.
    let pedestal = linear(&scene.clean_reference())[1] - truth[1];
    let developed: Vec<f32> =
        linear(&scene.clean_reference()).iter().map(|v| v - pedestal).collect();
    let sky = scene.sky_mask();
    let middles = (0..3).flat_map(|c| {
        let plane: Vec<f32> = developed.iter().skip(c).step_by(3).copied().collect();
        let pairs = blocks(&fine[c], sky, SIZE).into_iter().zip(blocks(&plane, sky, SIZE));
        pairs.map(|(raw, value)| f64::from((raw / value - 1.0).abs())).collect::<Vec<_>>()
    });
    let middle = middles.fold(0.0, f64::max);
    let mean = block_error(&fine, &developed, sky, SIZE);
    [error(&fine, &truth), error(&fast, &truth), middle, mean]
}

/// What calibration leaves of glow and shade, over the noise of the result; the share of hot
/// photosites that are found in the lights alone, and how many are found that are not hot.
fn calibration(seed: u64) -> [f64; 4] {
    let (shoot, scene) = (Shoot::new(), sky(FRAMES, seed));
    let lights = saved(&shoot, &scene, "f", 8.0, |i| scene.raw_frame(i));
    let frames = CalibrationFrames {
        darks: saved(&shoot, &scene, "d", 8.0, |i| scene.raw_dark(i)),
        flats: saved(&shoot, &scene, "l", 0.02, |i| scene.raw_flat(i)),
        biases: saved(&shoot, &scene, "b", 0.000_125, |i| scene.raw_bias(i)),
    };
    let cache = Cache::at(&shoot.path("cache"));
    let of = |frames: &CalibrationFrames| {
        Calibration::of(frames, &lights, Repair::Auto, &cache, &Unwatched).expect("they fit")
    };
    let made = of(&frames).map(Arc::new);
    let (reach, clean, sky) = (scene.reach(), scene.clean_light(), scene.sky_mask());
    let mean = reach.iter().sum::<f32>() / reach.len() as f32;
    let off = |calibrated: bool| {
        let of_colour = |c: usize| {
            let truth: Vec<f32> =
                (0..reach.len()).map(|i| clean[i * 3 + c] / reach[i] * mean).collect();
            let truth = blocks(&truth, sky, SIZE);
            let calibration = made.clone().filter(|_| calibrated);
            let all: Vec<Vec<f32>> = lights
                .iter()
                .map(|input| FrameInput { calibration: calibration.clone(), ..input.clone() })
                .map(|input| blocks(&light(&input)[c], sky, SIZE))
                .collect();
            let mean = |block: usize| all.iter().map(|f| f[block]).sum::<f32>() / all.len() as f32;
            rms((0..truth.len()).map(|block| mean(block) - truth[block]))
        };
        (0..3).map(of_colour).fold(0.0, f32::max)
    };
    let frame = Frame::load(&lights[0], &mut || Ok(())).expect("it was just written");
    let patch = Region { x: 700, y: 60, width: 100, height: 60 };
    let planes = frame.planes(patch).expect("it is in memory");
    let single = planes.iter().map(|plane| noise(plane, 100)).fold(f32::MAX, f32::min);
    let of_result = single / (FRAMES as f32).sqrt();
    let alone = of(&CalibrationFrames::default());
    let found = alone.as_ref().map_or(&[][..], |made| made.faults());
    let hot = scene.hot_photosites();
    let strong: Vec<_> = hot.iter().filter(|hot| hot.electrons > HOT).collect();
    let seen = strong.iter().filter(|hot| found.contains(&(hot.y, hot.x))).count();
    let wrong = found.iter().filter(|at| !hot.iter().any(|hot| (hot.y, hot.x) == **at)).count();
    [
        f64::from(off(false) / of_result),
        f64::from(off(true) / of_result),
        seen as f64 / strong.len() as f64,
        wrong as f64,
    ]
}

/// How far the found lens puts anything from where it belongs, the told error of its corners, and how
/// far red and blue are off at the corners; in pixels.
fn lens(seed: u64) -> [f64; 4] {
    let (shoot, scene) = (Shoot::new(), sky(24, seed).with_fringes(FRINGES));
    let frames = shoot.hold(&scene);
    let budget = Budget::new(Some(512), None).expect("there is as much memory");
    let known = LensPlan::default();
    let found = engine::lens_of_stars(&frames, known, &shoot.cache(), budget, &Unwatched)
        .expect("the sky has stars");
    let half = jade_optics::lens::half_diagonal(SIZE);
    let off = |i: usize| {
        let found = found.colour_px.map_or(f64::NAN, |colours| f64::from(colours[i]));
        (found - FRINGES[i] * half).abs()
    };
    match found.distortion_px {
        Some([_, said]) => [furthest(&scene, &found.lens), f64::from(said), off(0), off(1)],
        None => [f64::NAN, f64::NAN, off(0), off(1)],
    }
}

/// Median and largest, or where less is worse smallest, of figures; those that are none are counted.
fn row(name: &str, mut values: Vec<f64>, digits: usize, less_is_worse: bool) {
    let all = values.len();
    values.retain(|v| v.is_finite());
    values.sort_by(f64::total_cmp);
    let worst = if less_is_worse { values.first() } else { values.last() };
    let (Some(middle), Some(worst)) = (values.get(values.len() / 2), worst) else {
        println!("| {name} | none | none |");
        return;
    };
    let known = match all - values.len() {
        0 => String::new(),
        none => format!(" ({none} of {all} not found)"),
    };
    println!("| {name}{known} | {middle:.digits$} | {worst:.digits$} |");
}

fn main() {
    let seeds: u64 = std::env::args().nth(1).and_then(|n| n.parse().ok()).unwrap_or(10);
    let of = |work: fn(u64) -> [f64; 4]| -> [Vec<f64>; 4] {
        let all: Vec<[f64; 4]> = (1..=seeds)
            .map(|seed| {
                eprintln!("seed {seed} of {seeds}");
                work(seed)
            })
            .collect();
        [0, 1, 2, 3].map(|i| all.iter().map(|row| row[i]).collect())
    };
    println!("| figure | median | worst seed |\n|---|---|---|");
    let [fine, fast, middles, means] = of(colours);
    let thousand = |values: Vec<f64>| values.into_iter().map(|v| 1000.0 * v).collect();
    let percent = |values: Vec<f64>| values.into_iter().map(|v| 100.0 * v).collect();
    row(
        "missing colours, fine: error of light, rms, thousandths of white",
        thousand(fine),
        3,
        false,
    );
    row("missing colours, fast: the same", thousand(fast), 3, false);
    row(
        "a raw frame's light against the developed frame's: worst middle of a block of sky (%)",
        percent(middles),
        2,
        false,
    );
    row("the same: worst mean of a block, stars and all (%)", percent(means), 2, false);
    let [before, after, hot, wrong] = of(calibration);
    row(
        "glow, columns, shade and dust before calibration, over the noise of the result",
        before,
        2,
        false,
    );
    row("the same after it", after, 2, false);
    row("hot photosites of 10 sigma found in the lights alone (%)", percent(hot), 1, true);
    row("photosites taken for hot that are not", wrong, 0, false);
    let [off, said, red, blue] = of(lens);
    row("distortion found from stars: off at the furthest place (px)", off, 2, false);
    row("the error that was told for it (px)", said, 2, false);
    row("red found beside green, off at the corners (px)", red, 3, false);
    row("blue, the same (px)", blue, 3, false);
}
