//! Frames of a mixed card against what they were taken for.

use jade_core::cache::Cache;
use jade_core::engine;
use jade_core::frames::judge;
use jade_core::frames::measures::Measures;
use jade_core::frames::sets::{self, Purpose};
use jade_pixels::facts::Facts;
use jade_pixels::read::PictureFile;
use jade_scenes::night_sky::{self, Card, NightSky, Options};
use shoot::input;
use std::path::Path;

mod shoot;

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
fn check(folder: &Path, seed: u64, card: Card) {
    let options = Options { frames: 9, darks: 3, width: 600, height: 400, seed, deflate: false };
    let scene = NightSky::new(options).unwrap();
    let path = folder.join(format!("{seed}-{}", card.raw));
    let cache = Cache::at(&path.join("cache"));
    let told = format!("seed {seed}, raw {}", card.raw);
    scene.write_card(&path, &card, |_, _| true).unwrap();
    let truth = scene.card(&card);
    let frames: Vec<(Facts, Measures)> = truth
        .iter()
        .map(|frame| {
            let file = path.join(&frame.file);
            let measures = engine::measure(&input(&file), &cache, &|| false).unwrap();
            (PictureFile::open(&file).unwrap().facts().clone(), measures)
        })
        .collect();
    let all: Vec<(&Facts, &Measures)> = frames.iter().map(|(f, m)| (f, m)).collect();
    let found = sets::propose(&all);
    for set in &found {
        for &frame in &set.frames {
            let frame = frame as usize;
            assert_eq!(set.purpose, wanted(truth[frame].purpose), "{told}: {:?}", frames[frame]);
        }
    }
    assert_eq!(found.len(), 5, "{told}: one set for each purpose: {found:?}");
    let mut spoiled: Vec<(String, String)> = Vec::new();
    for set in found.iter().filter(|set| matches!(set.purpose, Purpose::Sky | Purpose::Ground)) {
        let of: Vec<_> = set.frames.iter().map(|&i| all[i as usize]).collect();
        let doubts = judge::spoiled(&of).into_iter();
        spoiled.extend(doubts.map(|doubt| {
            (truth[set.frames[doubt.frame as usize] as usize].file.clone(), doubt.reason)
        }));
    }
    let really: Vec<&String> =
        truth.iter().filter(|frame| frame.spoiled.is_some()).map(|frame| &frame.file).collect();
    let found: Vec<&String> = spoiled.iter().map(|(file, _)| file).collect();
    assert_eq!(found, really, "{told}: {spoiled:?} {frames:?}");
}

/// Raw and developed cards of ten skies: every frame in its set, both spoiled ones proposed, and no
/// other.
#[test]
fn cards_are_sorted_and_spoiled_frames_are_found() {
    let folder = tempfile::tempdir().unwrap();
    for seed in 11..=34 {
        for raw in [true, false] {
            check(folder.path(), seed, Card { ground: 5, flats: 3, biases: 3, raw });
        }
    }
}
