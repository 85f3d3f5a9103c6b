//! Each method of combining against plain arithmetic and against the truth of simulated scenes.

use crate::shoot::{Shoot, linear, pixels, plan};
use jade_engine::Outcome;
use jade_frames::FrameInput;
use jade_frames::cache::{Cache, MapKind};
use jade_pixels::colour::Encoding;
use jade_pixels::tiled::{Region, TiledFile};
use jade_pixels::write::{Picture, write_light};
use jade_plan::progress::Unwatched;
use jade_plan::{AlignMode, Edges, Method};
use jade_scenes::night_sky::{NightSky, Options};

const SIZE: (u32, u32) = (300, 200);

fn scene(frames: u32, (width, height): (u32, u32), seed: u64) -> NightSky {
    NightSky::new(Options { frames, darks: 0, width, height, seed, deflate: false }).unwrap()
}

fn saved(shoot: &Shoot, scene: &NightSky) -> Vec<FrameInput> {
    let Options { frames, width, height, .. } = *scene.options();
    (0..frames)
        .map(|i| shoot.save(&format!("f{i}.tif"), (width, height), &scene.frame(i)))
        .collect()
}

fn map(outcome: &Outcome, shoot: &Shoot, kind: MapKind) -> Vec<u16> {
    let file = TiledFile::<u16>::open(&shoot.cache().map(&outcome.key, kind)).unwrap();
    let whole = Region { x: 0, y: 0, width: file.width(), height: file.height() };
    file.read_region(whole).unwrap()
}

#[test]
fn lightest_darkest_and_spread_are_what_their_names_say() {
    let (shoot, scene) = (Shoot::new(), scene(5, SIZE, 41));
    let inputs = saved(&shoot, &scene);
    let frames: Vec<Vec<f32>> = (0..5).map(|i| linear(&scene.frame(i))).collect();
    for method in [Method::Lightest, Method::Darkest, Method::StdDev] {
        let outcome = shoot.stack(&inputs, &plan(AlignMode::None, method, Edges::Trim)).unwrap();
        for (i, v) in pixels(&outcome).1.iter().enumerate() {
            let values: Vec<f32> = frames.iter().map(|f| f[i]).collect();
            let truth = match method {
                Method::Lightest => values.iter().copied().fold(0.0, f32::max),
                Method::Darkest => values.iter().copied().fold(1.0, f32::min),
                _ => {
                    let mean = values.iter().sum::<f32>() / 5.0;
                    (values.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / 4.0).sqrt()
                }
            };
            assert!((v - truth).abs() < 2e-5, "{method:?} at {i}: {v} for {truth}");
        }
    }
}

/// On clean frames the clipped mean is nearly the mean; where a streak crossed one frame, nothing
/// of it is left.
#[test]
fn a_streak_leaves_no_trace_in_the_clipped_mean() {
    let (width, height) = (900, 600);
    let (shoot, scene) = (Shoot::new(), scene(12, (width, height), 43));
    let clean: Vec<Vec<u16>> = (0..12).map(|i| scene.frame_without_streak(i)).collect();
    let streak = scene.streak_mask();
    let stack = |name: &str, frames: &dyn Fn(usize) -> Vec<u16>, method| {
        let inputs: Vec<FrameInput> = (0..12)
            .map(|i| shoot.save(&format!("{name}{i}.tif"), (width, height), &frames(i)))
            .collect();
        let mut plan = plan(AlignMode::None, method, Edges::Trim);
        plan.combine.clip = 2.8;
        shoot.stack(&inputs, &plan).unwrap()
    };
    let plain = |i: usize| clean[i].clone();
    let crossed = |i: usize| scene.frame(i as u32);
    let mean = stack("c", &plain, Method::Mean);
    let clean = stack("c", &plain, Method::Clipped);
    let with = stack("s", &crossed, Method::Clipped);
    let noise = |outcome: &Outcome| f64::from(outcome.report.noise().unwrap().result);
    let noisier = noise(&clean) / noise(&mean);
    assert!(noisier < 1.03, "on clean frames clipping leaves {noisier:.3} times the noise");
    let (clean, crossed) = (pixels(&clean).1, pixels(&with).1);
    let under: Vec<f64> = (0..streak.len())
        .filter(|i| streak[*i] > 0.02)
        .flat_map(|i| [0, 1, 2].map(|c| f64::from(crossed[i * 3 + c] - clean[i * 3 + c])))
        .collect();
    assert!(under.len() > 2000);
    let excess = under.iter().sum::<f64>() / under.len() as f64 / noise(&mean);
    assert!(excess.abs() < 0.15, "under the streak {excess:.3} of the noise is left");

    // The map tells where, and from which frame.
    let rejected = map(&with, &shoot, MapKind::Rejected);
    let bright = |i: &usize| streak[*i] > 0.5;
    let said = (0..streak.len()).filter(bright).filter(|i| rejected[i * 2] > 0);
    let by_frame = (0..streak.len())
        .filter(bright)
        .filter(|i| rejected[i * 2 + 1] == scene.streak_frame() as u16 + 1);
    let bright = (0..streak.len()).filter(bright).count();
    assert!(said.count() * 100 > bright * 98 && by_frame.count() * 100 > bright * 95);
    let shares: Vec<f32> = with.report.frames.iter().map(|f| f.rejected.unwrap()).collect();
    let most = (0..12).max_by(|a, b| shares[*a].total_cmp(&shares[*b])).unwrap();
    assert_eq!(most as u32, scene.streak_frame(), "{shares:?}");
}

