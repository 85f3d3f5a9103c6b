//! The page itself: its keys, and what it says when something fails.

use crate::journey::{card, choose, make_shoot};
use browser_tests::{Session, in_browser};
use std::path::PathBuf;
use std::sync::Arc;
use thirtyfour::prelude::*;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn keys_go_where_the_person_means_them() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let frames = card(&folder.path().join("card"), 6, (900, 600));
    in_browser(&folder.path().join("data"), &[], false, |session| keys(session, frames)).await
}

/// Presses a key wherever the page has its focus.
pub async fn press(s: &Session, key: impl Into<TypingData>) -> anyhow::Result<()> {
    Ok(s.browser.action_chain().send_keys(key).perform().await?)
}

pub async fn is_pressed(s: &Session, name: &str) -> anyhow::Result<bool> {
    Ok(s.part(name).await?.attr("aria-pressed").await?.as_deref() == Some("true"))
}

async fn keys(session: Arc<Session>, frames: Vec<PathBuf>) -> anyhow::Result<()> {
    let s = &*session;
    make_shoot(s, "Salt pan").await?;
    choose(s, &frames).await?;
    s.until_text("step-frames", "6 of 6 in").await?;
    s.click("step-combine").await?;
    s.click("run").await?;
    s.until_text("results", "of 6").await?;
    let runs = || async {
        let script = "
            const done = arguments[arguments.length - 1]
            fetch('/api/shoots/1').then((answer) => answer.json()).then((one) => done(one.jobs.length))
        ";
        anyhow::Ok(s.browser.execute_async(script, vec![]).await?.convert::<usize>()?)
    };
    assert_eq!(runs().await?, 1);

    // A letter in a list goes to an entry of the list, and starts no run.
    s.click("measure").await?;
    press(s, "r").await?;
    press(s, Key::Escape).await?;
    s.click("pick-b").await?;
    press(s, "r").await?;
    press(s, Key::Escape).await?;
    assert_eq!(runs().await?, 1);
    // After a slider, keys are shortcuts again.
    let brighter = s.first(By::Css("[aria-label^='View brightness']")).await?;
    brighter.click().await?;
    press(s, Key::Right).await?;
    for (key, mode) in [("o", "mode-one"), ("d", "mode-beside"), ("s", "mode-split")] {
        press(s, key).await?;
        assert!(is_pressed(s, mode).await?, "{key} after a slider");
    }
    press(s, "r").await?;
    s.until("another run", || async { Ok(runs().await? == 2) }).await?;

    // The space bar moves the picture under a tool that a click took, and presses what was reached by
    // keyboard.
    s.click("step-skyline").await?;
    s.until_text("skyline-told", "% sky").await?;
    s.click("mode-one").await?;
    s.click("sky-brush").await?;
    s.rest((900, 600), [450, 200]).await?;
    let held = s.part("paint").await?;
    assert!(held.is_displayed().await?);
    s.browser.action_chain().key_down(' ').perform().await?;
    s.until("the picture is moved", || async { Ok(!held.is_displayed().await?) }).await?;
    s.browser.action_chain().key_up(' ').perform().await?;
    assert!(held.is_displayed().await?);
    assert!(is_pressed(s, "sky-brush").await?, "the click's own button was not pressed again");
    press(s, Key::Tab).await?;
    press(s, " ").await?;
    assert!(is_pressed(s, "ground-brush").await?, "the button that Tab leads to");
    press(s, Key::Escape).await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_fails_is_said_until_it_is_dismissed() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let frames = card(&folder.path().join("card"), 3, (450, 300));
    in_browser(&folder.path().join("data"), &[], false, |session| failing(session, frames)).await
}

async fn failing(session: Arc<Session>, frames: Vec<PathBuf>) -> anyhow::Result<()> {
    let s = &*session;
    make_shoot(s, "Salt pan").await?;
    choose(s, &frames).await?;
    s.until_text("step-frames", "3 of 3 in").await?;
    s.column("f02.tif").await?.click().await?;
    s.click("leave-out").await?;
    s.until_text("step-frames", "2 of 3 in").await?;
    // The way to the server is cut for a moment, as on a train.
    let cut =
        "window.whole ??= window.fetch; window.fetch = () => Promise.reject(new TypeError('cut'))";
    s.browser.execute(cut, vec![]).await?;
    s.click("undo").await?;
    s.until_text("notice", "Not undone: leaving out one frame. The server does not answer").await?;
    s.browser.execute("window.fetch = window.whole", vec![]).await?;
    s.until_text("step-frames", "2 of 3 in").await?;
    s.first(By::Css("[data-test='notice'] [aria-label='Dismiss']")).await?.click().await?;
    // It can be tried again.
    s.click("undo").await?;
    s.until_text("step-frames", "3 of 3 in").await?;
    s.until_text("notice", "Undone: leaving out one frame").await
}
