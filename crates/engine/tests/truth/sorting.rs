//! Frames of a mixed card against what they were taken for.

use crate::shoot::{Shoot, input, linear};
use jade_engine as engine;
use jade_engine::Budget;
use jade_frames::cache::Cache;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::Facts;
use jade_pixels::read::PictureFile;
use jade_plan::{Kind, WhiteBalance};
use jade_scenes::kiln_yard::{self, KilnYard};
use jade_scenes::night_sky::{self, Card, NightSky, Options};
use jade_survey::measures::Measures;
use jade_survey::sets::{self, Purpose};
use jade_survey::{checks, judge};
use std::path::Path;

fn wanted(purpose: night_sky::Purpose) -> Purpose {
    match purpose {
        night_sky::Purpose::Sky => Purpose::Sky,
        night_sky::Purpose::Ground => Purpose::Ground,
        night_sky::Purpose::Dark => Purpose::Dark,
        night_sky::Purpose::Flat => Purpose::Flat,
        night_sky::Purpose::Bias => Purpose::Bias,
    }
}

/// Makes a card and compares what is proposed for it with its truth.
fn budget() -> Budget {
    Budget::new(Some(256), Some(2)).unwrap()
}

fn check(folder: &Path, seed: u64, card: Card) {
    let options = Options { frames: 9, darks: 3, width: 600, height: 400, seed, deflate: false };
    let scene = NightSky::new(options).unwrap();
    let path = folder.join(format!("{seed}-{}", card.raw));
    let cache = Cache::at(&path.join("cache"));
    let said = format!("seed {seed}, raw {}", card.raw);
    scene.write_card(&path, &card, |_, _| true).unwrap();
    let truth = scene.card(&card);
    let frames: Vec<(Facts, Measures)> = truth
        .iter()
        .map(|frame| {
            let file = path.join(&frame.file);
            let measures = engine::measure(&input(&file), &cache, budget(), &|| false).unwrap();
            (PictureFile::open(&file).unwrap().facts().clone(), measures)
        })
        .collect();
    let all: Vec<(&Facts, &Measures)> = frames.iter().map(|(f, m)| (f, m)).collect();
    let found = sets::propose(&all);
    for set in &found {
        for &frame in &set.frames {
            let frame = frame as usize;
            assert_eq!(set.purpose, wanted(truth[frame].purpose), "{said}: {:?}", frames[frame]);
        }
    }
    assert_eq!(found.len(), 5, "{said}: one set for each purpose: {found:?}");
    let mut spoiled: Vec<(String, String)> = Vec::new();
    for set in found.iter().filter(|set| matches!(set.purpose, Purpose::Sky | Purpose::Ground)) {
        let of: Vec<_> = set.frames.iter().map(|&i| all[i as usize]).collect();
        let doubts = judge::spoiled(&of, Kind::NightSky).into_iter();
        spoiled.extend(doubts.map(|doubt| {
            (truth[set.frames[doubt.frame as usize] as usize].file.clone(), doubt.reason)
        }));
    }
    let really: Vec<&String> =
        truth.iter().filter(|frame| frame.spoiled.is_some()).map(|frame| &frame.file).collect();
    let found: Vec<&String> = spoiled.iter().map(|(file, _)| file).collect();
    assert_eq!(found, really, "{said}: {spoiled:?} {frames:?}");
}

const SIZE: (u32, u32) = (720, 480);

