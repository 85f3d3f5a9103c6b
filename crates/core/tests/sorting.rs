//! Frames of a mixed card against what they were taken for.

use jade_core::cache::Cache;
use jade_core::engine;
use jade_core::frames::judge;
use jade_core::frames::measures::Measures;
use jade_core::frames::sort;
use jade_core::prepare::Shows;
use jade_pixels::facts::Facts;
use jade_pixels::read::PictureFile;
use jade_scenes::night_sky::{NightSky, Options};
use shoot::input;

mod shoot;

/// Raw and developed cards of ten skies, all frames mixed.
#[test]
fn darks_flats_and_biases_are_told_from_lights() {
    let folder = tempfile::tempdir().unwrap();
    for seed in 1..=10 {
        let options =
            Options { frames: 6, darks: 2, width: 600, height: 400, seed, deflate: false };
        let scene = NightSky::new(options).unwrap();
        let path = folder.path().join(seed.to_string());
        let cache = Cache::at(&path.join("cache"));
        scene.write_raw(&path, 2, 2, |_, _| true).unwrap();
        scene.write(&path, |_, _| true).unwrap();
        let dark = Some(Shows::Dark);
        let raw = [
            ("biases/b", 2, Some(Shows::Bias)),
            ("f", 6, None),
            ("flats/l", 2, Some(Shows::Flat)),
            ("darks/d", 2, dark),
        ];
        let developed = [("darks/d", 2, dark), ("f", 6, None)];
        for (card, ending) in [(&raw[..], "dng"), (&developed[..], "tif")] {
            let mut frames: Vec<(Facts, Measures)> = Vec::new();
            let mut wanted = Vec::new();
            for &(name, count, shows) in card {
                for i in 1..=count {
                    let file = path.join(format!("{name}{i:02}.{ending}"));
                    let measures = engine::measure(&input(&file), &cache, &|| false).unwrap();
                    frames.push((PictureFile::open(&file).unwrap().facts().clone(), measures));
                    wanted.push(shows);
                }
            }
            let all: Vec<(&Facts, &Measures)> = frames.iter().map(|(f, m)| (f, m)).collect();
            let found: Vec<Option<Shows>> =
                sort::seems(&all).into_iter().map(|seems| seems.map(|(shows, _)| shows)).collect();
            assert_eq!(found, wanted, "{ending}, seed {seed}: {frames:?}");
            let lights: Vec<(&Facts, &Measures)> =
                all.into_iter().zip(&wanted).filter(|(_, w)| w.is_none()).map(|(f, _)| f).collect();
            assert_eq!(
                judge::spoiled(&lights),
                [],
                "nothing is wrong with the lights of seed {seed}"
            );
        }
    }
}
