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
    s.first(By::LinkText("Saltpan mast")).await?.click().await?;
    s.click("step-frames").await?;
    s.part("frame-facts").await?;
    s.picture(&folder.join("frames.png")).await?;

    s.click("step-combine").await?;
    s.click("run").await?;
    s.until_text("remaining", "left").await?;
    s.browser.screenshot(&folder.join("run.png")).await?;
    s.until_text("results", "ean of 12").await?;

    s.until("no run is under way", || async {
        Ok(s.browser.find_all(By::Css("[data-test='running']")).await?.is_empty())
    })
    .await?;
    s.click("zoom-1").await?;
    s.settle().await?;
    let view = s.part("view").await?;
    for (x, y) in [(-180, -120), (120, -160)] {
        s.click("pin").await?;
        s.browser.action_chain().move_to_element_with_offset(&view, x, y).click().perform().await?;
        s.settle().await?;
    }
    s.picture(&folder.join("combine.png")).await?;
    s.click("step-align").await?;
    s.click("mode-beside").await?;
    s.picture(&folder.join("align.png")).await?;
    s.click("step-export").await?;
    s.click("mode-one").await?;
    s.click("zoom-fit").await?;
    s.click("save").await?;
    s.part("saved").await?;
    s.picture(&folder.join("export.png")).await?;
    s.goto("/").await?;
    s.part("shoots").await?;
    s.picture(&folder.join("shoots.png")).await?;
    s.button("New shoot").await?.click().await?;
    s.first(By::Name("name")).await?.send_keys("Salt heaps, second night").await?;
    s.picture(&folder.join("new-shoot.png")).await
}
