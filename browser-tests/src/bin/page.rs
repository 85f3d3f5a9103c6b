//! How the page does with many frames: prints a table.
//!
//! usage: page FRAMES DATA

use anyhow::{Context, ensure};
use browser_tests::{Session, in_browser};
use serde_json::Value;
use std::path::PathBuf;
use std::sync::Arc;

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let mut arguments = std::env::args().skip(1).map(PathBuf::from);
    let frames = arguments.next().context("name the folder of the frames")?;
    let data = arguments.next().context("name the folder for the data")?;
    let roots = [frames.clone()];
    in_browser(&data, &roots, false, |session| measure(session, frames)).await
}

/// Asks the server as the page would.
async fn ask(s: &Session, method: &str, path: &str, body: Value) -> anyhow::Result<Value> {
    let script = "const [method, path, body, done] = arguments
        const request = { method, headers: { 'Content-Type': 'application/json' } }
        if (body) request.body = JSON.stringify(body)
        fetch('/api/' + path, request).then((answer) => answer.json()).then(done)";
    s.browser.set_script_timeout(std::time::Duration::from_secs(600)).await?;
    let given = vec![method.into(), path.into(), body];
    Ok(s.browser.execute_async(script, given).await?.json().clone())
}

async fn measure(session: Arc<Session>, frames: PathBuf) -> anyhow::Result<()> {
    let s = &session;
    ask(s, "POST", "shoots", serde_json::json!({ "name": "Many", "kind": "night-sky" })).await?;
    let wish = serde_json::json!({ "path": frames, "role": "light" });
    let added = ask(s, "POST", "shoots/1/folder", wish).await?;
    let count = added.as_array().context("the frames were added")?.len();
    println!(
        "| page of {count} frames | usable after (ms) | a click answered after (ms) | scrolling, median between pictures (ms) | worst (ms) | keys pressed and obeyed |"
    );
    println!("|---|---|---|---|---|---|");
    for _ in 0..3 {
        row(s, "while they are measured", count).await?;
    }
    s.until("all are measured", || async {
        let shoot = ask(s, "GET", "shoots/1", Value::Null).await?;
        let frames = shoot["frames"].as_array().context("a shoot has frames")?;
        Ok(frames.iter().all(|frame| frame["measures"].is_object()))
    })
    .await?;
    for _ in 0..3 {
        row(s, "once they are measured", count).await?;
    }
    Ok(())
}

/// Opens the page, clicks a column, scrolls all of them past, and walks along them by keys.
async fn row(s: &Session, when: &str, count: usize) -> anyhow::Result<()> {
    s.goto("/").await?;
    s.goto("/shoots/1").await?;
    // The page's own clock begins when it is asked for.
    let usable = "const [count, done] = arguments
        const look = () => {
          const columns = document.querySelectorAll('[data-frame]')
          const first = columns[0]?.querySelector('img')
          if (columns.length === count && first?.complete && first.naturalWidth > 0) {
            requestAnimationFrame(() => done(performance.now()))
          } else requestAnimationFrame(look)
        }
        look()";
    let usable = number(s, usable, vec![count.into()]).await?;
    let click = "const [done] = arguments
        const column = document.querySelectorAll('[data-frame]')[4]
        const begin = performance.now()
        column.click()
        const look = () => {
          if (column.getAttribute('aria-pressed') === 'true') done(performance.now() - begin)
          else requestAnimationFrame(look)
        }
        requestAnimationFrame(look)";
    let click = number(s, click, vec![]).await?;
    let scroll = "const [done] = arguments
        const columns = document.querySelector('[data-test=columns]')
        const gaps = []
        let last
        const step = (now) => {
          if (last !== undefined) gaps.push(now - last)
          last = now
          const before = columns.scrollLeft
          columns.scrollLeft += 60
          if (columns.scrollLeft > before) requestAnimationFrame(step)
          else done(gaps)
        }
        requestAnimationFrame(step)";
    let gaps = s.browser.execute_async(scroll, vec![]).await?;
    let mut gaps: Vec<f64> = serde_json::from_value(gaps.json().clone())?;
    ensure!(gaps.len() > 20, "the columns scroll");
    gaps.sort_by(f64::total_cmp);
    let (median, worst) = (gaps[gaps.len() / 2], gaps[gaps.len() - 1]);
    // As a held key repeats.
    let keys = "const [presses, done] = arguments
        const columns = () => [...document.querySelectorAll('[data-frame]')]
        const at = () => columns().findIndex((c) => c.getAttribute('aria-pressed') === 'true')
        const from = at()
        columns()[from].focus()
        let left = presses
        const timer = setInterval(() => {
          const options = { key: 'ArrowRight', bubbles: true, cancelable: true }
          document.activeElement.dispatchEvent(new KeyboardEvent('keydown', options))
          left -= 1
          if (left > 0) return
          clearInterval(timer)
          requestAnimationFrame(() => requestAnimationFrame(() => done(at() - from)))
        }, 33)";
    let presses = 60;
    let obeyed = number(s, keys, vec![presses.into()]).await?;
    println!(
        "| {when} | {usable:.0} | {click:.0} | {median:.0} | {worst:.0} | {presses}, {obeyed:.0} |"
    );
    Ok(())
}

async fn number(s: &Session, script: &str, given: Vec<Value>) -> anyhow::Result<f64> {
    s.browser.execute_async(script, given).await?.json().as_f64().context("a number")
}
