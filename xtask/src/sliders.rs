//! How long the visible part of a raw frame of 24 MP takes to follow a slider.

use crate::application::{Application, CONNECTIONS, ask, shoot, tiles};
use crate::bench;
use anyhow::Result;
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::Path;
use std::time::Instant;

/// Steps of each slider.
const STEPS: u32 = 10;
const SIZE: [u32; 2] = [6000, 4000];

type Set = fn(&mut Value, f64);

/// A slider, and what its step sets; from 0 to 1.
const SLIDERS: [(&str, Set); 7] = [
    ("exposure", |prepare, v| prepare["gain_ev"] = json!(v)),
    ("temperature", |prepare, v| {
        prepare["white_balance"] =
            json!({ "by": "light", "kelvin": 4000.0 + 500.0 * v, "tint": 0.0 });
    }),
    ("noise of brightness", |prepare, v| prepare["denoise"]["luminance"] = json!(0.2 + 0.5 * v)),
    ("noise of colour", |prepare, v| prepare["denoise"]["colour"] = json!(0.2 + 0.5 * v)),
    ("distortion", |prepare, v| prepare["lens"]["distortion"] = json!([0.02 + 0.01 * v, 0.0])),
    ("red fringe", |prepare, v| prepare["lens"]["red"] = json!([0.0003 + 0.0001 * v, 0.0])),
    ("shading", |prepare, v| prepare["lens"]["shading"] = json!([-0.2 - 0.1 * v, 0.0, 0.0])),
];

/// Moves each slider, and writes docs/sliders.md.
pub fn sliders() -> Result<()> {
    bench::build()?;
    let folder = Path::new("target/bench");
    std::fs::create_dir_all(folder)?;
    let sources = folder.join("raw-24");
    bench::make(&sources, &bench::RAW_24, 2)?;
    let sources = sources.canonicalize()?;
    let application = Application::start(&folder.join("sliders-data"), &sources)?;
    let plan = shoot("Sliders", &sources)?["plan"].clone();
    let mut table = String::from(
        "| slider | fitted, median (ms) | fitted, worst (ms) | 1:1, median (ms) | 1:1, worst (ms) |\n|---|---|---|---|---|\n",
    );
    for (name, set) in SLIDERS {
        let mut said = Vec::new();
        for level in [3, 0] {
            let mut times = Vec::new();
            for step in 0..=STEPS {
                let mut plan = plan.clone();
                set(&mut plan["prepare"], f64::from(step) / f64::from(STEPS));
                let begin = Instant::now();
                ask("PATCH", "/api/shoots/1", Some(&json!({ "plan": plan })))?;
                let info = ask("GET", "/api/pictures/frame-1", None)?;
                let version = info["version"].as_str().unwrap_or_default();
                tiles("frame-1", SIZE, level, &format!("stops=1&v={version}"))?;
                times.push(begin.elapsed().as_secs_f64() * 1000.0);
            }
            times.sort_by(f64::total_cmp);
            said.push([times[times.len() / 2], times[times.len() - 1]]);
        }
        let [[fit, fit_worst], [one, one_worst]] = [said[0], said[1]];
        writeln!(table, "| {name} | {fit:.0} | {fit_worst:.0} | {one:.0} | {one_worst:.0} |")?;
    }
    drop(application);
    let text = format!(
        "# Sliders of the prepare step\n\nWritten by `cargo xtask sliders`: a raw frame of {} x {} pixels is on show on a page of 1280 x 800. A slider\nis moved in {STEPS} steps; from each one until the last visible tile has arrived, over {CONNECTIONS} connections as a browser\nhas them, the change of the plan included.\n\n{table}\n{}\n",
        SIZE[0],
        SIZE[1],
        bench::machine()
    );
    std::fs::write("docs/sliders.md", &text)?;
    print!("{text}");
    Ok(())
}
