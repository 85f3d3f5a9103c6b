//! The project's own commands. Each does all its own set-up.

mod application;
mod bench;
mod contract;
mod counts;
mod focus;
mod fuzz;
mod import;
mod layers;
mod page;
mod quality;
mod run;
mod same;
mod skyline;
mod sliders;
mod web;

use anyhow::{Result, bail};
use run::{cargo, run};
use std::path::Path;

const USAGE: &str = "usage: cargo xtask COMMAND

    demo          build everything and start the demo; further arguments go to `jade-stack demo`
    test          everything that must pass: formatting, lints, types, unit and browser tests
    web           build the front end
    types         write the front end's types anew from the server's
    bench         figures of time and memory beside a plain reference, into docs/benchmarks.md;
                  all cases unless a part of a case's name follows
    import        figures of adding 200 frames to a shoot, into docs/import.md
    page          how the page does with 200 frames, into docs/page.md
    skyline       what keeping sky and ground apart takes at 24 MP, into docs/benchmarks-skyline.md
    focus         what merging focus sweeps takes, into docs/benchmarks-focus.md; `patches`
                  alone where that follows
    sliders       how fast a raw frame of 24 MP follows the sliders, into docs/sliders.md
    quality       figures against the truth of simulated scenes, into docs/quality.md; ten seeds
                  unless a number follows
    quality-prepare   the same for the prepare step, into docs/quality-prepare.md
    quality-skyline   the same for the skyline, into docs/quality-skyline.md; five seeds unless a
                      number follows
    quality-focus     the same for merged focus sweeps, into docs/quality-focus.md; ten seeds unless a
                      number follows
    same          whether the program makes the same bytes as an earlier build of it, whose path
                  follows, over all kinds of shoots
    layers        whether crates use only what they may, and no modules import each other in a circle
    contract      asks every operation of the API, and compares the answers with its document
    counts        how much of the code is tests, and the longest files and functions
    trials        kills, full disks, broken files and extreme plans, into docs/reliability.md; only
                  some where `kills`, `room`, `broken` or `extremes` follows
    fuzz          fuzzes all readers, or those that follow, each for ten minutes unless a number
                  of seconds follows
    screenshots   pictures of the main views, into docs/screenshots";

fn main() -> Result<()> {
    // All commands work from the project's own folder.
    std::env::set_current_dir(Path::new(env!("CARGO_MANIFEST_DIR")).join(".."))?;
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let rest = arguments.get(1..).unwrap_or_default();
    // As cargo itself takes them.
    let rest = rest.strip_prefix(&["--".to_owned()]).unwrap_or(rest);
    match arguments.first().map(String::as_str) {
        Some("demo") => demo(rest),
        Some("test") => test(),
        Some("web") => web::build(),
        Some("types") => {
            run(cargo(&["test", "-p", "jade-server", "--test", "document"])
                .env("JADE_UPDATE_TYPES", "1"))?;
            web::install()?;
            web::types()
        }
        Some("bench") => bench::bench(rest.first().map(String::as_str)),
        Some("import") => import::import(),
        Some("page") => {
            web::build()?;
            install_tools()?;
            page::page()
        }
        Some("skyline") => skyline::skyline(),
        Some("focus") => focus::focus(rest.first().map(String::as_str)),
        Some("sliders") => sliders::sliders(),
        Some("quality") => quality::quality(rest.first().map(String::as_str)),
        Some("quality-prepare") => quality::prepare(rest.first().map(String::as_str)),
        Some("quality-focus") => quality::focus(rest.first().map(String::as_str)),
        Some("quality-skyline") => quality::skyline(rest.first().map(String::as_str)),
        Some("same") => match rest {
            [before] => same::same(Path::new(before)),
            _ => bail!("name the program to compare with: cargo xtask same PROGRAM"),
        },
        Some("contract") => contract::contract(),
        Some("layers") => layers::layers(),
        Some("counts") => counts::counts(),
        Some("trials") => trials(rest),
        Some("fuzz") => fuzz::fuzz(rest),
        Some("screenshots") => screenshots(),
        _ => bail!("{USAGE}"),
    }
}