#[test]
fn frames_of_another_brightness_are_levelled() {
    let (shoot, scene) = (Shoot::new(), scene(4, SIZE, 44));
    let srgb = jade_pixels::colour::Encoding::srgb();
    let mut inputs = saved(&shoot, &scene);
    // The last one was exposed a third longer.
    let longer: Vec<u16> = linear(&scene.frame(3))
        .iter()
        .enumerate()
        .map(|(i, v)| srgb.encode(i % 3, v * 1.33))
        .collect();
    inputs[3] = shoot.save("longer.tif", SIZE, &longer);
    let mut wish = plan(AlignMode::None, Method::Mean, Edges::Trim);
    let level = |outcome: &Outcome| {
        let light = pixels(outcome).1;
        light.iter().sum::<f32>() / light.len() as f32
    };
    let plain = level(&shoot.stack(&inputs, &wish).unwrap());
    wish.combine.level = true;
    let outcome = shoot.stack(&inputs, &wish).unwrap();
    let levelled = level(&outcome);
    let truth = linear(&scene.frame(2)).iter().sum::<f32>() / (SIZE.0 * SIZE.1 * 3) as f32;
    assert!((levelled / truth - 1.0).abs() < 0.01, "{levelled} for {truth}");
    assert!(plain / truth > 1.05, "without levelling it is brighter: {plain}");
    let found = outcome.report.frames[3].level.unwrap();
    assert!((found[0] * 1.33 - 1.0).abs() < 0.05, "{found:?}");
}

#[test]
fn noisy_frames_weigh_less() {
    let (shoot, scene) = (Shoot::new(), scene(4, SIZE, 45));
    let mut inputs = saved(&shoot, &scene);
    let mut noisy = scene.frame(3);
    for (i, v) in noisy.iter_mut().enumerate() {
        let hash = blake3::hash(&i.to_le_bytes());
        *v = v.saturating_add_signed((hash.as_bytes()[0] as i16 - 128) * 50);
    }
    inputs[3] = shoot.save("noisy.tif", SIZE, &noisy);
    let mut wish = plan(AlignMode::None, Method::Mean, Edges::Trim);
    let plain = shoot.stack(&inputs, &wish).unwrap().report;
    wish.combine.weigh = true;
    let weighed = shoot.stack(&inputs, &wish).unwrap().report;
    assert!(weighed.frames[3].weight < 0.7 * weighed.frames[0].weight);
    let (plain, weighed) = (plain.noise().unwrap().result, weighed.noise().unwrap().result);
    assert!(weighed < 0.97 * plain, "noise {weighed} instead of {plain}");
}

#[test]
fn the_coverage_map_counts_frames_and_rims_come_from_those_that_are_there() {
    let size = (900, 600);
    let (shoot, scene) = (Shoot::new(), scene(6, size, 46));
    let inputs = saved(&shoot, &scene);
    for method in [Method::Mean, Method::Median, Method::Clipped] {
        let wish = plan(AlignMode::Stars, method, Edges::Keep);
        let outcome = shoot.stack(&inputs, &wish).unwrap();
        let counts = map(&outcome, &shoot, MapKind::Coverage);
        assert_eq!(counts.iter().max(), Some(&6), "{method:?}");
        let least = *counts.iter().min().unwrap();
        assert!((1..6).contains(&least), "{method:?}: some rim is seen by {least} frames");
        let light = pixels(&outcome).1;
        let dark = counts.iter().zip(light.chunks_exact(3)).filter(|(_, p)| p[1] < 0.004);
        assert_eq!(dark.count(), 0, "{method:?}: no place is darker than the pedestal");
    }
}

