//! Raw frames against the light they were made from.

use jade_core::frames::{Frame, FrameInput, Light};
use jade_core::prepare::PreparePlan;
use jade_core::prepare::demosaic::Demosaic;
use jade_pixels::mosaic::Mosaic;
use jade_pixels::tiled::Region;
use jade_pixels::write::write_mosaic;
use jade_scenes::night_sky::{NightSky, Options};
use shoot::input;
use std::path::Path;

mod shoot;

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

/// Root of the mean square of the differences to the truth, over all colours.
fn error(light: &[Vec<f32>; 3], truth: &[f32]) -> f64 {
    let squares = truth.as_chunks::<3>().0.iter().enumerate().flat_map(|(i, truth)| {
        (0..3).map(move |c| f64::from(light[c][i] - truth[c].clamp(0.0, 1.0)).powi(2))
    });
    (squares.sum::<f64>() / truth.len() as f64).sqrt()
}

#[test]
fn a_mosaic_without_noise_becomes_the_light_it_was_made_from() {
    let folder = tempfile::tempdir().unwrap();
    for seed in [3, 4] {
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
            let off = block_error(&light, &truth, scene.sky_mask());
            assert!(off < 0.01, "{off} of a block's light, seed {seed}");
        }
    }
}

/// By how much, as a share, the mean light of a block of sky is off at most, where single pixels do
/// not matter; blocks with light near white are left out, as camera colours are clipped otherwise.
fn block_error(light: &[Vec<f32>; 3], truth: &[f32], sky: &[f32]) -> f64 {
    const BLOCK: u32 = 50;
    let blocks = Region::covering(WIDTH, HEIGHT, [BLOCK; 2]);
    let errors = blocks.iter().flat_map(|block| {
        let rows = block.y..block.y + block.height;
        let places: Vec<usize> = rows
            .flat_map(|y| (block.x..block.x + block.width).map(move |x| (y * WIDTH + x) as usize))
            .collect();
        let left_out =
            places.iter().any(|i| sky[*i] < 1.0 || truth[i * 3..][..3].iter().any(|v| *v > 0.8));
        (0..3).map(move |c| {
            let own: f64 = places.iter().map(|i| f64::from(light[c][*i])).sum();
            let wanted: f64 = places.iter().map(|i| f64::from(truth[i * 3 + c])).sum();
            if left_out { 0.0 } else { (own / wanted - 1.0).abs() }
        })
    });
    errors.fold(0.0, f64::max)
}
