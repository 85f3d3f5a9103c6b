//! What makes a page hard to use for people who see little or nothing, on every main view and dialog: all
//! that axe-core finds by WCAG 2.2 AA and good practice, and outlines and signs of controls by 1.4.11.

use crate::journey::{card, choose, make_shoot};
use browser_tests::{Session, in_browser};
use std::path::PathBuf;
use std::sync::Arc;
use thirtyfour::prelude::*;

/// The library that measures text, as it comes with the front end's tools.
const AXE: &str =
    include_str!(concat!(env!("CARGO_MANIFEST_DIR"), "/../web/node_modules/axe-core/axe.min.js"));

/// Elements whose text has too little contrast, and what is otherwise wrong for people who see little or
/// nothing.
const TEXT: &str = "
    const done = arguments[arguments.length - 1]
    const values = ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa', 'best-practice']
    // Where a dot of the plot lies is what it tells, however near the next one is; columns and table have
    // the same frames with room for a finger.
    const essential = (id, { target }) =>
      id === 'target-size' && document.querySelector(target[0])?.closest('[data-test=plot]')
    axe.run(document, { runOnly: { type: 'tag', values }, resultTypes: ['violations'] }).then(
      ({ violations }) => done(violations.flatMap((v) =>
        v.nodes.filter((n) => !essential(v.id, n)).map((n) =>
          [v.id, n.target.join(' '), n.html.slice(0, 160), n.any.map((c) => c.message).join('; ')]
        ))))
";

/// Controls whose outline or sign has too little contrast with what lies around.
const CONTROLS: &str = "
    const rgba = (text) => {
      const all = text.match(/[\\d.]+/g).map(Number)
      // Newer notations have shares of one.
      const scale = text.startsWith('color(') ? 255 : 1
      return [...all.slice(0, 3).map((v) => v * scale), all[3] ?? 1]
    }
    const canvas = document.createElement('canvas').getContext('2d', { willReadFrequently: true })
    const colour = (text) => {
      if (!text.startsWith('ok') && !text.startsWith('lab')) return rgba(text)
      canvas.clearRect(0, 0, 1, 1)
      canvas.fillStyle = text
      canvas.fillRect(0, 0, 1, 1)
      const [r, g, b, a] = canvas.getImageData(0, 0, 1, 1).data
      return [r, g, b, a / 255]
    }
    const over = ([r, g, b, a], below) => [r, g, b].map((v, i) => v * a + below[i] * (1 - a)).concat(1)
    const behind = (element) => {
      if (!element) return [255, 255, 255, 1]
      const own = colour(getComputedStyle(element).backgroundColor)
      return own[3] === 1 ? own : over(own, behind(element.parentElement))
    }
    const light = ([r, g, b]) => {
      const [x, y, z] = [r, g, b].map((v) => {
        const share = v / 255
        return share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4
      })
      return 0.2126 * x + 0.7152 * y + 0.0722 * z
    }
    const contrast = (one, other) => {
      const [high, low] = [light(one), light(other)].sort((p, q) => q - p)
      return (high + 0.05) / (low + 0.05)
    }
    const controls = 'button, select, textarea, input:not([type=range]), [role=switch], [role=radio], a.button'
    const bad = []
    for (const element of document.querySelectorAll(controls)) {
      const style = getComputedStyle(element)
      const box = element.getBoundingClientRect()
      const seen = element.checkVisibility({ opacityProperty: true, visibilityProperty: true })
      if (!seen || box.width < 4 || box.height < 4 || element.disabled || style.clip !== 'auto') continue
      const around = behind(element.parentElement)
      const fill = behind(element)
      const told = `${element.dataset.test ?? element.getAttribute('aria-label') ?? element.textContent.trim()}`
      const outline = over(colour(style.borderTopColor), around)
      const outlined = parseFloat(style.borderTopWidth) > 0 && colour(style.borderTopColor)[3] > 0.05
      if (outlined && Math.max(contrast(outline, around), contrast(fill, around)) < 3)
        bad.push([told, 'outline', contrast(outline, around).toFixed(2)])
      const sign = element.querySelector('svg')
      if (sign && !element.textContent.trim()) {
        const ink = over(colour(getComputedStyle(sign).color), fill)
        if (contrast(ink, fill) < 3) bad.push([told, 'sign', contrast(ink, fill).toFixed(2)])
      }
    }
    return bad
";

