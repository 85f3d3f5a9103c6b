//! How well sky and ground of simulated scenes are told apart, against their truth, as a table; so many
//! seeds from so many on, of scenes of so many pixels, as the arguments say.

#[path = "../tests/shoot/mod.rs"]
mod shoot;

use jade_core::engine::{self, Beside, Budget, Request};
use jade_core::plan::{Kind, Plan};
use jade_core::progress::Unwatched;
use jade_scenes::night_sky::{Land, NightSky, Options};
use shoot::Shoot;
use shoot::truth::overlap;

const FRAMES: u32 = 6;

/// Intersection over union of the sky that is found, and the seconds that finding it took once the
/// frames were aligned; or why it was not found.
fn found(land: Land, options: Options) -> Result<(f64, f64), String> {
    let scene = NightSky::over(land, options, None).map_err(|error| error.to_string())?;
    let shoot = Shoot::new();
    let frames = shoot.hold(&scene);
    let (plan, cache) = (Plan::of(Kind::NightSky), shoot.cache());
    let request = Request {
        frames: &frames,
        reference: Some(FRAMES as usize / 2),
        plan: &plan,
        cache: &cache,
        budget: Budget::new(None, None).map_err(|error| error.to_string())?,
        stream: false,
        beside: Beside::default(),
        watch: &Unwatched,
    };
    let find = || {
        let found = engine::skyline(&request).map_err(|error| error.to_string())?;
        found.skyline.mask(&found.sights.views(), &|| false).map_err(|error| error.to_string())
    };
    let mask = find()?;
    let begin = std::time::Instant::now();
    find()?;
    Ok((overlap(mask.shares(), scene.sky_mask()), begin.elapsed().as_secs_f64()))
}

fn main() {
    let numbers: Vec<u32> = std::env::args().skip(1).filter_map(|text| text.parse().ok()).collect();
    let [from, to, width, height] = numbers[..] else {
        eprintln!("usage: skyline_quality FIRST-SEED LAST-SEED WIDTH HEIGHT");
        std::process::exit(2);
    };
    let (mut all, mut times) = (Vec::new(), Vec::new());
    let seeds: Vec<String> = (from..=to).map(|seed| format!("seed {seed}")).collect();
    println!("| land | {} |\n|---|{}", seeds.join(" | "), "---|".repeat(seeds.len()));
    for land in Land::ALL {
        let mut row = Vec::new();
        for seed in (from..=to).map(u64::from) {
            let options = Options { frames: FRAMES, darks: 0, width, height, seed, deflate: false };
            row.push(match found(land, options) {
                Ok((own, seconds)) => {
                    all.push(own);
                    times.push(seconds);
                    format!("{own:.4}")
                }
                Err(why) => why,
            });
        }
        println!("| {} | {} |", land.name(), row.join(" | "));
    }
    all.sort_by(f64::total_cmp);
    times.sort_by(f64::total_cmp);
    if let (Some(worst), Some(longest)) = (all.first(), times.last()) {
        let (middle, time) = (all[all.len() / 2], times[times.len() / 2]);
        println!(
            "\nMedian {middle:.4}, worst {worst:.4}. Finding it took {time:.2} s once the frames were aligned, {longest:.2} s at most."
        );
    }
}
