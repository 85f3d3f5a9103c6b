//! Nothing overlaps or is cut, in small windows and in large ones, with panels open and folded; and
//! fingers find room.

use crate::journey::{card, choose, make_shoot};
use crate::page::press;
use browser_tests::{Session, in_browser};
use std::path::PathBuf;
use std::sync::Arc;
use thirtyfour::prelude::*;

/// Windows in which everything is to be seen.
const SIZES: [(u32, u32); 4] = [(1024, 768), (1280, 800), (1920, 1080), (3840, 2160)];

/// What is wrong with the boxes of the page: controls that lie under something else or beyond the window,
/// text that is cut, and a page that scrolls.
const WRONG: &str = "
    const bad = []
    const name = (one) =>
      one.dataset.test ?? one.getAttribute('aria-label') ?? one.textContent.trim().slice(0, 40)
    const root = document.scrollingElement
    if (root.scrollWidth > innerWidth || root.scrollHeight > innerHeight)
      bad.push(`the page is ${root.scrollWidth} x ${root.scrollHeight}`)
    // With a dialog open, what lies under it cannot be used.
    const dialog = document.querySelector('[role=dialog]')
    const all = [...(dialog ?? document).querySelectorAll('*')].filter((one) => {
      const box = one.getBoundingClientRect()
      return box.width > 2 && box.height > 2 &&
        one.checkVisibility({ opacityProperty: true, visibilityProperty: true })
    })
    const scrolls = (one) => ['auto', 'scroll'].includes(getComputedStyle(one).overflowY) ||
      ['auto', 'scroll'].includes(getComputedStyle(one).overflowX)
    /** The part of a box that is not scrolled out of sight. */
    const inSight = (one) => {
      let { left, top, right, bottom } = one.getBoundingClientRect()
      for (let up = one.parentElement; up; up = up.parentElement) {
        if (!scrolls(up)) continue
        const box = up.getBoundingClientRect()
        left = Math.max(left, box.left); top = Math.max(top, box.top)
        right = Math.min(right, box.right); bottom = Math.min(bottom, box.bottom)
      }
      return { left, top, right, bottom }
    }
    const isScrolled = (one) => {
      for (let up = one.parentElement; up; up = up.parentElement) if (scrolls(up)) return true
      return false
    }
    const controls = 'button, a[href], select, input:not([type=file]), [role=slider], [role=switch]'
    for (const one of all.filter((one) => one.matches(controls))) {
      if (one.disabled || one.closest('.sr-only') || getComputedStyle(one).pointerEvents === 'none')
        continue
      const box = inSight(one)
      if (box.right - box.left < 4 || box.bottom - box.top < 4) continue
      if (!isScrolled(one) &&
          (box.left < -1 || box.top < -1 || box.right > innerWidth + 1 || box.bottom > innerHeight + 1))
        bad.push(`${name(one)} lies beyond the window`)
      // A handle that lies across the picture is under what lies over the picture.
      if (one.dataset.test === 'split-handle') continue
      for (const [x, y] of [[0.5, 0.5], [0.2, 0.5], [0.8, 0.5]]) {
        const hit = document.elementFromPoint(
          box.left + (box.right - box.left) * x, box.top + (box.bottom - box.top) * y)
        if (!hit || one.contains(hit) || hit.contains(one)) continue
        if (hit.closest('label')?.control === one) continue
        bad.push(`${name(one)} lies under ${name(hit)}`)
        break
      }
    }
    for (const one of all) {
      const style = getComputedStyle(one)
      const own = [...one.childNodes].some((n) => n.nodeType === 3 && n.data.trim())
      if (!own || one.closest('.sr-only, svg')) continue
      const hides = ['hidden', 'clip'].includes(style.overflowX)
      // A tooltip gives the whole text where dots end it, and people know the names that they gave.
      const dots = style.textOverflow === 'ellipsis'
      const may = dots && one.closest('[title], [aria-label], [data-test=shoot], header > a, figcaption')
      if (hides && !may && one.scrollWidth > one.clientWidth + 1) bad.push(`${name(one)} is cut`)
      // The names of the steps are whole.
      if (dots && one.closest('nav .font-semibold') && one.scrollWidth > one.clientWidth)
        bad.push(`the name ${name(one)} is cut`)
    }
    return [...new Set(bad)]
";

/// Controls that are too small for a finger.
const SMALL: &str = "
    const controls = 'button, a.button, select, summary, input[type=range], [role=switch]'
    return [...document.querySelectorAll(controls)].flatMap((one) => {
      const { width, height } = one.getBoundingClientRect()
      const seen = width && one.checkVisibility({ opacityProperty: true, visibilityProperty: true })
      // A frame's column, and a frame's dot in a plot, are as wide as there is room for all.
      if (!seen || one.closest('.sr-only, [data-test=columns], [data-test=plot]')) return []
      if (width >= 39.5 && height >= 39.5) return []
      const name = one.dataset.test ?? one.getAttribute('aria-label') ?? one.textContent.trim()
      return [`${name}: ${Math.round(width)} x ${Math.round(height)}`]
    })