#[test]
fn more_frames_are_measured_to_leave_less_noise() {
    let (shoot, scene) = (Shoot::new(), scene(9, (600, 400), 47));
    let inputs = saved(&shoot, &scene);
    let wish = plan(AlignMode::Stars, Method::Clipped, Edges::Trim);
    let report = shoot.stack(&inputs, &wish).unwrap().report;
    let points = report.combine().unwrap().noise_by_frames.clone();
    assert_eq!(points.iter().map(|p| p.frames).collect::<Vec<_>>(), [1, 2, 3, 4, 6, 8, 9]);
    for point in &points {
        let ratio = point.noise / point.expected;
        assert!((0.75..1.15).contains(&ratio), "{point:?}");
    }
}

/// Along the true way of bright stars a trail with filled gaps is nowhere much darker than where it
/// was exposed; what stands still stays as it is.
#[test]
fn gaps_of_star_trails_are_filled_and_the_ground_stays() {
    let size = (900, 600);
    // Every third frame of a longer sequence, so that the pauses are long.
    let (shoot, scene) = (Shoot::new(), scene(16, size, 48));
    let inputs: Vec<FrameInput> = (0..16)
        .step_by(3)
        .map(|i| shoot.save(&format!("f{i}.tif"), size, &scene.frame(i)))
        .collect();
    let mut wish = plan(AlignMode::None, Method::Lightest, Edges::Trim);
    let plain = pixels(&shoot.stack(&inputs, &wish).unwrap()).1;
    wish.combine.fill_gaps = true;
    let filled = pixels(&shoot.stack(&inputs, &wish).unwrap()).1;
    let at = |light: &[f32], [x, y]: [f64; 2]| {
        let i = (y.round() as usize * 900 + x.round() as usize) * 3;
        light[i] + light[i + 1] + light[i + 2]
    };
    let inside = |[x, y]: [f64; 2]| (20.0..880.0).contains(&x) && (20.0..400.0).contains(&y);
    let bright = scene.stars().iter().filter(|s| !s.hidden && (0.1..0.7).contains(&s.peak));
    let (mut dips, mut kept, mut count) = (0.0, 0.0, 0);
    for star in bright {
        // Where it stands in the middle of two exposures, and half-way between.
        let places = [6, 9].map(|frame| scene.from_reference(frame, [star.x, star.y]));
        let [Some(a), Some(b)] = places else { continue };
        let way = (a[0] - b[0]).hypot(a[1] - b[1]);
        let between = [(a[0] + b[0]) / 2.0, (a[1] + b[1]) / 2.0];
        if !inside(a) || !inside(b) || way < 2.5 {
            continue;
        }
        let exposed = (at(&filled, a) + at(&filled, b)) / 2.0;
        dips += at(&plain, between) / exposed;
        kept += at(&filled, between) / exposed;
        count += 1;
    }
    assert!(count >= 5, "{count} stars");
    let (dips, kept) = (dips / count as f32, kept / count as f32);
    assert!(kept > 0.85, "half-way between exposures a trail keeps {kept:.2} (was {dips:.2})");
    let still = scene.sky_mask().iter().enumerate().filter(|(_, sky)| **sky == 0.0);
    let changed = still.filter(|(i, _)| filled[i * 3 + 1] > plain[i * 3 + 1] + 0.02).count();
    assert!(changed < 40, "{changed} pixels of the ground became lighter");
}

/// Frames of floating-point light, as this program's own results are saved: read again, combined,
/// and still brighter than white where they were.
#[test]
fn floating_point_frames_keep_what_is_brighter_than_white() {
    let shoot = Shoot::new();
    let value = |frame: usize, i: usize| (i * 37 % 400) as f32 / 200.0 + 0.01 * frame as f32;
    let inputs: Vec<FrameInput> = (0..4)
        .map(|frame| {
            let (path, encoding) = (shoot.path(&format!("light{frame}.tif")), Encoding::srgb());
            let (width, height) = SIZE;
            let picture = Picture { width, height, channels: 3, encoding: &encoding, taken: None };
            write_light(&path, &picture, &mut |y, out| {
                let first = y as usize * width as usize * 3;
                out.iter_mut().enumerate().for_each(|(i, v)| *v = value(frame, first + i));
                Ok(())
            })
            .unwrap();
            crate::shoot::input(&path)
        })
        .collect();
    for (method, stream) in [(Method::Mean, false), (Method::Mean, true), (Method::Median, true)] {
        let plan = plan(AlignMode::None, method, Edges::Trim);
        let cache = Cache::at(&shoot.path(&format!("{method:?}-{stream}")));
        let outcome = shoot.stack_into(&cache, &inputs, None, &plan, stream, &Unwatched).unwrap();
        for (i, v) in pixels(&outcome).1.iter().enumerate() {
            let truth = value(0, i) + 0.015;
            assert!((v - truth).abs() < 1e-5, "{method:?} at {i}: {v} for {truth}");
        }
    }
}
