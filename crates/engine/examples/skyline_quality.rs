//! How well sky and ground of simulated scenes are told apart, against their truth, as a table; so many
//! seeds from so many on, of scenes of so many pixels, as the arguments say.

#[path = "../tests/truth/shoot/mod.rs"]
#[allow(dead_code, reason = "each example uses a part of it")]
mod shoot;

use jade_combine::mask::Mask;
use jade_engine as engine;
use jade_engine::{Budget, Request, SkylineInputs};
use jade_plan::FrameIndex;
use jade_plan::progress::Unwatched;
use jade_plan::{Kind, Plan};
use jade_scenes::night_sky::{Land, NightSky, Options};
use jade_skyline::Live;
use shoot::Shoot;
use shoot::strokes::next_stroke;
use shoot::truth::overlap;

const FRAMES: u32 = 6;

/// What is measured of one scene.
struct Figures {
    /// Intersection over union of the sky that is found with its truth.
    alone: f64,
    /// The same after three strokes.
    stroked: f64,
    /// Root of the mean square of what the shares of mixed pixels are off.
    shares: f64,
    /// Seconds that finding it took once the frames were aligned, and the longest that a stroke took.
    seconds: [f64; 2],
}

/// Or why it was not found.
fn figures(land: Land, options: Options) -> Result<Figures, String> {
    let scene = NightSky::over(land, options, None).map_err(|error| error.to_string())?;
    let shoot = Shoot::new();
    let frames = shoot.hold(&scene);
    let (plan, cache) = (Plan::of(Kind::NightSky), shoot.cache());
    let request = Request {
        frames: &frames,
        reference: Some(FrameIndex::new(FRAMES as usize / 2)),
        plan: &plan,
        cache: &cache,
        budget: Budget::new(None, None).map_err(|error| error.to_string())?,
        stream: false,
        skyline_inputs: SkylineInputs::default(),
        watch: &Unwatched,
    };
    let find = || engine::skyline(&request).map_err(|error| error.to_string());
    find()?;
    let begin = std::time::Instant::now();
    let found = find()?;
    let views = found.sights.views();
    let live = Live::new(found.skyline, &[], &views, &|| false);
    let mut live = live.map_err(|error| error.to_string())?;
    let whole = begin.elapsed().as_secs_f64();
    let truth = scene.sky_mask();
    let alone = overlap(live.mask().shares(), truth);
    let shares = mixed(live.mask(), truth);
    let (mut strokes, mut longest) = (Vec::new(), 0.0f64);
    while strokes.len() < 3 {
        let Some(stroke) = next_stroke(live.mask(), truth) else { break };
        strokes.push(stroke);
        let begin = std::time::Instant::now();
        live.follow(&strokes, &views, &|| false).map_err(|error| error.to_string())?;
        longest = longest.max(begin.elapsed().as_secs_f64());
    }
    let stroked = overlap(live.mask().shares(), truth);
    Ok(Figures { alone, stroked, shares, seconds: [whole, longest] })
}

/// How far the shares of pixels that are of both sides are off.
fn mixed(mask: &Mask, truth: &[f32]) -> f64 {
    let border = mask.shares().iter().zip(truth).filter(|(_, truth)| (0.02..0.98).contains(*truth));
    let squares: Vec<f64> =
        border.map(|(share, truth)| f64::from(f32::from(*share) / 255.0 - truth).powi(2)).collect();
    (squares.iter().sum::<f64>() / squares.len().max(1) as f64).sqrt()
}

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let numbers: Vec<u32> = arguments.iter().filter_map(|text| text.parse().ok()).collect();
    let named = |land: &Land| arguments.iter().any(|text| text == land.name());
    let some = Land::ALL.iter().any(named);
    let [from, to, width, height] = numbers[..] else {
        eprintln!("usage: skyline_quality FIRST-SEED LAST-SEED WIDTH HEIGHT [LAND]...");
        std::process::exit(2);
    };
    let mut all: Vec<Figures> = Vec::new();
    let seeds: Vec<String> = (from..=to).map(|seed| format!("seed {seed}")).collect();
    println!(
        "| land | {} | mixed pixels |\n|---|{}---|",
        seeds.join(" | "),
        "---|".repeat(seeds.len())
    );
    for land in Land::ALL.into_iter().filter(|land| !some || named(land)) {
        let mut row = Vec::new();
        let first = all.len();
        for seed in (from..=to).map(u64::from) {
            let options = Options { frames: FRAMES, darks: 0, width, height, seed, deflate: false };
            row.push(match figures(land, options) {
                Ok(figures) => {
                    let said = format!("{:.4}, {:.4}", figures.alone, figures.stroked);
                    all.push(figures);
                    said
                }
                Err(why) => why,
            });
        }
        let shares = middle(all[first..].iter().map(|figures| figures.shares));
        println!("| {} | {} | {shares:.3} |", land.name(), row.join(" | "));
    }
    let least = |of: fn(&Figures) -> f64| all.iter().map(of).fold(f64::MAX, f64::min);
    let most = |of: fn(&Figures) -> f64| all.iter().map(of).fold(0.0, f64::max);
    println!(
        "\nWithout a stroke: median {:.4}, worst {:.4}. After three: median {:.4}, worst {:.4}.",
        middle(all.iter().map(|figures| figures.alone)),
        least(|figures| figures.alone),
        middle(all.iter().map(|figures| figures.stroked)),
        least(|figures| figures.stroked),
    );
    println!(
        "Finding it took {:.2} s once the frames were aligned, {:.2} s at most; a stroke {:.2} s at most.",
        middle(all.iter().map(|figures| figures.seconds[0])),
        most(|figures| figures.seconds[0]),
        most(|figures| figures.seconds[1]),
    );
}

fn middle(values: impl Iterator<Item = f64>) -> f64 {
    let mut values: Vec<f64> = values.collect();
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied().unwrap_or_default()
}
