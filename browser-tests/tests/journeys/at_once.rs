//! Several pages on one shoot, and a server that cannot be heard for a while.

use crate::journey::{card, choose, make_shoot};
use browser_tests::{Door, Session, in_browser};
use serde_json::Value;
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;

/// For so long both pages change what they like.
const CHANGES: Duration = Duration::from_secs(60);
/// For so long the server cannot be heard.
const SILENCE: Duration = Duration::from_secs(10);

/// The shoot as the server tells it.
async fn shoot(s: &Session) -> anyhow::Result<Value> {
    let script = "
        const done = arguments[arguments.length - 1]
        fetch('/api/shoots/1').then((answer) => answer.json()).then(done)
    ";
    Ok(s.browser.execute_async(script, vec![]).await?.json().clone())
}

/// What a control shows: whether it is on or chosen, or its value.
async fn state_of(s: &Session, name: &str) -> anyhow::Result<String> {
    let part = s.part(name).await?;
    for attribute in ["aria-valuetext", "aria-checked"] {
        if let Some(value) = part.attr(attribute).await? {
            return Ok(value);
        }
    }
    anyhow::bail!("{name} shows no state")
}

/// Numbers that look random, the same at each run.
struct Dice(u64);

impl Dice {
    fn below(&mut self, end: usize) -> usize {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % end
    }
}

/// What was left at which state, by the setting that it belongs to.
type Left = BTreeMap<String, (String, String)>;

/// Changes settings of its own step and those that both pages change, until the time is over. Answers
/// what it left its own settings at.
async fn change(s: &Session, own: &[&str], step: &str, mut dice: Dice) -> anyhow::Result<Left> {
    let begin = Instant::now();
    let mut left = BTreeMap::new();
    while begin.elapsed() < CHANGES {
        if dice.below(4) == 0 {
            s.click("step-combine").await?;
            s.click(["method-mean", "method-median", "method-clipped"][dice.below(3)]).await?;
            continue;
        }
        s.click(&format!("step-{step}")).await?;
        let name = own[dice.below(own.len())];
        let part = s.part(name).await?;
        if part.tag_name().await.is_ok_and(|tag| tag == "input") {
            let key = [Key::Right, Key::Left, Key::PageUp][dice.below(3)].clone();
            // The other page's change may draw it anew just then.
            if part.send_keys(key).await.is_err() {
                continue;
            }
        } else {
            s.click(name).await?;
        }
        let group = name.split('-').next().unwrap_or(name);
        left.insert(group.to_owned(), (name.to_owned(), state_of(s, name).await?));
    }
    Ok(left)
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn two_pages_change_one_shoot_and_nothing_is_lost() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let frames = card(&folder.path().join("card"), 4, (420, 300));
    in_browser(&folder.path().join("data"), &[], false, |session| both(session, frames)).await
}

async fn both(session: Arc<Session>, frames: Vec<PathBuf>) -> anyhow::Result<()> {
    let s = &*session;
    make_shoot(s, "Salt pan").await?;
    choose(s, &frames).await?;
    s.until_text("step-frames", "4 of 4 in").await?;
    let other = s.another().await?;
    other.goto("/shoots/1").await?;
    let (here, there) = tokio::join!(
        change(s, &["level", "edges-trim", "edges-keep", "edges-fill"], "combine", Dice(3)),
        change(&other, &["glow", "smoothing"], "finish", Dice(8)),
    );
    let (here, there) = (here?, there?);
    assert!(here.len() == 2 && there.len() == 2, "{here:?} {there:?}");
    for page in [s, &other] {
        for (step, left) in [("combine", &here), ("finish", &there)] {
            page.click(&format!("step-{step}")).await?;
            for (name, value) in left.values() {
                page.until(&format!("{name} is {value}"), || async {
                    Ok(state_of(page, name).await? == *value)
                })
                .await?;
            }
        }
        let method = shoot(s).await?["plan"]["combine"]["method"].as_str().unwrap().to_owned();
        page.click("step-combine").await?;
        page.until("both show the last method", || async {
            Ok(state_of(page, &format!("method-{method}")).await? == "true")
        })
        .await?;
    }
    other.end().await;
    Ok(())
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_page_that_cannot_hear_the_server_says_so_and_comes_back() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let frames = card(&folder.path().join("card"), 4, (420, 300));
    let data = folder.path().join("data");
    // The door has the server's port at another address, so that the server knows the browser's words.
    let session = Session::start("127.0.0.2:0", &data, &[], false).await?;
    let door = Door::at(([127, 0, 0, 1], session.address.port()).into(), session.address).await?;
    let done = silence(&session, &door, frames).await;
    session.end().await;
    done
}

async fn silence(s: &Session, door: &Door, frames: Vec<PathBuf>) -> anyhow::Result<()> {
    make_shoot(s, "Salt pan").await?;
    choose(s, &frames).await?;
    s.until_text("step-frames", "4 of 4 in").await?;
    let far = s.another().await?;
    far.browser.goto(format!("http://{}/shoots/1", door.address)).await?;
    far.click("step-combine").await?;
    far.settle().await?;

    door.shut();
    let begin = Instant::now();
    far.until_text("connection-lost", "The server does not answer").await?;
    // What is changed meanwhile is refused, and said.
    far.click("level").await?;
    far.until_text("notice", "The server does not answer").await?;
    far.until("the setting is as it was", || async {
        Ok(state_of(&far, "level").await? == "false")
    })
    .await?;
    // And what another page changes shows afterwards.
    s.click("step-combine").await?;
    s.click("weigh").await?;
    s.click("step-frames").await?;
    s.column("f02.tif").await?.click().await?;
    s.column("f02.tif").await?.send_keys("l").await?;
    s.until_text("step-frames", "3 of 4 in").await?;
    tokio::time::sleep(SILENCE.saturating_sub(begin.elapsed())).await;
    door.open();
    far.until("the page is heard again", || async {
        let lost = far.browser.find_all(By::Css("[data-test='connection-lost']")).await?;
        Ok(lost.is_empty())
    })
    .await?;
    far.until_text("notice", "The server answers again").await?;
    far.until_text("step-frames", "3 of 4 in").await?;
    far.until("the other page's setting", || async {
        Ok(state_of(&far, "weigh").await? == "true")
    })
    .await?;
    far.click("level").await?;
    s.click("step-combine").await?;
    s.until("a change goes through", || async { Ok(state_of(s, "level").await? == "true") })
        .await?;
    // Pictures that could not be fetched come then too.
    far.click("zoom-3").await?;
    far.settle().await?;
    far.end().await;
    Ok(())
}