fn demo(rest: &[String]) -> Result<()> {
    web::build()?;
    let mut command =
        cargo(&["run", "--release", "-p", "jade-stack", "--", "demo", "--data", "demo-data"]);
    run(command.args(rest))
}

fn test() -> Result<()> {
    let page = std::thread::spawn(web::build);
    let sources = sources();
    joined(page)?;
    sources?;
    // While the crates are compiled, which often keeps one core only busy, the page is checked, and what
    // the tests run is installed.
    let beside = std::thread::spawn(|| {
        web::check()?;
        install_tools()?;
        contract::install().map(drop)
    });
    let compiled = run(&mut linted(&["test", "--workspace", "--no-run"]));
    joined(beside)?;
    compiled?;
    // The API's document is compared with the routes by a test among these.
    run(&mut linted(&["test", "--workspace"]))?;
    contract::check()
}

/// Formatting, and the arrows between crates and modules.
fn sources() -> Result<()> {
    run(&mut cargo(&["fmt", "--all", "--check"]))?;
    run(&mut cargo(&["fmt", "--manifest-path", "fuzz/Cargo.toml", "--check"]))?;
    layers::layers()
}

/// Waits for what is done beside, so that nothing of it goes on behind an error.
fn joined(work: std::thread::JoinHandle<Result<()>>) -> Result<()> {
    work.join().expect("what is done beside does not panic")
}

/// Cargo with clippy's driver as the compiler of the project's crates: one build serves the lints,
/// whose warnings are errors, and the tests. `cargo clippy` would compile everything once more.
fn linted(arguments: &[&str]) -> std::process::Command {
    let mut command = cargo(arguments);
    let driver = Path::new(command.get_program()).with_file_name("clippy-driver");
    command
        .env("RUSTC_WORKSPACE_WRAPPER", driver)
        .env("CLIPPY_ARGS", "-D__CLIPPY_HACKERY__warnings__CLIPPY_HACKERY__");
    command
}

fn trials(rest: &[String]) -> Result<()> {
    web::build()?;
    run(&mut cargo(&["build", "--release", "-p", "jade-stack"]))?;
    let mut command = cargo(&["run", "--release", "-p", "jade-trials", "--bin", "trials", "--"]);
    run(command.arg(bench::PROGRAM).args(rest))
}

fn screenshots() -> Result<()> {
    web::build()?;
    install_tools()?;
    let arguments = ["docs/screenshots", "demo-data/screenshots"];
    let _ = std::fs::remove_dir_all(arguments[1]);
    run(cargo(&["run", "-p", "browser-tests", "--bin", "screenshots", "--"]).args(arguments))
}

/// Installs Debian's Chromium and ChromeDriver where they are missing, and the programs that written
/// files are shown to.
fn install_tools() -> Result<()> {
    let tools = ["chromedriver", "chromium", "exiftool", "tiffinfo"];
    if tools.iter().all(|tool| run::has(tool)) {
        return Ok(());
    }
    if !run::has("apt-get") {
        if run::has("chromedriver") && run::has("chromium") {
            eprintln!("exiftool and tiffinfo are missing: written files are not shown to them");
            return Ok(());
        }
        bail!("the browser tests need chromium and chromedriver; install them and try again");
    }
    let root = std::process::Command::new("id").arg("-u").output()?.stdout.trim_ascii() == b"0";
    let apt = |arguments: &[&str]| {
        let mut command = match root {
            true => std::process::Command::new("apt-get"),
            false => {
                let mut sudo = std::process::Command::new("sudo");
                sudo.arg("apt-get");
                sudo
            }
        };
        run(command.args(arguments).env("DEBIAN_FRONTEND", "noninteractive"))
    };
    apt(&["update", "-qq"])?;
    let packages = ["chromium", "chromium-driver", "libimage-exiftool-perl", "libtiff-tools"];
    apt(&[&["install", "-y", "-qq", "--no-install-recommends"][..], &packages].concat())
}