/// Light with an unsharp mask: each pixel goes further from the mean of those around it.
fn sharpened(light: &[f32], amount: f32) -> Vec<f32> {
    let (width, height) = (SIZE.0 as usize, SIZE.1 as usize);
    let weight = |d: usize| (-((d as f32 - 4.0).powi(2)) / (2.0 * 1.4 * 1.4)).exp();
    let weights: [f32; 9] = std::array::from_fn(weight);
    let total: f32 = weights.iter().sum();
    let blurred = |light: &[f32], step: usize, place: &dyn Fn(usize) -> usize, end: usize| {
        let value = |i: usize| {
            let (at, mut sum) = (place(i), 0.0);
            for (d, weight) in weights.iter().enumerate() {
                let to = (at + d).saturating_sub(4).min(end - 1);
                sum += weight * light[i + to * step - at * step];
            }
            sum / total
        };
        (0..light.len()).map(value).collect::<Vec<f32>>()
    };
    // A Gaussian is the product of one along the rows and one along the columns.
    let across = blurred(light, 3, &|i| i / 3 % width, width);
    let both = blurred(&across, 3 * width, &|i| i / 3 / width, height);
    light.iter().zip(both).map(|(value, mean)| (value + amount * (value - mean)).max(0.0)).collect()
}

fn encoded(light: &[f32]) -> Vec<u16> {
    let srgb = Encoding::srgb();
    light.iter().enumerate().map(|(i, v)| srgb.encode(i % 3, *v)).collect()
}

fn measured(shoot: &Shoot, name: &str, samples: &[u16]) -> (Facts, Measures) {
    let input = shoot.save(name, SIZE, samples);
    let measures = engine::measure(&input, &shoot.cache(), budget(), &|| false).unwrap();
    (PictureFile::open(&input.path).unwrap().facts().clone(), measures)
}

fn checks_of(frames: &[(Facts, Measures)]) -> Vec<checks::Check> {
    let named: Vec<checks::Named> = frames.iter().map(|(f, m)| ("f.tif", f, m)).collect();
    checks::check(&named, &WhiteBalance::AsShot)
}

#[test]
fn sharpening_that_was_left_on_is_seen_around_the_stars() {
    let shoot = Shoot::new();
    let (width, height) = SIZE;
    for seed in 41..49 {
        let options = Options { frames: 5, darks: 0, width, height, seed, deflate: false };
        let sky = NightSky::new(options).unwrap();
        let frame = |i: u32, amount: f32| {
            let samples = sky.frame(i);
            let samples = match amount > 0.0 {
                true => encoded(&sharpened(&linear(&samples), amount)),
                false => samples,
            };
            measured(&shoot, &format!("{seed}-{i}-{amount}.tif"), &samples)
        };
        let mut frames: Vec<_> = (0..5).map(|i| frame(i, 0.0)).collect();
        let said = |check: &checks::Check| check.text.contains("sharpened");
        assert!(!checks_of(&frames).iter().any(said), "{seed}: {:?}", frames[0].1);
        for amount in [0.5, 0.7] {
            frames[2] = frame(2, amount);
            let checks = checks_of(&frames);
            let found = checks.iter().find(|check| said(check));
            let found = found.unwrap_or_else(|| panic!("{seed} {amount}: {:?}", frames[2].1));
            assert_eq!((&found.frames[..], found.leave_out), (&[2][..], true), "{seed} {amount}");
        }
    }
}

#[test]
fn sharpening_of_one_frame_is_seen_in_its_noise_where_there_are_no_stars() {
    let shoot = Shoot::new();
    let (width, height) = SIZE;
    for seed in 41..=46 {
        let options = kiln_yard::Options { frames: 8, width, height, seed, deflate: false };
        let yard = KilnYard::new(options).unwrap();
        let frame = |i: u32, amount: f32| {
            let samples = yard.frame(i);
            let samples = match amount > 0.0 {
                true => encoded(&sharpened(&linear(&samples), amount)),
                false => samples,
            };
            measured(&shoot, &format!("y{seed}-{i}-{amount}.tif"), &samples)
        };
        let mut frames: Vec<_> = (0..8).map(|i| frame(i, 0.0)).collect();
        assert!(frames.iter().all(|(_, measures)| measures.rim.is_none()));
        let said = |check: &checks::Check| check.text.contains("another grain");
        assert!(!checks_of(&frames).iter().any(said), "{seed}: {:?}", frames[0].1);
        for amount in [0.5, 1.0] {
            frames[5] = frame(5, amount);
            let checks = checks_of(&frames);
            let found = checks.iter().find(|check| said(check));
            let found = found.unwrap_or_else(|| panic!("{seed} {amount}: {:?}", frames[5].1));
            assert_eq!((&found.frames[..], found.leave_out), (&[5][..], true), "{seed} {amount}");
            assert!(found.text.contains("sharpened more"));
        }
    }
}

