//! Figures of quality on simulated scenes of real sizes with written truth, many seeds.

mod codes;
mod focus;
mod light;

use crate::bench::{self, make, program};
use crate::run::{cargo, run};
use anyhow::{Context, Result};
pub use focus::focus;
use light::{Light, Stars, Truth};
use serde_json::Value;
use std::collections::HashMap;
use std::fmt::Write;
use std::path::Path;
use std::process::Command;

/// Seeds that are looked at unless a number is given.
const SEEDS: u64 = 10;

struct Case {
    name: &'static str,
    kind: &'static str,
    size: [&'static str; 2],
    more: &'static [&'static str],
    frames: usize,
    align: &'static str,
}

const MP_6: [&str; 2] = ["3000", "2000"];
const MP_24: [&str; 2] = ["6000", "4000"];

const fn sky(
    name: &'static str,
    size: [&'static str; 2],
    more: &'static [&'static str],
    frames: usize,
) -> Case {
    Case { name, kind: "night-sky", size, more, frames, align: "stars" }
}

const CASES: [Case; 5] = [
    sky("night sky, 6 MP, 8 frames", MP_6, &["--darks", "0"], 8),
    sky("night sky, 24 MP, 6 frames", MP_24, &["--darks", "0"], 6),
    sky("night sky through 14 mm, 6 MP, 5 frames", MP_6, &["--darks", "0", "--focal", "14"], 5),
    sky("night sky through 200 mm, 6 MP, 5 frames", MP_6, &["--darks", "0", "--focal", "200"], 5),
    Case {
        name: "handheld burst, 6 MP, 6 frames",
        kind: "kiln-yard",
        size: MP_6,
        more: &[],
        frames: 6,
        align: "scene",
    },
];

/// What one seed showed.
struct Measured {
    /// Motion error of each placed frame in pixels, sorted.
    errors: Vec<f64>,
    left_out: usize,
    /// Noise gain over the ideal, for mean, median and clipped mean.
    gains: [f64; 3],
    /// Star width over the reference frame's, for the mean.
    width: Option<f64>,
    /// Light and surroundings of the stars in the mean.
    stars: Option<Stars>,
    /// What a streak leaves in the clipped mean, over the noise.
    streak: Option<f64>,
}

/// Runs the prepare step with a number of seeds and writes docs/quality-prepare.md.
pub fn prepare(seeds: Option<&str>) -> Result<()> {
    let seeds = seeds.unwrap_or("10");
    let mut command =
        cargo(&["run", "--release", "-q", "-p", "jade-engine", "--example", "prepare_quality"]);
    let output = command.args(["--", seeds]).stderr(std::process::Stdio::inherit()).output()?;
    anyhow::ensure!(output.status.success(), "the figures could not be taken");
    let table = String::from_utf8(output.stdout)?;
    let text = format!(
        "# Quality of the prepare step\n\nWritten by `cargo xtask quality-prepare`: simulated skies of 1500 x 1000 pixels, seeds 1 to {seeds}, against their\nwritten truth. Calibration is with 12 lights, darks, flats and biases; the noise of the result is that of\nthe mean of the lights. The lens is found from 24 frames over eight minutes.\n\n{table}"
    );
    std::fs::write("docs/quality-prepare.md", &text)?;
    print!("{text}");
    Ok(())
}

/// Finds the skyline of scenes with a number of seeds, joins sky and ground, and writes
/// docs/quality-skyline.md.
pub fn skyline(seeds: Option<&str>) -> Result<()> {
    let seeds = seeds.unwrap_or("5");
    let mut text = format!(
        "# Quality of the skyline\n\nWritten by `cargo xtask quality-skyline {seeds}`: simulated lands, seeds from 1 on.\n\n## Found\n\nSix frames of each. The figures are intersection over union of the share of sky in every pixel with the true\none: without a stroke, and after three strokes, each a dab where the mask is wrong furthest from what is right.\nLast, how far the shares of mixed pixels are off, root of the mean square.\n",
    );
    for (width, height, seeds) in
        [("900", "600", seeds), ("1200", "800", seeds), ("2400", "1600", "1")]
    {
        let table = example("skyline_quality", &["1", seeds, width, height])?;
        text += &format!("\n### {width} x {height} pixels\n\n{table}");
    }
    text += "\n## Joined\n\nTwelve frames of 1200 x 800 pixels, clipped mean of both, with the skyline that is found. Within 12 pixels of it the\nsquared difference to the truth is compared with that of the aligned or the unaligned stack, whichever is less at each\nplace. Noise gains are told against the ideal ones, detail against that of one frame without noise; moving water has none.\n\n";
    text += &example("join_quality", &["1", seeds, "1200", "800"])?;
    text += "\nThe same with the true mask:\n\n";
    text += &example("join_quality", &["1", "1", "1200", "800", "exact"])?;
    text += &format!("\n{}\n", crate::bench::machine());
    std::fs::write("docs/quality-skyline.md", &text)?;
    print!("{text}");
    Ok(())
}

