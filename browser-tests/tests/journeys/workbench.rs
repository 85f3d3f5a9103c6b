//! The workbench: panels that fold, the picture's share of the window, the address, the history, the keys.

use crate::journey::{card, choose, make_shoot};
use crate::page::{is_pressed, press};
use browser_tests::{Session, in_browser};
use std::path::PathBuf;
use std::sync::Arc;
use thirtyfour::prelude::*;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn panels_fold_views_are_kept_and_changes_are_undone_after_a_reload() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let frames = card(&folder.path().join("card"), 4, (900, 600));
    in_browser(&folder.path().join("data"), &[], false, |session| walk(session, frames)).await
}

/// The share of the window that a picture of 3 to 2 takes when all of it is seen.
async fn share(s: &Session) -> anyhow::Result<f64> {
    let view = s.part("view").await?.rect().await?;
    let script = "return innerWidth * innerHeight";
    let window: f64 = s.browser.execute(script, vec![]).await?.convert()?;
    let width = view.width.min(view.height * 1.5);
    Ok(width * width / 1.5 / window)
}

async fn address(s: &Session) -> anyhow::Result<String> {
    Ok(s.browser.current_url().await?.query().unwrap_or_default().to_owned())
}

async fn is_there(s: &Session, name: &str) -> anyhow::Result<bool> {
    let found = s.browser.find_all(By::Css(format!("[data-test='{name}']"))).await?;
    Ok(!found.is_empty())
}

async fn walk(session: Arc<Session>, frames: Vec<PathBuf>) -> anyhow::Result<()> {
    let s = &*session;
    make_shoot(s, "Salt pan").await?;
    choose(s, &frames).await?;
    s.until_text("step-frames", "4 of 4 in").await?;
    s.click("step-combine").await?;
    s.click("run").await?;
    s.until_text("results", "of 4").await?;

    room(s).await?;
    addresses(s).await?;
    history(s).await?;
    keys(s).await
}

async fn room(s: &Session) -> anyhow::Result<()> {
    // With the sheet and the strip open; there are no probes yet.
    let open = share(s).await?;
    assert!(open >= 0.5, "the picture has {:.0} % of the window", 100.0 * open);
    press(s, "y").await?;
    s.until("the panels fold", || async { Ok(!is_there(s, "sheet").await?) }).await?;
    let folded = share(s).await?;
    assert!(folded > open + 0.15, "{open:.2} -> {folded:.2}");
    s.browser.refresh().await?;
    s.part("step-combine").await?;
    assert!(!is_there(s, "sheet").await? && !is_there(s, "columns").await?);
    s.click("open-strip").await?;
    s.part("columns").await?;
    s.click("open-sheet").await?;
    s.part("sheet").await?;
    s.click("fold-strip").await?;
    s.until("it is folded", || async { Ok(!is_there(s, "columns").await?) }).await?;
    press(s, "y").await?;
    press(s, "y").await?;
    s.part("columns").await?;
    press(s, "u").await?;
    s.until("the picture is alone", || async { Ok(!is_there(s, "run").await?) }).await?;
    assert!(share(s).await? > folded);
    press(s, "u").await?;
    s.part("run").await?;
    s.part("sheet").await?;
    Ok(())
}

async fn addresses(s: &Session) -> anyhow::Result<()> {
    s.click("mode-beside").await?;
    s.click("step-align").await?;
    s.until("the address tells the view", || async {
        let now = address(s).await?;
        Ok(["step=align", "mode=beside", "a=frame-", "b=result-"]
            .iter()
            .all(|one| now.contains(one)))
    })
    .await?;
    s.click("step-prepare").await?;
    s.part("before-after").await?;
    s.browser.back().await?;
    s.until("the step before", || async { Ok(address(s).await?.contains("step=align")) }).await?;
    assert!(!is_there(s, "before-after").await?);
    s.browser.back().await?;
    s.until("the one before that", || async { is_there(s, "whole").await }).await?;
    s.browser.forward().await?;
    s.until("and forth", || async { Ok(address(s).await?.contains("step=align")) }).await?;
    // The place in the middle is noted once the picture stands still.
    s.click("zoom-3").await?;
    s.until("the address tells the place", || async { Ok(address(s).await?.contains(",300")) })
        .await?;
    // What is kept as a bookmark is shown again.
    let bookmark = s.browser.current_url().await?;
    s.goto("/").await?;
    s.browser.goto(bookmark.as_str()).await?;
    s.until("the view of the bookmark", || async { is_pressed(s, "mode-beside").await }).await?;
    s.until_text("scale", "300 %").await?;
    s.click("zoom-fit").await?;
    s.until("all of the picture", || async { Ok(!address(s).await?.contains("at=")) }).await?;
    let step = s.part("step-align").await?;
    assert_eq!(step.attr("aria-current").await?.as_deref(), Some("step"));
    Ok(())
}

async fn history(s: &Session) -> anyhow::Result<()> {
    s.click("step-combine").await?;
    s.click("level").await?;
    s.until("it can be undone", || async {
        s.part("undo").await?.is_enabled().await.map_err(Into::into)
    })
    .await?;
    s.browser.refresh().await?;
    let on = async || anyhow::Ok(s.part("level").await?.attr("aria-checked").await?);
    assert_eq!(on().await?.as_deref(), Some("true"));
    s.click("undo").await?;
    s.until_text("notice", "Undone: a setting").await?;
    assert_eq!(on().await?.as_deref(), Some("false"));
    s.browser.refresh().await?;
    s.part("level").await?;
    s.click("redo").await?;
    s.until("it is made again", || async { Ok(on().await?.as_deref() == Some("true")) }).await
}

async fn keys(s: &Session) -> anyhow::Result<()> {
    press(s, "?").await?;
    s.click("key-view.one").await?;
    press(s, "k").await?;
    s.until_text("key-view.one", "k").await?;
    press(s, Key::Escape).await?;
    s.until("the list is closed", || async { Ok(!is_there(s, "keys-list").await?) }).await?;
    press(s, "s").await?;
    press(s, "k").await?;
    assert!(is_pressed(s, "mode-one").await?, "the new key works");
    s.browser.refresh().await?;
    s.part("mode-split").await?;
    s.click("mode-split").await?;
    press(s, "k").await?;
    assert!(is_pressed(s, "mode-one").await?, "it is remembered");
    let title = s.part("mode-one").await?.attr("title").await?;
    assert_eq!(title.as_deref(), Some("Single (k)"), "the tooltip tells it");
    Ok(())
}
