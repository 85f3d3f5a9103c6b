//! A focus sweep on the page: merged in both ways, with its plot and its depth map.

use anyhow::Context;
use browser_tests::{Session, in_browser};
use jade_scenes::focus_sweep::{FocusSweep, Options};
use serde_json::Value;
use std::path::{Path, PathBuf};
use thirtyfour::prelude::*;

const SIZE: (u32, u32) = (600, 400);

/// The first shoot.
async fn shoot(s: &Session) -> anyhow::Result<Value> {
    let script = "return fetch('/api/shoots/1').then((answer) => answer.json())";
    Ok(s.browser.execute(script, vec![]).await?.json().clone())
}

/// Its latest result.
async fn latest(s: &Session) -> anyhow::Result<Value> {
    Ok(shoot(s).await?["results"][0].clone())
}

/// Mean light of the result on the screen, with its overlays.
async fn light(s: &Session) -> anyhow::Result<f64> {
    let script = "
        const board = document.querySelector('[data-test=pane-b] canvas')
        const all = board.getContext('2d').getImageData(0, 0, board.width, board.height).data
        return all.reduce((sum, value, i) => sum + (i % 4 === 1 ? value : 0), 0) / (all.length / 4)";
    let light = s.browser.execute(script, vec![]).await?;
    light.json().as_f64().context("the picture is drawn")
}

/// Colours and opacity of a depth map in the middle of a picture.
async fn graded(s: &Session, result: &Value) -> anyhow::Result<Vec<u64>> {
    let path = format!("/api/pictures/depth-{}/tiles/0/0_0.png", result["id"]);
    let script = format!(
        "return (async () => {{
            const answer = await fetch('{path}')
            const picture = await createImageBitmap(await answer.blob())
            const board = new OffscreenCanvas(picture.width, picture.height).getContext('2d')
            board.drawImage(picture, 0, 0)
            return [...board.getImageData(picture.width - 40, picture.height - 40, 1, 1).data]
        }})()"
    );
    let said = s.browser.execute(&script, vec![]).await?;
    Ok(serde_json::from_value(said.json().clone())?)
}

/// A card with a sweep of some frames.
fn card(folder: &Path, frames: u32) -> anyhow::Result<PathBuf> {
    let card = folder.join("card");
    std::fs::create_dir(&card)?;
    let (width, height) = SIZE;
    FocusSweep::new(Options { frames, width, height, seed: 14, deflate: false })?
        .write(&card, |_, _| true)?;
    std::fs::remove_dir_all(card.join("truth"))?;
    Ok(card)
}

/// Codes of a picture around a place of the reference frame, at full size.
async fn seen(s: &Session, source: &str, [x, y]: [u32; 2]) -> anyhow::Result<String> {
    let script = format!(
        "return (async () => {{
            const info = await (await fetch('/api/pictures/{source}')).json()
            const answer = await fetch(`/api/pictures/{source}/tiles/0/0_0.png?v=${{info.version}}`)
            const picture = await createImageBitmap(await answer.blob())
            const board = new OffscreenCanvas(picture.width, picture.height).getContext('2d')
            board.drawImage(picture, 0, 0)
            const [left, top] = info.origin
            return [...board.getImageData({x} - left - 4, {y} - top - 4, 9, 9).data].join()
        }})()"
    );
    let said = s.browser.execute(&script, vec![]).await?;
    Ok(said.json().as_str().unwrap_or_default().to_owned())
}