/// What an example of the core prints.
fn example(name: &str, arguments: &[&str]) -> Result<String> {
    let mut command =
        cargo(&["run", "--release", "-q", "-p", "jade-engine", "--example", name, "--"]);
    let output = command.args(arguments).stderr(std::process::Stdio::inherit()).output()?;
    anyhow::ensure!(output.status.success(), "the figures could not be taken");
    Ok(String::from_utf8(output.stdout)?)
}

/// Runs all cases with a number of seeds and writes docs/quality.md.
pub fn quality(seeds: Option<&str>) -> Result<()> {
    let seeds: u64 = match seeds {
        Some(text) => text.parse().context("usage: cargo xtask quality [SEEDS]")?,
        None => SEEDS,
    };
    bench::build()?;
    let mut motion = String::from(
        "| scene | median error (px) | worst frame of any seed (px) | over 0.5 px | left out |\n|---|---|---|---|---|\n",
    );
    let mut noise = String::from(
        "| scene | mean, of ideal | median, of ideal | clipped mean, of ideal | clipped over mean, median | and worst |\n|---|---|---|---|---|---|\n",
    );
    let mut light = String::from(
        "| scene | star width, result over single | star light, result over true | worst seed | rings round stars, of the peak | worst seed | streak, of the noise | worst seed |\n|---|---|---|---|---|---|---|---|\n",
    );
    for case in &CASES {
        let measured: Result<Vec<Measured>> = (1..=seeds).map(|seed| look(case, seed)).collect();
        let measured = measured?;
        let mut errors: Vec<f64> = measured.iter().flat_map(|s| s.errors.clone()).collect();
        errors.sort_by(f64::total_cmp);
        let wrong = errors.iter().filter(|e| **e > 0.5).count();
        let left_out: usize = measured.iter().map(|s| s.left_out).sum();
        writeln!(
            motion,
            "| {} | {:.3} | {:.3} | {wrong} | {left_out} |",
            case.name,
            middle(&errors),
            errors.last().copied().unwrap_or(0.0),
        )?;
        let gain = |i: usize| sorted_middle(measured.iter().map(|s| s.gains[i]));
        let against = || measured.iter().map(|s| s.gains[2] / s.gains[0]);
        writeln!(
            noise,
            "| {} | {:.3} | {:.3} | {:.3} | {:.3} | {:.3} |",
            case.name,
            gain(0),
            gain(1),
            gain(2),
            sorted_middle(against()),
            against().fold(f64::MAX, f64::min),
        )?;
        if case.align != "stars" {
            continue;
        }
        let stars = || measured.iter().filter_map(|s| s.stars.as_ref());
        let widths = measured.iter().filter_map(|s| s.width);
        let streaks = || measured.iter().filter_map(|s| s.streak);
        let furthest = |values: &mut dyn Iterator<Item = f64>, from: f64| {
            values.max_by(|a, b| (a - from).abs().total_cmp(&(b - from).abs())).unwrap_or(f64::NAN)
        };
        writeln!(
            light,
            "| {} | {:.3} | {:.4} | {:.4} | {:.2} % | {:.2} % | {:.3} | {:.3} |",
            case.name,
            sorted_middle(widths),
            sorted_middle(stars().map(|s| s.flux)),
            furthest(&mut stars().map(|s| s.flux), 1.0),
            100.0 * sorted_middle(stars().map(|s| s.rings)),
            100.0 * furthest(&mut stars().map(|s| s.rings), 0.0),
            sorted_middle(streaks()),
            furthest(&mut streaks(), 0.0),
        )?;
    }
    let text = format!(
        "# Quality\n\nWritten by `cargo xtask quality`: scenes of the simulated camera, seeds 1 to {seeds}, against their\nwritten truth.\n\n## Align\nRoot mean square distance of the found motion from the true one over the whole frame, corners\nincluded, for each frame that was used.\n\n{motion}\n## Combine\nMedians over the seeds. The gain may exceed the ideal a little: resampling at fractions of a pixel\ntakes some of the finest grain of each frame with it; the width of the stars shows what it costs.\n\n{noise}\nLight of the mean against the noise-free picture, from bright stars that stand alone: what lies\nwithin 6 pixels, and the rings of 3 to 9 pixels round them. Stars that the\nground comes near in any frame are left out. The streak is what a satellite in one frame leaves in\nthe clipped mean, along its whole path.\n\n{light}\n{}\n",
        crate::bench::machine()
    );
    std::fs::write("docs/quality.md", &text)?;
    print!("{text}");
    Ok(())
}

