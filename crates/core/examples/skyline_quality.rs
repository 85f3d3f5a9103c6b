//! Sky and ground of simulated scenes against their written truth.
//!
//! usage: skyline_quality OUT.json|- SEEDS WIDTH HEIGHT [LAND]

use jade_core::cache::Cache;
use jade_core::engine::{self, Budget, Request};
use jade_core::frames::{FrameInput, content_hash};
use jade_core::plan::{Kind, Plan};
use jade_core::progress::Unwatched;
use jade_scenes::frame_name;
use jade_scenes::night_sky::{Land, NightSky, Options};
use std::path::Path;

fn input(path: &Path) -> FrameInput {
    FrameInput {
        path: path.to_owned(),
        name: path.file_name().unwrap().to_string_lossy().into_owned(),
        prepare: Default::default(),
        calibration: None,
        content: content_hash(path).unwrap(),
        state: None,
    }
}

fn main() {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let seeds: u64 = args[1].parse().unwrap();
    let (width, height): (u32, u32) = (args[2].parse().unwrap(), args[3].parse().unwrap());
    for land in Land::ALL {
        if args.get(4).is_some_and(|name| name != land.name()) {
            continue;
        }
        let mut all = Vec::new();
        for seed in 1..=seeds {
            let options = Options { frames: 6, darks: 0, width, height, seed, deflate: false };
            let scene = NightSky::over(land, options, None).unwrap();
            let root = std::env::temp_dir().join("skyline-scenes");
            let folder = root.join(format!("{}-{seed}-{width}", land.name()));
            if !folder.join("truth/reference.tif").exists() {
                scene.write(&folder, |_, _| true).unwrap();
            }
            let inputs: Vec<FrameInput> =
                (0..6).map(|i| input(&folder.join(frame_name(i, 6)))).collect();
            let cache = Cache::at(&folder.join("cache"));
            let plan = Plan::of(Kind::NightSky);
            let request = Request {
                frames: &inputs,
                reference: Some(3),
                plan: &plan,
                cache: &cache,
                budget: Budget::new(Some(512), Some(2)).unwrap(),
                stream: false,
                watch: &Unwatched,
            };
            let begin = std::time::Instant::now();
            match engine::skyline(&request) {
                Ok((grid, sky, shares)) => {
                    let seconds = begin.elapsed().as_secs_f64();
                    let truth = scene.sky_mask();
                    let (mut least, mut most) = (0.0, 0.0);
                    let (mut fine_least, mut fine_most) = (0.0, 0.0);
                    for (i, truth) in truth.iter().enumerate() {
                        let at = [(i as u32 % width) as f64, (i as u32 / width) as f64];
                        let own = f64::from(u8::from(grid.at(&sky, at) > 0.5));
                        let fine = f64::from(shares[i]) / 255.0;
                        fine_least += fine.min(f64::from(*truth));
                        fine_most += fine.max(f64::from(*truth));
                        least += own.min(f64::from(*truth));
                        most += own.max(f64::from(*truth));
                    }
                    all.push(format!(
                        "{:.4} {:.4} ({seconds:.2})",
                        least / most,
                        fine_least / fine_most
                    ));
                    if args[0] != "-" {
                        let bytes: Vec<u8> = sky.iter().map(|v| (v * 255.0) as u8).collect();
                        let mut out =
                            format!("P5 {} {} 255\n", grid.across, grid.down).into_bytes();
                        out.extend(bytes);
                        let mut fine = format!("P5 {width} {height} 255\n").into_bytes();
                        fine.extend(&shares);
                        std::fs::write(format!("{}/{}-{seed}-f.pgm", args[0], land.name()), fine)
                            .unwrap();
                        std::fs::write(format!("{}/{}-{seed}.pgm", args[0], land.name()), out)
                            .unwrap();
                    }
                }
                Err(error) => all.push(error.to_string()),
            }
        }
        println!("{:10} {}", land.name(), all.join("  "));
    }
}