/// Makes sure that nothing on the page is hard to see.
async fn is_clear(s: &Session, view: &str) -> anyhow::Result<()> {
    // What is coming in or going out is seen through for a moment.
    s.stand_still().await?;
    s.browser.execute(AXE, vec![]).await?;
    let text: Vec<[String; 4]> = s.browser.execute_async(TEXT, vec![]).await?.convert()?;
    let controls: Vec<[String; 3]> = s.browser.execute(CONTROLS, vec![]).await?.convert()?;
    assert!(text.is_empty() && controls.is_empty(), "{view}: {text:#?} {controls:#?}");
    Ok(())
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn every_main_view_can_be_seen_clearly() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let frames = card(&folder.path().join("card"), 6, (900, 600));
    let data = folder.path().join("data");
    in_browser(&data, &[], false, move |session| walk(session, frames)).await
}

async fn walk(session: Arc<Session>, frames: Vec<PathBuf>) -> anyhow::Result<()> {
    let s = &*session;
    s.button("Name the first shoot").await?;
    is_clear(s, "no shoots").await?;
    s.button("New shoot").await?.click().await?;
    is_clear(s, "a new shoot").await?;
    s.first(By::Css("[role=dialog] [name=name]")).await?.send_keys(Key::Escape).await?;
    make_shoot(s, "Salt pan").await?;
    is_clear(s, "no frames").await?;
    choose(s, &frames).await?;
    s.until_text("step-frames", "6 of 6 in").await?;
    let broken = frames[0].with_file_name("broken.tif");
    std::fs::write(&broken, "no picture")?;
    choose(s, &[broken]).await?;
    s.until_text("notice", "cannot be read").await?;
    s.column("f02.tif").await?.click().await?;
    s.column("f02.tif").await?.send_keys("l").await?;
    s.until_text("step-frames", "5 of 6 in").await?;
    for way in ["frames-columns", "frames-table", "frames-plot"] {
        s.click(way).await?;
        is_clear(s, way).await?;
    }
    s.click("frames-columns").await?;
    s.click("add-folder").await?;
    is_clear(s, "a folder").await?;
    s.browser.action_chain().send_keys(Key::Escape).perform().await?;
    s.click("step-skyline").await?;
    s.click("skyline-auto").await?;
    s.until_text("skyline-told", "% sky").await?;
    is_clear(s, "skyline").await?;
    s.click("step-finish").await?;
    s.part("glow").await?.send_keys(Key::Right + Key::Right).await?;
    s.click("step-combine").await?;
    s.click("run").await?;
    is_clear(s, "running").await?;
    s.until_text("results", "of 5").await?;
    for step in ["frames", "prepare", "align", "skyline", "combine", "finish", "export"] {
        s.click(&format!("step-{step}")).await?;
        if step == "align" {
            s.click("verdict-f03.tif").await?;
        }
        is_clear(s, step).await?;
    }
    s.click("save").await?;
    s.part("saved").await?;
    for mode in ["one", "beside", "difference"] {
        s.click(&format!("mode-{mode}")).await?;
        is_clear(s, mode).await?;
    }
    s.click("pick-a").await?;
    is_clear(s, "the list of pictures").await?;
    s.browser.action_chain().send_keys(Key::Escape).perform().await?;
    s.browser.action_chain().send_keys("?").perform().await?;
    is_clear(s, "keys").await?;
    s.button("Close").await?.click().await?;
    s.browser.action_chain().send_keys("u").perform().await?;
    is_clear(s, "the picture alone").await?;
    s.browser.action_chain().send_keys("u").perform().await?;
    // A sweep's own sheet, and more shoots than one page shows.
    for i in 0..8 {
        let script = "
            const [name, kind, done] = arguments
            fetch('/api/shoots', {
              method: 'POST',
              headers: { 'content-type': 'application/json' },
              body: JSON.stringify({ name, kind }),
            }).then((answer) => answer.json()).then(({ id }) => done(id))
        ";
        let kind = if i == 7 { "focus-sweep" } else { "night-sky" };
        let name = format!("Shoot {i}");
        let made: i64 =
            s.browser.execute_async(script, vec![name.into(), kind.into()]).await?.convert()?;
        if i == 7 {
            s.goto(&format!("/shoots/{made}")).await?;
            s.click("step-combine").await?;
            is_clear(s, "a sweep").await?;
        }
    }
    s.goto("/").await?;
    s.first(By::LinkText("Shoot 0")).await?;
    is_clear(s, "many shoots").await?;
    // The cards are whole, however many there are.
    let script = "
        return [...document.querySelectorAll('[data-test=shoot]')].map((card) =>
          card.scrollHeight - card.clientHeight)
    ";
    let cut: Vec<i64> = s.browser.execute(script, vec![]).await?.convert()?;
    assert!(cut.len() == 9 && cut.iter().all(|hidden| *hidden <= 1), "{cut:?}");
    Ok(())
}