fn look(case: &Case, seed: u64) -> Result<Measured> {
    let folder = Path::new("target/quality").join(format!("{}-{seed}", case.align));
    let seed = seed.to_string();
    let [width, height] = case.size;
    let mut scene = vec![case.kind, "--width", width, "--height", height, "--seed", &seed];
    scene.extend(case.more);
    make(&folder, &scene, case.frames)?;
    let truth = read(&folder.join("truth/motion.json"))?;
    let mut measured = Measured {
        errors: vec![],
        left_out: 0,
        gains: [0.0; 3],
        width: None,
        stars: None,
        streak: None,
    };
    for (i, combine) in ["mean", "median", "clipped"].into_iter().enumerate() {
        let report = stack(&folder, case, combine)?;
        let stages = report["stages"].as_array().context("no stages in the report")?;
        let combine = stages.iter().find(|stage| stage["stage"] == "combine");
        let combine = combine.context("no combine stage in the report")?;
        let noise = &combine["noise"];
        measured.gains[i] = number(&noise["gain"]) / number(&noise["ideal_gain"]);
        if case.align == "stars" && combine != "median" {
            let result = Light::read(&folder.join("r.tif"))?;
            let origin = [0, 1].map(|i| report["origin"][i].as_i64().unwrap_or(0));
            if combine == "mean" {
                let written = Truth {
                    light: Light::read(&folder.join("truth/reference.tif"))?,
                    sky: Light::read(&folder.join("truth/sky-mask.png"))?,
                    stars: read(&folder.join("truth/stars.json"))?,
                    grids: truth["frames"].as_array().into_iter().flatten().map(grid).collect(),
                };
                measured.stars = Some(light::stars(&result, &written, origin)?);
            } else {
                let light = Light::read(&folder.join("truth/reference.tif"))?;
                let mask = Light::read(&folder.join("truth/streak.png"))?;
                let noise = number(&noise["result"]);
                measured.streak = light::streak(&result, &light, &mask, origin, noise);
            }
        }
        if i > 0 {
            continue;
        }
        let frames = report["frames"].as_array().context("no frames in the report")?;
        for frame in frames.iter().filter(|f| f["file"] != report["reference"]) {
            match frame["used"].as_bool() {
                Some(true) => measured.errors.push(error(frame, &truth)?),
                _ => measured.left_out += 1,
            }
        }
        let single = frames.iter().find(|f| f["file"] == report["reference"]);
        let single = single.and_then(|f| f["star_width_px"].as_f64());
        measured.width = single.zip(combine["star_width_px"].as_f64()).map(|(one, all)| all / one);
    }
    // Many scenes of this size would fill the disk.
    std::fs::remove_dir_all(&folder)?;
    Ok(measured)
}

fn stack(folder: &Path, case: &Case, combine: &str) -> Result<Value> {
    let report = folder.join("report.json");
    let frames: Vec<_> = (1..=case.frames).map(|i| folder.join(format!("f{i:02}.tif"))).collect();
    let mut command = Command::new(program());
    command.args(["stack", "--quiet", "--replace", "--align", case.align, "--combine", combine]);
    if case.align == "scene" {
        command.arg("--level");
    }
    run(command.arg("--out").arg(folder.join("r.tif")).arg("--report").arg(&report).args(frames))?;
    read(&report)
}

fn read(path: &Path) -> Result<Value> {
    let text =
        std::fs::read_to_string(path).with_context(|| format!("{}: missing", path.display()))?;
    Ok(serde_json::from_str(&text)?)
}

fn number(value: &Value) -> f64 {
    value.as_f64().unwrap_or(f64::NAN)
}

/// A frame's places and where they lie in the reference frame.
fn grid(frame: &Value) -> Vec<[f64; 4]> {
    let rows = frame["grid"].as_array().into_iter().flatten();
    rows.map(|row| std::array::from_fn(|i| number(&row[i]))).collect()
}

/// Root mean square distance of a frame's grid from the truth's, in pixels.
fn error(frame: &Value, truth: &Value) -> Result<f64> {
    let true_frame =
        truth["frames"].as_array().into_iter().flatten().find(|f| f["file"] == frame["file"]);
    let true_frame = true_frame.context("a frame without truth")?;
    let place = |row: &[f64; 4]| [row[0], row[1]].map(|v| (v * 1000.0).round() as i64);
    let true_places: HashMap<[i64; 2], [f64; 2]> =
        grid(true_frame).iter().map(|row| (place(row), [row[2], row[3]])).collect();
    let squares: Vec<f64> = grid(frame)
        .iter()
        .filter_map(|row| {
            let [x, y] = true_places.get(&place(row))?;
            Some((row[2] - x).powi(2) + (row[3] - y).powi(2))
        })
        .collect();
    Ok((squares.iter().sum::<f64>() / squares.len() as f64).sqrt())
}

fn sorted_middle(values: impl Iterator<Item = f64>) -> f64 {
    let mut values: Vec<f64> = values.collect();
    values.sort_by(f64::total_cmp);
    middle(&values)
}

fn middle(sorted: &[f64]) -> f64 {
    sorted.get(sorted.len() / 2).copied().unwrap_or(f64::NAN)
}
