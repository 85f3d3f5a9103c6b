//! The simulated camera keeps its promises: the same bytes for the same seed, and truth that the
//! pictures agree with.

use jade_scenes::night_sky::{Land, NightSky, Options};

fn small(seed: u64) -> NightSky {
    NightSky::new(Options { frames: 5, darks: 1, width: 480, height: 320, seed, deflate: false })
        .unwrap()
}

#[test]
fn the_same_seed_gives_the_same_bytes_and_another_seed_others() {
    let write = |seed| {
        let folder = tempfile::tempdir().unwrap();
        small(seed).write(folder.path(), |_, _| true).unwrap();
        [
            "f01.tif",
            "f05.tif",
            "darks/d01.tif",
            "truth/motion.json",
            "truth/stars.json",
            "truth/reference.tif",
            "truth/sky-mask.png",
        ]
        .map(|name| std::fs::read(folder.path().join(name)).unwrap())
    };
    let (a, b, c) = (write(3), write(3), write(4));
    assert!(a == b, "the same seed, the same bytes");
    assert!(a.iter().zip(&c).all(|(a, c)| a != c), "another seed changes every file");
}

#[test]
fn the_middle_frame_is_the_reference_and_does_not_move() {
    let scene = small(8);
    let [x, y] = scene.to_reference(2, [100.0, 40.0]).unwrap();
    assert!((x - 100.0).abs() < 1e-9 && (y - 40.0).abs() < 1e-9);
    let moved = [[0.0, 0.0], [479.0, 0.0], [240.0, 160.0]].map(|[x, y]| {
        let [to_x, to_y] = scene.to_reference(0, [x, y]).unwrap();
        (to_x - x).hypot(to_y - y)
    });
    assert!(moved.iter().any(|m| *m > 0.5), "the sky turns between frames: {moved:?}");
}

/// Stars of a clean frame stand where the truth says, to a fraction of a pixel.
#[test]
fn bright_stars_stand_at_their_written_places() {
    let scene = NightSky::new(Options {
        frames: 3,
        darks: 0,
        width: 900,
        height: 600,
        seed: 2,
        deflate: false,
    })
    .unwrap();
    let samples = scene.clean_reference();
    let at = |x: usize, y: usize| samples[(y * 900 + x) * 3 + 1] as f64;
    let mut seen = 0;
    for star in scene.stars().iter().filter(|s| !s.hidden && (0.1..0.5).contains(&s.peak)) {
        let (cx, cy) = (star.x.round(), star.y.round());
        if !(8.0..890.0).contains(&cx) || !(8.0..400.0).contains(&cy) {
            continue;
        }
        let crowded = scene.stars().iter().filter(|o| (o.x - star.x).hypot(o.y - star.y) < 9.0);
        if crowded.filter(|o| o.peak > star.peak / 40.0).count() > 1 {
            continue;
        }
        let (mut sum, mut sx, mut sy) = (0.0, 0.0, 0.0);
        let floor = at(cx as usize - 6, cy as usize - 6);
        for y in cy as usize - 3..=cy as usize + 3 {
            for x in cx as usize - 3..=cx as usize + 3 {
                let v = (at(x, y) - floor).max(0.0);
                (sum, sx, sy) = (sum + v, sx + v * x as f64, sy + v * y as f64);
            }
        }
        let off = (sx / sum - star.x).hypot(sy / sum - star.y);
        assert!(off < 0.3, "star at {:.2} {:.2} is off by {off:.2} px", star.x, star.y);
        seen += 1;
    }
    assert!(seen > 8, "only {seen} stars to judge by");
}

#[test]
fn noise_follows_from_the_light_and_averages_to_it() {
    let scene = small(5);
    let clean = scene.clean_reference();
    let frame = scene.frame(2);
    // Well exposed sky samples only: encoding bends noise near black.
    let pairs: Vec<f64> = clean
        .iter()
        .zip(&frame)
        .filter(|(c, _)| (14_000..20_000).contains(*c))
        .map(|(c, f)| *f as f64 - *c as f64)
        .collect();
    let mean = pairs.iter().sum::<f64>() / pairs.len() as f64;
    let sigma = (pairs.iter().map(|d| d * d).sum::<f64>() / pairs.len() as f64).sqrt();
    assert!(pairs.len() > 10_000);
    assert!(mean.abs() < 0.1 * sigma, "bias {mean:.0} against noise {sigma:.0}");
    assert!((600.0..6000.0).contains(&sigma), "noise of a high ISO: {sigma:.0}");
}

#[test]
fn impossible_sizes_are_refused() {
    let error = NightSky::new(Options { width: 20, ..Options::default() }).err().unwrap();
    assert!(error.to_string().contains("20 x 1600"), "{error}");
}

/// Every land has sky above and ground below, and light of its own.
#[test]
fn every_land_has_sky_and_ground() {
    let options = Options { frames: 2, darks: 0, width: 480, height: 320, seed: 9, deflate: false };
    let mut pictures = Vec::new();
    for land in Land::ALL {
        let scene = NightSky::over(land, options, None).unwrap();
        let sky = scene.sky_mask();
        let mean = |part: &[f32]| part.iter().sum::<f32>() / part.len() as f32;
        let (top, bottom) = (mean(&sky[..480 * 20]), mean(&sky[480 * 300..]));
        assert!(top > 0.9 && bottom == 0.0, "{}: {top} above, {bottom} below", land.name());
        assert!(sky.iter().all(|v| (0.0..=1.0).contains(v)));
        pictures.push(scene.frame(1));
    }
    for (i, one) in pictures.iter().enumerate() {
        assert!(pictures[..i].iter().all(|other| other != one), "{}", Land::ALL[i].name());
    }
}

#[test]
fn water_shows_the_sky_upside_down_and_clouds_drift() {
    let options = Options { frames: 9, darks: 0, width: 480, height: 320, seed: 4, deflate: false };
    let light = |land| NightSky::over(land, options, None).unwrap().clean_light();
    let (water, hills) = (light(Land::Water), light(Land::Hills));
    let rows = |light: &[f32], from: usize, to: usize| {
        light[from * 1440..to * 1440].iter().sum::<f32>() / ((to - from) * 1440) as f32
    };
    // Far below the horizon water is darker than the sky above, and brighter than woods.
    assert!(rows(&water, 300, 320) < rows(&water, 120, 200));
    assert!(rows(&water, 300, 320) > 1.5 * rows(&hills, 300, 320));
    let scene = NightSky::over(Land::Clouds, options, None).unwrap();
    let plain = NightSky::over(Land::Hills, options, None).unwrap();
    assert_eq!(scene.sky_mask(), plain.sky_mask(), "clouds are sky");
    assert!(scene.clean_light() != plain.clean_light());
}
