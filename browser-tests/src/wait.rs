//! Waits for what the page shows, inside the page.
//!
//! One command waits until something is there. A test that asks again and again from outside takes more
//! of the processor than the page, which then waits for it.

use crate::Session;
use anyhow::{Context, bail};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;

/// Milliseconds for which one command waits. The driver gives up on a script after thirty seconds.
const AT_ONCE: u32 = 5000;
/// How long is waited for a part of the page.
const FOR_A_PART: Duration = Duration::from_secs(20);
/// How long is waited for what the server works on.
const FOR_WORK: Duration = Duration::from_secs(120);

/// The parts with a `data-test` name, and whether one is laid out and not hidden.
const PARTS: &str = "
    const parts = (name) => [...document.querySelectorAll(`[data-test='${name}']`)]
    const shown = (part) => part.checkVisibility({ opacityProperty: true, visibilityProperty: true })
";

/// Asks `look` ten times a second, until it answers something.
const ASK: &str = "
    const [done, given] = [arguments[arguments.length - 1], [...arguments].slice(0, -2)]
    const end = performance.now() + arguments[arguments.length - 2]
    const ask = () => {
      const found = look(...given)
      if (found || performance.now() > end) done(found || null)
      else setTimeout(ask, 100)
    }
    ask()
";

/// Whether a part shows a text. What can be typed has its text as its value.
const SHOWS: &str = "
    const look = (name, text) => parts(name).some((part) =>
      [shown(part) && part.innerText, part.value].some(
        (own) => typeof own === 'string' && own.replaceAll('\u{a0}', ' ').includes(text)))
";

/// The first part, once it is shown and can be used.
const USABLE: &str = "
    const look = (name) =>
      parts(name).slice(0, 1).find((part) => shown(part) && !part.matches(':disabled'))
";

/// Whether every picture of the page is complete (those that are loaded when they come into sight
/// apart), nothing moves, and nothing was fetched for ten looks in a row, which take a second.
const RESTS: &str = "
    let [fetched, looks] = [-1, 0]
    performance.setResourceTimingBufferSize(100000)
    const look = () => {
      const now = performance.getEntriesByType('resource').length
      const complete = [...document.images].every(
        (image) => image.complete || image.loading === 'lazy')
      looks = now === fetched && complete && !moves() ? looks + 1 : 0
      fetched = now
      return looks >= 10
    }
";

/// Whether anything fades or moves, apart from signs that turn without end.
const MOVES: &str = "
    const moves = () => document.getAnimations().some(
      (one) => one.playState === 'running' && one.effect?.getComputedTiming().endTime !== Infinity)
";

impl Session {
    /// The element with this `data-test` name, hidden or not, as soon as the page has it, within 20
    /// seconds.
    pub async fn part(&self, name: &str) -> anyhow::Result<WebElement> {
        self.found(name, "const look = (name) => parts(name)[0]").await
    }

    /// Clicks the part with this `data-test` name as soon as it can be, within 20 seconds.
    pub async fn click(&self, name: &str) -> anyhow::Result<()> {
        let begin = Instant::now();
        loop {
            let part = self.found(name, USABLE).await?;
            // The page may draw the part anew between finding and clicking it, or something passes over
            // it.
            match part.click().await {
                Err(_) if begin.elapsed() < FOR_A_PART => {
                    tokio::time::sleep(Duration::from_millis(50)).await;
                }
                done => return done.with_context(|| format!("clicking {name}")),
            }
        }
    }

    /// Waits until a part shows a text, within two minutes.
    pub async fn until_text(&self, name: &str, text: &str) -> anyhow::Result<()> {
        let look = format!("{PARTS}{SHOWS}");
        self.ask(&look, &[json!(name), json!(text)], FOR_WORK)
            .await?
            .map(drop)
            .with_context(|| format!("still not: {name} shows {text}"))
    }

    /// Waits until every picture and tile of the page is there, nothing moves, and nothing was fetched
    /// for a second.
    pub async fn settle(&self) -> anyhow::Result<()> {
        let found = self.ask(&format!("{MOVES}{RESTS}"), &[], FOR_WORK).await?;
        found.map(drop).context("still not: the page is quiet")
    }

    /// Waits until nothing on the page fades or moves.
    pub async fn stand_still(&self) -> anyhow::Result<()> {
        let look = format!("{MOVES}const look = () => !moves()");
        let found = self.ask(&look, &[], FOR_A_PART).await?;
        found.map(drop).context("still not: nothing on the page moves")
    }

    /// The element that the function `look` of a script finds by a `data-test` name.
    async fn found(&self, name: &str, look: &str) -> anyhow::Result<WebElement> {
        let found = self.ask(&format!("{PARTS}{look}"), &[json!(name)], FOR_A_PART).await?;
        Ok(found.with_context(|| format!("{name} does not appear"))?.element()?)
    }

    /// What the function `look` of a script answers to what is `given`; `None` where that is nothing for
    /// as long as is waited.
    async fn ask(
        &self,
        look: &str,
        given: &[Value],
        wait: Duration,
    ) -> anyhow::Result<Option<ScriptRet>> {
        let begin = Instant::now();
        let given: Vec<Value> = given.iter().cloned().chain([json!(AT_ONCE)]).collect();
        let script = format!("{look}{ASK}");
        loop {
            let answer = self.browser.execute_async(script.as_str(), given.clone()).await;
            match answer {
                Ok(found) if !found.json().is_null() => return Ok(Some(found)),
                Ok(_) if begin.elapsed() >= wait => return Ok(None),
                Err(error) if begin.elapsed() >= wait => bail!(error),
                Ok(_) => {}
                // A page that is left has no answer; the next one may.
                Err(_) => tokio::time::sleep(Duration::from_millis(50)).await,
            }
        }
    }
}
