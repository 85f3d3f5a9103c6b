//! The focus sweep keeps its promises.

use jade_scenes::focus_sweep::{FocusSweep, Options};
use std::ops::Range;

const SIZE: [usize; 2] = [480, 320];

fn small(frames: u32, seed: u64) -> FocusSweep {
    let [width, height] = SIZE.map(|side| side as u32);
    FocusSweep::new(Options { frames, width, height, seed, deflate: true }).unwrap()
}

#[test]
fn the_same_seed_gives_the_same_bytes_and_another_seed_others() {
    let write = |seed| {
        let folder = tempfile::tempdir().unwrap();
        small(4, seed).write(folder.path(), |_, _| true).unwrap();
        ["f01.tif", "f04.tif", "truth/motion.json", "truth/sharp.tif", "truth/depth.png"]
            .map(|name| std::fs::read(folder.path().join(name)).unwrap())
    };
    let (a, b, c) = (write(3), write(3), write(4));
    assert!(a == b, "the same seed, the same bytes");
    assert!(a.iter().zip(&c).all(|(a, c)| a != c), "another seed changes every file");
}

#[test]
fn the_picture_breathes_by_three_hundredths_and_the_middle_frame_is_the_reference() {
    let scene = small(9, 8);
    let width = |index: u32| {
        let [left, right] = [0.0, 479.0].map(|x| scene.to_reference(index, [x, 160.0]));
        (right[0] - left[0]).hypot(right[1] - left[1]) / 479.0
    };
    let middle = scene.to_reference(scene.reference(), [100.0, 40.0]);
    assert!((middle[0] - 100.0).hypot(middle[1] - 40.0) < 1e-9);
    // The nearer the focus, the larger the picture, step by step.
    let all: Vec<f64> = (0..9).map(width).collect();
    assert!(all.windows(2).all(|pair| pair[0] < pair[1]), "{all:?}");
    assert!((0.025..0.035).contains(&(all[8] / all[0] - 1.0)), "{}", all[8] / all[0]);
}

#[test]
fn what_is_further_from_the_plane_of_focus_is_less_sharp() {
    for seed in 2..4 {
        let scene = small(13, seed);
        let plane = scene.reference() as f32;
        let (frame, sharp, depth) = (scene.frame(scene.reference()), scene.sharp(), scene.depth());
        // Root mean square of what the frame lacks of the sharp picture, so many planes away.
        let lacks = |away: Range<f32>| {
            let cells = (0..depth.len()).filter(|&i| away.contains(&(depth[i] - plane).abs()));
            let off = cells.flat_map(|i| 3 * i..3 * i + 3);
            let squares: Vec<f64> =
                off.map(|k| (f64::from(frame[k]) - f64::from(sharp[k])).powi(2)).collect();
            assert!(squares.len() > 3_000, "seed {seed}: {away:?}");
            (squares.iter().sum::<f64>() / squares.len() as f64).sqrt()
        };
        let all = [lacks(0.0..0.5), lacks(1.0..2.0), lacks(2.5..4.0), lacks(4.5..7.0)];
        assert!(all.windows(2).all(|pair| pair[0] < pair[1]), "seed {seed}: {all:?}");
        assert!(all[3] > 2.0 * all[0], "seed {seed}: {all:?}");
    }
}

#[test]
fn edges_of_near_things_are_spread_over_what_is_behind_them() {
    let scene = small(13, 6);
    let last = 12;
    let (frame, sharp, depth) = (scene.frame(last), scene.sharp(), scene.depth());
    let [width, height] = SIZE;
    let (mut beside, mut alone) = (vec![], vec![]);
    for (y, x) in (8..height - 8).flat_map(|y| (40..width - 40).map(move |x| (y, x))) {
        let [u, v] = scene.to_reference(last, [x as f64, y as f64]).map(|v| v.round() as usize);
        let row = &depth[v * width..][..width];
        let around = |by: usize| &row[u.saturating_sub(by)..(u + by + 1).min(width)];
        // On the backdrop, which is smooth, so that fractions of a pixel make no difference.
        if around(1).iter().any(|depth| depth.is_finite()) {
            continue;
        }
        let off = (0..3).map(|c| {
            let [here, other] = [frame[(y * width + x) * 3 + c], sharp[(v * width + u) * 3 + c]];
            f64::from(here.abs_diff(other))
        });
        let off = off.sum::<f64>() / 3.0;
        if around(4).iter().any(|depth| *depth < 6.0) {
            beside.push(off);
        } else if around(30).iter().all(|depth| depth.is_infinite()) {
            alone.push(off);
        }
    }
    assert!(beside.len() > 300 && alone.len() > 3_000, "{} and {}", beside.len(), alone.len());
    let mean = |all: &[f64]| all.iter().sum::<f64>() / all.len() as f64;
    let (beside, alone) = (mean(&beside), mean(&alone));
    assert!(beside > 3.0 * alone, "{beside:.0} beside near things, {alone:.0} elsewhere");
}

#[test]
fn the_truth_that_is_written_is_that_of_the_scene() {
    let scene = small(3, 9);
    let folder = tempfile::tempdir().unwrap();
    scene.write(folder.path(), |_, _| true).unwrap();
    let text = std::fs::read_to_string(folder.path().join("truth/motion.json")).unwrap();
    let written: serde_json::Value = serde_json::from_str(&text).unwrap();
    assert_eq!(written["reference"], "f02.tif");
    let frames = written["frames"].as_array().unwrap();
    assert_eq!(frames.len(), 3);
    for (index, frame) in (0..).zip(frames) {
        for place in frame["grid"].as_array().unwrap() {
            let [x, y, u, v] = [0, 1, 2, 3].map(|i| place[i].as_f64().unwrap());
            let truth = scene.to_reference(index, [x, y]);
            assert!((u - truth[0]).hypot(v - truth[1]) < 0.01, "frame {index}: {x}, {y}");
        }
    }
    // The focus goes on evenly, away from the camera.
    let mm: Vec<f64> = frames.iter().map(|frame| frame["focus_mm"].as_f64().unwrap()).collect();
    assert!(mm[0] < mm[1] && (mm[2] - mm[1] - (mm[1] - mm[0])).abs() < 1e-6, "{mm:?}");
}

#[test]
fn impossible_sizes_and_counts_are_refused() {
    for odd in
        [Options { width: 20, ..Options::default() }, Options { frames: 61, ..Options::default() }]
    {
        assert!(FocusSweep::new(odd).err().unwrap().to_string().contains("sides from 256"));
    }
}