/// Whether what the brush would paint is seen where it is, in the colours of a source at this place.
async fn seen_under_brush(s: &Session, source: &str, place: [u32; 2]) -> anyhow::Result<bool> {
    let script = "
        const brush = document.querySelector('[data-test=view] svg circle')
        const pane = document.querySelector('[data-test=pane-a]')
        const board = pane.querySelector('canvas')
        const at = ['cx', 'cy'].map((name) => brush.getAttribute(name) * board.width / board.clientWidth)
        const seen = board.getContext('2d').getImageData(...at, 1, 1).data
        const { visibility, maskImage } = getComputedStyle(pane)
        return visibility === 'visible' && maskImage.includes('radial') ? [...seen].join() : ''";
    let there = s.browser.execute(script, vec![]).await?;
    let codes = |text: &str| text.split(',').filter_map(|v| v.parse().ok()).collect::<Vec<i32>>();
    let shown = codes(there.json().as_str().unwrap_or_default());
    // The middle of nine rows of nine.
    let wanted = codes(&seen(s, source, place).await?).split_off(4 * 40);
    Ok(shown.len() == 4 && shown.iter().zip(&wanted).all(|(a, b)| (a - b).abs() <= 6))
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_patch_is_painted_taken_back_and_kept_after_another_run() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let roots = [card(folder.path(), 6)?];
    in_browser(&folder.path().join("data"), &roots, false, move |session| async move {
        let s = &*session;
        s.shoot_from_card("Moss", "focus-sweep", 6).await?;
        s.click("step-combine").await?;
        s.click("run").await?;
        s.until_text("results", "ine hair, merged of 6").await?;
        let first = latest(s).await?["id"].clone();
        let (result, painted) = (format!("result-{first}"), format!("painted-{first}"));
        let place = [120, 200];
        let merged = seen(s, &result, place).await?;

        // The sharpest frame under the pointer is offered first, the next one by a key.
        s.click("patch-frame").await?;
        s.rest(SIZE, place).await?;
        let frames = s.part("patch-frames").await?;
        let chosen = By::Css("[data-test='patch-frames'] [aria-pressed='true']");
        let sharpest = s.browser.find(chosen.clone()).await?.text().await?;
        assert!(sharpest.contains("100 %") && frames.text().await?.starts_with(&sharpest));
        for _ in 0..3 {
            s.browser.action_chain().send_keys("n").perform().await?;
        }
        let other = s.browser.find(chosen).await?.text().await?;
        assert_ne!(other, sharpest);
        // Its pixels are seen under the brush before they are painted.
        let shoot = shoot(s).await?;
        let frame = shoot["frames"]
            .as_array()
            .into_iter()
            .flatten()
            .find(|frame| frame["name"].as_str().is_some_and(|name| other.starts_with(name)));
        let offered = format!("offered-{first}-{}", frame.context("the frame is listed")?["id"]);
        assert_ne!(seen(s, &offered, place).await?, merged);
        s.until("the frame under the brush", || seen_under_brush(s, &offered, place)).await?;
        s.paint(SIZE, place).await?;
        s.until_text("stroke-count", "1 stroke").await?;
        let patched = seen(s, &painted, place).await?;
        assert!(!patched.is_empty() && patched != merged);

        s.click("undo").await?;
        s.until_text("stroke-count", "0 strokes").await?;
        assert_eq!(seen(s, &painted, place).await?, merged);
        s.click("redo").await?;
        s.until_text("stroke-count", "1 stroke").await?;
        assert_eq!(seen(s, &painted, place).await?, patched);

        // A run takes it into the result, and another way of merging does not lose it.
        s.click("run").await?;
        s.until("a second result", || async { Ok(latest(s).await?["id"] != first) }).await?;
        let second = format!("result-{}", latest(s).await?["id"]);
        assert_eq!(seen(s, &second, place).await?, patched);
        s.click("way-smooth").await?;
        s.until_text("step-combine", "changed").await?;
        s.click("run").await?;
        s.until_text("results", "mooth surfaces, merged of 6").await?;
        s.browser.refresh().await?;
        s.click("step-combine").await?;
        s.until_text("stroke-count", "1 stroke").await?;
        let third = format!("result-{}", latest(s).await?["id"]);
        assert_eq!(seen(s, &third, place).await?, patched);
        Ok(())
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_sweep_becomes_one_picture_and_tells_where_it_is_sharp() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let card = card(folder.path(), 9)?;
    // One plane is missing.
    std::fs::remove_file(card.join("f05.tif"))?;
    let roots = [card];
    in_browser(&folder.path().join("data"), &roots, false, move |session| async move {
        let s = &*session;
        s.shoot_from_card("Moss", "focus-sweep", 8).await?;
        let skyline = s.browser.find(By::Css("[data-test='step-skyline']")).await;
        assert!(skyline.is_err(), "a sweep has no skyline");
        s.click("step-combine").await?;
        // Doubts are shown before anything is merged.
        s.until_text("sweep", "times as far as usual").await?;
        s.part("sweep-gap").await?;
        s.until_text("step-combine", "waiting").await?;
        s.click("run").await?;
        s.until_text("results", "ine hair, merged of 8").await?;
        s.part("sweep-gap").await?;
        s.until_text("step-combine", "8 planes, 1 gap").await?;
        let result = latest(s).await?;
        let stages = result["report"]["stages"].as_array().into_iter().flatten();
        let merge = stages.clone().find(|stage| stage["stage"] == "merge").unwrap_or_default();
        assert_eq!(merge["order"].as_array().map(Vec::len), Some(8));
        let said = merge["known"].as_f64().unwrap_or_default();
        assert!((0.3..1.0).contains(&said), "{said}");

        // The depth map is overlaid on the picture.
        s.click("overlay-depth").await?;
        let colour = graded(s, &result).await?;
        assert!(colour[3] >= 190, "{colour:?}");
        s.click("overlay-none").await?;

        // Pointing at a frame leaves its part of the picture, the rest is dark.
        s.settle().await?;
        let bright = light(s).await?;
        let planes = s.browser.find_all(By::Css("[data-test='sweep-plane']")).await?;
        s.browser.action_chain().move_to_element_center(&planes[3]).perform().await?;
        let dark = || async { Ok(light(s).await? < 0.6 * bright) };
        s.until("only a part of the picture", dark).await?;
        let run = s.part("run").await?;
        s.browser.action_chain().move_to_element_center(&run).perform().await?;
        let whole = || async { Ok(light(s).await? > 0.98 * bright) };
        s.until("all of the picture", whole).await?;

        // A probe tells how much sharper it became.
        s.click("pin").await?;
        let view = s.part("view").await?;
        let place = s.browser.action_chain().move_to_element_with_offset(&view, 90, 70);
        place.click().perform().await?;
        s.until_text("sharper", "detail ×").await?;
        s.until_text("detail", "→").await?;

        // The other way, beside the first.
        s.click("way-smooth").await?;
        s.until_text("step-combine", "changed").await?;
        s.click("run").await?;
        s.until_text("results", "mooth surfaces, merged of 8").await?;
        s.click("other-way").await?;
        s.until_text("pick-a", "fine hair").await?;
        s.until_text("pick-b", "smooth surfaces").await?;

        s.click("step-align").await?;
        s.until_text("verdicts", "ref.").await?;
        s.click("step-export").await?;
        s.click("save").await?;
        s.until_text("saved", ".tif").await?;
        s.click("format-moving").await?;
        s.click("save").await?;
        s.until_text("saved", "moving.png").await?;
        Ok(())
    })
    .await
}
