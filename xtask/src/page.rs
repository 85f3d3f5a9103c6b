//! How the page does with 200 frames, in a real browser.

use crate::bench;
use crate::run::{cargo, run};
use anyhow::{Result, bail};
use std::path::Path;
use std::process::Stdio;

const FRAMES: usize = 200;

/// Opens a shoot of 200 frames, and writes docs/page.md.
pub fn page() -> Result<()> {
    run(&mut cargo(&["build", "--release", "-p", "jade-stack"]))?;
    let folder = Path::new("target/bench");
    std::fs::create_dir_all(folder)?;
    let frames = folder.join("sky-6");
    let scene = ["night-sky", "--darks", "0", "--width", "3000", "--height", "2000"];
    bench::make(&frames, &scene, FRAMES)?;
    let data = folder.join("page-data");
    let _ = std::fs::remove_dir_all(&data);
    let mut measure = cargo(&["run", "--release", "-p", "browser-tests", "--bin", "page", "--"]);
    let measured = measure.arg(&frames).arg(&data).stdout(Stdio::piped()).spawn()?;
    let measured = measured.wait_with_output()?;
    let _ = std::fs::remove_dir_all(&data);
    if !measured.status.success() {
        bail!("the page could not be measured");
    }
    let table = String::from_utf8(measured.stdout)?;
    let text = format!(
        "# A page of {FRAMES} frames\n\nWritten by `cargo xtask page`: the workbench of a shoot of {FRAMES} frames of 6 MP is opened three times in\nheadless Chromium of 1280 x 800 while stars and details of the frames are measured, and three times after.\nIt is usable when all columns and the first picture are there; then a column is clicked, all columns are\nscrolled past by 60 pixels for each picture that is painted, and the right arrow is held for two seconds.\nServer and browser share the machine.\n\n{table}\n{}\n",
        bench::machine()
    );
    std::fs::write("docs/page.md", &text)?;
    print!("{text}");
    Ok(())
}