";

async fn is_whole(s: &Session, view: &str) -> anyhow::Result<()> {
    s.stand_still().await?;
    let wrong: Vec<String> = s.browser.execute(WRONG, vec![]).await?.convert()?;
    assert!(wrong.is_empty(), "{view}: {wrong:#?}");
    Ok(())
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn nothing_overlaps_or_is_cut() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let frames = card(&folder.path().join("card"), 6, (600, 400));
    in_browser(&folder.path().join("data"), &[], false, |session| walk(session, frames)).await
}

async fn walk(session: Arc<Session>, frames: Vec<PathBuf>) -> anyhow::Result<()> {
    let s = &*session;
    let mut text = Vec::new();
    for (width, height) in SIZES {
        let size = serde_json::json!({
            "width": width, "height": height, "deviceScaleFactor": 1, "mobile": false
        });
        s.emulate("setDeviceMetricsOverride", size).await?;
        let at = |view: &str| format!("{width} x {height}, {view}");
        s.goto("/").await?;
        if text.is_empty() {
            s.button("Name the first shoot").await?;
            is_whole(s, &at("no shoots")).await?;
            make_shoot(s, "A mast by the salt pan, the whole night through").await?;
            choose(s, &frames).await?;
            s.until_text("step-frames", "6 of 6 in").await?;
            s.click("step-skyline").await?;
            s.click("skyline-auto").await?;
            s.until_text("skyline-told", "% sky").await?;
            s.click("step-combine").await?;
            s.click("run").await?;
            s.until_text("results", "of 6").await?;
            s.goto("/").await?;
        }
        s.part("shoot").await?;
        is_whole(s, &at("shoots")).await?;
        s.button("New shoot").await?.click().await?;
        s.first(By::Name("name")).await?;
        is_whole(s, &at("a new shoot")).await?;
        press(s, Key::Escape).await?;
        s.first(By::Css("[data-test='shoot'] a")).await?.click().await?;
        for step in ["frames", "prepare", "align", "skyline", "combine", "finish", "export"] {
            s.click(&format!("step-{step}")).await?;
            is_whole(s, &at(step)).await?;
        }
        for way in ["frames-table", "frames-plot", "frames-columns"] {
            s.click("step-frames").await?;
            s.click(way).await?;
            is_whole(s, &at(way)).await?;
        }
        if text.is_empty() {
            // In the middle of the picture, where the split would be.
            s.click("mode-one").await?;
            s.click("pin").await?;
            s.part("view").await?.click().await?;
        }
        s.part("probe").await?;
        for mode in ["one", "split", "beside", "difference"] {
            s.click(&format!("mode-{mode}")).await?;
            is_whole(s, &at(mode)).await?;
        }
        press(s, "?").await?;
        s.part("keys-list").await?;
        is_whole(s, &at("keys")).await?;
        press(s, Key::Escape).await?;
        press(s, "y").await?;
        s.part("open-sheet").await?;
        is_whole(s, &at("all folded")).await?;
        press(s, "y").await?;
        s.part("fold-sheet").await?;
        press(s, "u").await?;
        s.until("the picture is alone", || async {
            Ok(s.browser.find_all(By::Css("[data-test='run']")).await?.is_empty())
        })
        .await?;
        is_whole(s, &at("the picture alone")).await?;
        press(s, "u").await?;
        s.part("run").await?;
        let script = "return parseFloat(getComputedStyle(document.body).fontSize)";
        text.push(s.browser.execute(script, vec![]).await?.convert::<f64>()?);
    }
    let same = (text[0] - text[2]).abs() < 0.1;
    assert!(same && text[3] > 1.3 * text[2], "text grows in large windows: {text:?}");
    Ok(())
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn fingers_find_room() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let frames = card(&folder.path().join("card"), 4, (420, 300));
    in_browser(&folder.path().join("data"), &[], false, |session| touch(session, frames)).await
}

async fn touch(session: Arc<Session>, frames: Vec<PathBuf>) -> anyhow::Result<()> {
    let s = &*session;
    let on = serde_json::json!({ "enabled": true, "maxTouchPoints": 5 });
    s.emulate("setTouchEmulationEnabled", on).await?;
    make_shoot(s, "Salt pan").await?;
    choose(s, &frames).await?;
    s.until_text("step-frames", "4 of 4 in").await?;
    s.click("step-combine").await?;
    s.click("run").await?;
    s.until_text("results", "of 4").await?;
    for step in ["frames", "prepare", "align", "skyline", "combine", "finish", "export"] {
        s.click(&format!("step-{step}")).await?;
        s.stand_still().await?;
        let small: Vec<String> = s.browser.execute(SMALL, vec![]).await?.convert()?;
        assert!(small.is_empty(), "{step}: {small:#?}");
        is_whole(s, &format!("{step}, for fingers")).await?;
    }
    // Help that a pointer finds by resting comes by a press.
    s.click("step-finish").await?;
    let help = s.first(By::Css("[aria-label='Help on Sky smoothing']")).await?;
    help.click().await?;
    s.until_text("sheet", "stars stay as they are").await
}
