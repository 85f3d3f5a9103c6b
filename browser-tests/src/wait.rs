//! Waits for what the page shows, inside the page.
//!
//! One command waits until something is there. A test that asks again and again from outside takes more
//! of the processor than the page, which then waits for it.

use crate::Session;
use anyhow::{Context, bail};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;

/// Milliseconds for which one command waits: the driver gives up on a command after thirty seconds, and
/// a page that is left ends its command without an answer.
const AT_ONCE: u32 = 5000;
/// How long is waited for a part of the page.
const FOR_A_PART: Duration = Duration::from_secs(20);
/// How long is waited for what the server works on.
const FOR_WORK: Duration = Duration::from_secs(120);

/// The parts with a `data-test` name that are laid out and not hidden.
const SHOWN: &str = "
    const shown = (name) => [...document.querySelectorAll(`[data-test='${name}']`)].filter(
      (part) => part.checkVisibility({ visibilityProperty: true }))
";

/// Asks `look` about thirty times a second, until it answers something.
const ASK: &str = "
    const [done, given] = [arguments[arguments.length - 1], [...arguments].slice(0, -2)]
    const end = performance.now() + arguments[arguments.length - 2]
    const ask = () => {
      const found = look(...given)
      if (found || performance.now() > end) done(found || null)
      else setTimeout(ask, 33)
    }
    ask()
";

/// Whether a part shows a text. What can be typed has its text as its value.
const SHOWS: &str = "
    const look = (name, text) => shown(name).some((part) =>
      [part.innerText, part.value].some(
        (own) => typeof own === 'string' && own.replaceAll('\u{a0}', ' ').includes(text)))
";

/// The first shown part that can be used.
const USABLE: &str = "const look = (name) => shown(name).find((part) => !part.disabled)";

/// Whether every picture of the page is complete (those that are loaded when they come into sight
/// apart), nothing moves, apart from signs that turn without end, and nothing was fetched for a second.
const RESTS: &str = "
    let [fetched, since] = [-1, performance.now()]
    performance.setResourceTimingBufferSize(100000)
    const look = () => {
      const now = performance.getEntriesByType('resource').length
      const complete = [...document.images].every(
        (image) => image.complete || image.loading === 'lazy')
      if (now !== fetched || !complete || moves()) [fetched, since] = [now, performance.now()]
      return performance.now() - since > 1000
    }
";

/// Whether anything fades or moves.
const MOVES: &str = "
    const moves = () => document.getAnimations().some(
      (one) => one.playState === 'running' && one.effect?.getComputedTiming().endTime !== Infinity)
";

impl Session {
    /// The element with this `data-test` name, hidden or not, as soon as the page has it, within 20
    /// seconds.
    pub async fn part(&self, name: &str) -> anyhow::Result<WebElement> {
        let look = "const look = (name) => document.querySelector(`[data-test='${name}']`)";
        self.found(name, look).await
    }

    /// Clicks the part with this `data-test` name as soon as it can be, within 20 seconds.
    pub async fn click(&self, name: &str) -> anyhow::Result<()> {
        let begin = Instant::now();
        loop {
            let part = self.found(name, &format!("{SHOWN}{USABLE}")).await?;
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
        let look = format!("{SHOWN}{SHOWS}");
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
        let found = self.ask(look, &[json!(name)], FOR_A_PART).await?;
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
