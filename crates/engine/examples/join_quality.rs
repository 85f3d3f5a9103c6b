//! How near joined pictures of simulated scenes come to the truth, as a table; so many seeds from so
//! many on, of scenes of so many pixels, as the arguments say.

#[path = "../tests/truth/shoot/mod.rs"]
#[allow(dead_code, reason = "each example uses a part of it")]
mod shoot;

use jade_engine::SkylineInputs;
use jade_plan::{AlignMode, Edges, Method, SkylineMode};
use jade_scenes::night_sky::{Land, NightSky, Options};
use shoot::joined::{band, behind, detail, noise, squares};
use shoot::truth::overlap;
use shoot::{Shoot, light, linear, masked, pixels, plan};

const FRAMES: u32 = 12;

/// What is measured of one scene.
struct Figures {
    behind: f64,
    sky: f32,
    ground: f32,
    detail: f64,
    overlap: f64,
}

fn figures(land: Land, options: Options, exact: bool) -> Result<Figures, String> {
    let scene = NightSky::over(land, options, None).map_err(|error| error.to_string())?;
    let shoot = Shoot::new();
    let frames = shoot.hold(&scene);
    let reference = FRAMES as usize / 2;
    let combined = |mode: AlignMode, skyline: SkylineMode| {
        let mut plan = plan(mode, Method::Clipped, Edges::Keep);
        plan.skyline.mode = skyline;
        let made = shoot.stack_on(&frames, Some(reference), &plan);
        made.map_err(|error| error.to_string())
    };
    let aligned = pixels(&combined(AlignMode::Stars, SkylineMode::None)?);
    let (width, unaligned) = pixels(&combined(AlignMode::None, SkylineMode::None)?);
    let mask = shoot.path("truth/sky-mask.png");
    let made = match exact {
        true => {
            let beside = SkylineInputs { mask: Some(&mask), ..SkylineInputs::default() };
            let plan = masked(Method::Clipped, &mask);
            shoot.stack_beside(&frames, reference, &plan, beside).map_err(|e| e.to_string())
        }
        false => combined(AlignMode::Stars, SkylineMode::Auto),
    };
    let outcome = made?;
    let (_, joined) = pixels(&outcome);
    let truth = linear(&scene.clean_reference());
    let sky = scene.sky_mask();
    let single = light(&frames[reference]);
    let near = band(sky, width);
    let [both, one, other] = [&joined, &aligned.1, &unaligned].map(|light| squares(light, &truth));
    let mask = shoot.mask_of(&outcome);
    let gain = |counts: &dyn Fn(usize) -> bool| {
        noise(&single, &truth, counts) / noise(&joined, &truth, counts) / (FRAMES as f32).sqrt()
    };
    Ok(Figures {
        behind: behind(&both, [&one, &other], &near, width),
        sky: gain(&|i| sky[i] >= 1.0 && !near[i]),
        ground: gain(&|i| sky[i] <= 0.0 && !near[i]),
        detail: detail(&joined, &truth, sky, width),
        overlap: overlap(&mask, sky),
    })
}

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let exact = arguments.iter().any(|text| text == "exact");
    let numbers: Vec<u32> = arguments.iter().filter_map(|text| text.parse().ok()).collect();
    let [from, to, width, height] = numbers[..] else {
        eprintln!("usage: join_quality FIRST-SEED LAST-SEED WIDTH HEIGHT [exact] [LAND]...");
        std::process::exit(2);
    };
    println!(
        "| land | seed | skyline | behind the better stack near it | noise gain of the sky | of the ground | detail of the ground |\n|---|---|---|---|---|---|---|"
    );
    let named = |land: &Land| arguments.iter().any(|text| text == land.name());
    let some = Land::ALL.iter().any(named);
    for land in Land::ALL.into_iter().filter(|land| !some || named(land)) {
        for seed in (from..=to).map(u64::from) {
            let options = Options { frames: FRAMES, darks: 0, width, height, seed, deflate: false };
            match figures(land, options, exact) {
                Ok(figures) => println!(
                    "| {} | {seed} | {:.4} | {:+.2} dB | {:.3} | {:.3} | {:.3} |",
                    land.name(),
                    figures.overlap,
                    figures.behind,
                    figures.sky,
                    figures.ground,
                    figures.detail
                ),
                Err(why) => println!("| {} | {seed} | {why} |", land.name()),
            }
        }
    }
}
