//! Pictures of the main views, from the demo data only.
//!
//! usage: screenshots FOLDER DATA [WIDTHxHEIGHT]

use anyhow::Context;
use browser_tests::{Session, in_browser};
use std::path::PathBuf;
use std::sync::Arc;
use thirtyfour::prelude::*;

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let folder =
        arguments.first().map(PathBuf::from).context("name the folder for the pictures")?;
    let data = arguments.get(1).map(PathBuf::from).context("name the data folder of the demo")?;
    let size = arguments.get(2).and_then(|s| s.split_once('x'));
    let size = size.and_then(|(w, h)| Some((w.parse().ok()?, h.parse().ok()?)));
    std::fs::create_dir_all(&folder)?;
    in_browser(&data, &[], true, move |session| async move {
        if let Some((width, height)) = size {
            session.browser.set_window_rect(0, 0, width, height).await?;
        }
        tour(session, folder).await
    })
    .await
}

async fn tour(session: Arc<Session>, folder: PathBuf) -> anyhow::Result<()> {
    let s = &session;
    s.first(By::LinkText("Saltpan mast, a whole card")).await?.click().await?;
    s.click("step-frames").await?;
    s.until_text("proposed-sets", "Ground").await?;
    s.picture(&folder.join("sorting.png")).await?;
    s.click("accept-sets").await?;
    s.part("sets").await?;
    s.column("pan2052.dng").await?.click().await?;
    s.picture(&folder.join("frames.png")).await?;
    s.click("frames-plot").await?;
    let limit = s.part("limit").await?;
    for _ in 0..18 {
        limit.send_keys(Key::Up).await?;
    }
    s.picture(&folder.join("plot.png")).await?;

    s.goto("/").await?;
    s.first(By::LinkText("Bare trees by the salt pan")).await?.click().await?;
    s.click("step-skyline").await?;
    s.until_text("skyline-told", "% sky").await?;
    s.picture(&folder.join("skyline.png")).await?;
    s.click("run").await?;
    s.until_text("skyline-report", "Ground noise reduced").await?;
    s.click("zoom-1").await?;
    s.picture(&folder.join("joined.png")).await?;
    s.click("step-finish").await?;
    for (name, presses) in [("glow", 16), ("smoothing", 8)] {
        let slider = s.part(name).await?;
        for _ in 0..presses {
            slider.send_keys(Key::Right).await?;
        }
    }
    s.until_text("smoothing-value", "40 %").await?;
    s.click("run").await?;
    s.until_text("finish-found", "Sky noise reduced").await?;
    s.click("against-unfinished").await?;
    s.click("zoom-fit").await?;
    s.picture(&folder.join("finish.png")).await?;

    s.goto("/").await?;
    s.first(By::LinkText("Moss cushion")).await?.click().await?;
    s.click("step-combine").await?;
    s.click("run").await?;
    s.until_text("results", "merged of 14").await?;
    s.click("overlay-depth").await?;
    s.picture(&folder.join("focus.png")).await?;
    s.click("overlay-none").await?;

    s.goto("/").await?;
    s.first(By::LinkText("Saltpan mast")).await?.click().await?;
    s.click("step-combine").await?;
    s.click("run").await?;
    s.until_text("remaining", "left").await?;
    s.browser.screenshot(&folder.join("run.png")).await?;
    s.until_text("results", "lipped mean of 12").await?;
    idle(s).await?;
    s.click("zoom-1").await?;
    s.settle().await?;
    let view = s.part("view").await?;
    for (x, y) in [(-180, -120), (120, -160)] {
        s.click("pin").await?;
        s.browser.action_chain().move_to_element_with_offset(&view, x, y).click().perform().await?;
        s.settle().await?;
    }
    s.picture(&folder.join("combine.png")).await?;
    s.click("zoom-fit").await?;
    s.click("mode-one").await?;
    s.click("overlay-rejected").await?;
    s.picture(&folder.join("rejected.png")).await?;
    s.click("overlay-none").await?;

    s.click("step-align").await?;
    s.click("verdict-f02.tif").await?;
    s.click("look-after").await?;
    s.click("mode-difference").await?;
    s.click("zoom-1").await?;
    s.picture(&folder.join("difference.png")).await?;
    s.click("by-hand").await?;
    s.settle().await?;
    for (x, y) in [(-208, -51), (182, -51), (-144, 72), (246, 72)] {
        s.browser.action_chain().move_to_element_with_offset(&view, x, y).click().perform().await?;
    }
    s.part("hand-found").await?;
    s.picture(&folder.join("by-hand.png")).await?;
    s.button("Cancel").await?.click().await?;

    // Trails: the same frames as they are, the lightest of each.
    s.click("align-none").await?;
    s.click("step-combine").await?;
    s.click("method-lightest").await?;
    s.click("fill-gaps").await?;
    s.click("run").await?;
    s.until_text("results", "ightest of 12").await?;
    idle(s).await?;
    s.click("mode-one").await?;
    s.click("zoom-1").await?;
    s.picture(&folder.join("trails.png")).await?;

    s.click("step-export").await?;
    s.click("zoom-fit").await?;
    s.click("save").await?;
    s.part("saved").await?;
    s.picture(&folder.join("export.png")).await?;
    s.goto("/").await?;
    s.first(By::LinkText("Kiln yard at dusk")).await?.click().await?;
    s.click("step-combine").await?;
    s.click("run").await?;
    s.until_text("results", "lipped mean of 8").await?;
    idle(s).await?;
    s.picture(&folder.join("burst.png")).await?;
    s.goto("/").await?;
    s.first(By::LinkText("Saltpan mast, raw")).await?.click().await?;
    s.click("step-combine").await?;
    s.click("run").await?;
    s.until_text("results", "lipped mean of 8").await?;
    idle(s).await?;
    s.click("step-prepare").await?;
    s.click("mode-split").await?;
    s.click("white balance-light").await?;
    s.click("before-after").await?;
    s.picture(&folder.join("prepare.png")).await?;
    s.click("before-after").await?;
    s.goto("/").await?;
    s.first(By::LinkText("Saltpan mast")).await?.click().await?;
    s.click("step-prepare").await?;
    s.click("lens-stars").await?;
    s.part("lens-told").await?;
    s.click("before-after").await?;
    s.part("lens-told").await?.scroll_into_view().await?;
    s.picture(&folder.join("lens.png")).await?;
    s.goto("/").await?;
    s.part("shoots").await?;
    s.picture(&folder.join("shoots.png")).await?;
    s.button("New shoot").await?.click().await?;
    s.first(By::Name("name")).await?.send_keys("Salt heaps, second night").await?;
    s.picture(&folder.join("new-shoot.png")).await
}

/// Waits until no run is under way.
async fn idle(s: &Session) -> anyhow::Result<()> {
    s.until("no run is under way", || async {
        Ok(s.browser.find_all(By::Css("[data-test='running']")).await?.is_empty())
    })
    .await
}