/// Frames of a scene that leans away, sharp where its distance is the focus's.
fn sweep(seed: u64, planes: usize, i: usize) -> Vec<u16> {
    let (width, height) = (SIZE.0 as usize, SIZE.1 as usize);
    let grain = |x: i64, y: i64| {
        let hash = blake3::hash(&[x, y, seed as i64].map(i64::to_le_bytes).concat());
        f32::from(hash.as_bytes()[0]) / 255.0
    };
    let focus = (i as f32 + 0.5) / planes as f32;
    let mut light = Vec::with_capacity(width * height * 3);
    let coarse: Vec<f32> = (0..(width / 3 + 2) * (height / 3 + 2))
        .map(|i| grain((i % (width / 3 + 2)) as i64, (i / (width / 3 + 2)) as i64))
        .collect();
    for y in 0..height {
        let distance = y as f32 / height as f32;
        let blur = 1 + (14.0 * (distance - focus).abs()) as i64;
        for x in 0..width {
            let (mut sum, mut count) = (0.0, 0.0);
            for dy in -blur..=blur {
                for dx in -blur..=blur {
                    let (u, v) = ((x as i64 + dx).max(0) / 3, (y as i64 + dy).max(0) / 3);
                    let at = v as usize * (width / 3 + 2) + u as usize;
                    if let Some(value) = coarse.get(at) {
                        sum += value;
                        count += 1.0;
                    }
                }
            }
            let noise = 0.01 * (grain(x as i64 + 9999 * i as i64, y as i64) - 0.5);
            light.extend([0.1 + 0.4 * sum / count + noise; 3]);
        }
    }
    encoded(&light)
}

#[test]
fn focal_planes_are_told_from_a_burst() {
    let shoot = Shoot::new();
    for (seed, planes) in [(1, 6), (2, 9)] {
        let frames: Vec<_> = (0..planes)
            .map(|i| measured(&shoot, &format!("p{seed}-{i}.tif"), &sweep(seed, planes, i)))
            .collect();
        let looked: Vec<(&Facts, &Measures)> = frames.iter().map(|(f, m)| (f, m)).collect();
        let found = sets::propose(&looked);
        assert_eq!(found.len(), 1, "{found:?}");
        assert_eq!((found[0].purpose, &found[0].name[..]), (Purpose::Focus, "Focal planes"));
        // The same plane over and over.
        let burst: Vec<_> = vec![looked[planes / 2]; planes];
        assert_ne!(sets::propose(&burst)[0].purpose, Purpose::Focus);
    }
    let (width, height) = SIZE;
    for seed in 1..=4 {
        let options = kiln_yard::Options { frames: 8, width, height, seed, deflate: false };
        let yard = KilnYard::new(options).unwrap();
        let frames: Vec<_> =
            (0..8).map(|i| measured(&shoot, &format!("y{seed}-{i}.tif"), &yard.frame(i))).collect();
        let looked: Vec<(&Facts, &Measures)> = frames.iter().map(|(f, m)| (f, m)).collect();
        let found = sets::propose(&looked);
        assert!(found.iter().all(|set| set.purpose != Purpose::Focus), "{seed}: {found:?}");
    }
}

/// Raw and developed cards of ten skies: every frame in its set, both spoiled ones proposed, and no
/// other.
#[test]
fn cards_are_sorted_and_spoiled_frames_are_found() {
    let folder = tempfile::tempdir().unwrap();
    for seed in 11..=20 {
        for raw in [true, false] {
            check(folder.path(), seed, Card { ground: 5, flats: 3, biases: 3, raw });
        }
    }
}
