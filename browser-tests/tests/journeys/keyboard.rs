//! The whole job by keyboard alone, and for whoever wants nothing to move.

use crate::journey::card;
use crate::page::press;
use browser_tests::{Session, in_browser};
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;
use thirtyfour::prelude::*;

/// More controls than any page has.
const MOST: usize = 250;

/// Goes on by Tab until the control has the focus, which is seen on it.
async fn reach(s: &Session, css: &str) -> anyhow::Result<()> {
    s.first(By::Css(css)).await?;
    let script = "
        const one = document.activeElement
        if (!one?.matches(arguments[0])) return null
        return one.matches(':focus-visible') && getComputedStyle(one).outlineStyle !== 'none'
    ";
    for _ in 0..MOST {
        press(s, Key::Tab).await?;
        let found = s.browser.execute(script, vec![css.into()]).await?;
        if let Some(seen) = found.json().as_bool() {
            assert!(seen, "the focus is not seen on {css}");
            return Ok(());
        }
    }
    anyhow::bail!("Tab does not lead to {css}")
}

async fn enter(s: &Session, css: &str) -> anyhow::Result<()> {
    reach(s, css).await?;
    press(s, Key::Enter).await
}

/// Waits until the run has ended and the list of results holds this text.
async fn is_run(s: &Session, said: &str) -> anyhow::Result<()> {
    s.until_text("results", said).await?;
    s.until("the run is done", || async {
        Ok(s.browser.find_all(By::Css("[data-test='running']")).await?.is_empty())
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_whole_job_by_keyboard_alone() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    card(&folder.path().join("card"), 6, (900, 600));
    let data = folder.path().join("data");
    let exports = data.join("exports");
    let roots = [folder.path().join("card")];
    in_browser(&data, &roots, false, |session| job(session, exports)).await
}

async fn job(session: Arc<Session>, exports: PathBuf) -> anyhow::Result<()> {
    let s = &*session;
    s.button("Name the first shoot").await?;
    enter(s, "main button.button-go").await?;
    s.first(By::Css("[name='name']:focus")).await?;
    press(s, "Salt pan").await?;
    press(s, Key::Enter).await?;

    s.part("step-frames").await?;
    enter(s, "[data-test='add-folder']").await?;
    enter(s, "[data-test='folders'] button").await?;
    s.until_text("add-pictures", "Add 6 frames").await?;
    enter(s, "[data-test='add-pictures']").await?;
    s.until_text("step-frames", "6 of 6 in").await?;

    // The skyline, and a stroke of ground in the sky's middle.
    enter(s, "[data-test='step-skyline']").await?;
    reach(s, "[data-test='skyline-none']").await?;
    press(s, Key::Right).await?;
    s.until_text("skyline-told", "% sky").await?;
    press(s, "o").await?;
    enter(s, "[data-test='ground-brush']").await?;
    reach(s, "[data-test='cross']").await?;
    for _ in 0..8 {
        press(s, Key::Up).await?;
    }
    press(s, Key::Enter).await?;
    press(s, Key::Right).await?;
    press(s, Key::Right).await?;
    press(s, Key::Enter).await?;
    s.until_text("stroke-count", "1 stroke").await?;
    let spoken = s.first(By::Css("[data-test='cross'] [role='status']")).await?;
    s.until("the place is spoken", || async { Ok(spoken.inner_html().await?.starts_with("x ")) })
        .await?;

    enter(s, "[data-test='step-combine']").await?;
    press(s, "r").await?;
    is_run(s, "of 6").await?;

    // Compare.
    press(s, "s").await?;
    reach(s, "[data-test='split-handle']").await?;
    for _ in 0..3 {
        press(s, Key::Right).await?;
    }
    let cut = s.part("split-handle").await?.attr("aria-valuenow").await?;
    assert_eq!(cut.as_deref(), Some("56"));
    for (key, mode) in [("d", "mode-beside"), ("v", "mode-difference"), ("o", "mode-one")] {
        press(s, key).await?;
        let pressed = s.part(mode).await?.attr("aria-pressed").await?;
        assert_eq!(pressed.as_deref(), Some("true"), "{mode}");
    }
    // A probe where the cross stands.
    reach(s, "[data-test='cross']").await?;
    press(s, "p").await?;
    s.until_text("gain", "noise ÷").await?;

    // Finish: by the slider, finely, and as a number.
    enter(s, "[data-test='step-finish']").await?;
    reach(s, "[data-test='glow-value']").await?;
    press(s, "40").await?;
    press(s, Key::Tab).await?;
    s.until_text("glow-value", "40 %").await?;
    press(s, Key::Right + Key::Right).await?;
    s.until_text("glow-value", "50 %").await?;
    let finely = s.browser.action_chain().key_down(Key::Shift).send_keys(Key::Left);
    finely.key_up(Key::Shift).perform().await?;
    s.until_text("glow-value", "49.5 %").await?;
    enter(s, "[data-test='run']").await?;
    s.until_text("step-finish", "uneven ").await?;

    enter(s, "[data-test='step-export']").await?;
    enter(s, "[data-test='save']").await?;
    s.until_text("saved", ".tif").await?;
    assert!(std::fs::read_dir(exports)?.count() >= 2, "a picture and its plan");
    Ok(())
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn nothing_moves_for_whoever_wants_that() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    card(&folder.path().join("card"), 3, (420, 300));
    let roots = [folder.path().join("card")];
    in_browser(&folder.path().join("data"), &roots, false, still).await
}

async fn still(session: Arc<Session>) -> anyhow::Result<()> {
    let s = &*session;
    let wish = serde_json::json!({
        "features": [{ "name": "prefers-reduced-motion", "value": "reduce" }]
    });
    s.emulate("setEmulatedMedia", wish).await?;
    s.browser.refresh().await?;
    s.shoot_from_card("Salt pan", "night-sky", 3).await?;
    s.click("step-combine").await?;
    s.click("run").await?;
    is_run(s, "of 3").await?;
    s.settle().await?;
    // A picture is where it belongs at once.
    s.click("zoom-3").await?;
    s.until_text("scale", "300 %").await?;
    // Sides change by the key alone.
    s.click("mode-blink").await?;
    let seen = async || anyhow::Ok(s.part("pane-b").await?.css_value("visibility").await?);
    let first = seen().await?;
    let begin = std::time::Instant::now();
    while begin.elapsed() < Duration::from_secs(2) {
        assert_eq!(seen().await?, first);
    }
    press(s, "x").await?;
    assert_ne!(seen().await?, first);
    // Nothing fades or slides.
    s.click("level").await?;
    press(s, "?").await?;
    let script = "return document.getAnimations().filter(
        (one) => one.effect.getComputedTiming().endTime > 1).length";
    let moving: u64 = s.browser.execute(script, vec![]).await?.convert()?;
    assert_eq!(moving, 0);
    Ok(())
}
