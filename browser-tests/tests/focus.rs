//! A focus sweep on the page: merged in both ways, with its plot and its focus map.

use browser_tests::{Session, in_browser};
use jade_scenes::focus_sweep::{FocusSweep, Options};
use serde_json::Value;
use thirtyfour::prelude::*;

/// The latest result of the first shoot.
async fn latest(s: &Session) -> anyhow::Result<Value> {
    let script = "return fetch('/api/shoots/1').then((answer) => answer.json())";
    let shoot = s.browser.execute(script, vec![]).await?;
    Ok(shoot.json()["results"][0].clone())
}

/// The colours and the cover of a focus map in the middle of a picture, as it is laid over.
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
    let told = s.browser.execute(&script, vec![]).await?;
    Ok(serde_json::from_value(told.json().clone())?)
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_sweep_becomes_one_picture_and_tells_where_it_is_sharp() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let card = folder.path().join("card");
    std::fs::create_dir(&card)?;
    let options = Options { frames: 9, width: 600, height: 400, seed: 14, deflate: false };
    FocusSweep::new(options)?.write(&card, |_, _| true)?;
    std::fs::remove_dir_all(card.join("truth"))?;
    // One plane is missing.
    std::fs::remove_file(card.join("f05.tif"))?;
    let roots = [card];
    in_browser(&folder.path().join("data"), &roots, false, move |session| async move {
        let s = &*session;
        s.shoot_from_card("Moss", "focus-sweep", 8).await?;
        let skyline = s.browser.find(By::Css("[data-test='step-skyline']")).await;
        assert!(skyline.is_err(), "a sweep has no skyline");
        s.click("step-combine").await?;
        s.click("run").await?;
        s.until_text("results", "ine hair, merged of 8").await?;
        s.until_text("sweep", "times as far as usual").await?;
        s.part("sweep-gap").await?;
        s.until_text("step-combine", "8 planes, 1 gap").await?;
        let result = latest(s).await?;
        let report = &result["report"];
        assert_eq!(report["focus"]["order"].as_array().map(Vec::len), Some(8));
        let told = report["focus"]["told"].as_f64().unwrap_or_default();
        assert!((0.3..1.0).contains(&told), "{told}");

        // The focus map is laid over the picture.
        s.click("overlay-depth").await?;
        let colour = graded(s, &result).await?;
        assert!(colour[3] >= 190, "{colour:?}");
        s.click("overlay-none").await?;

        // The other way, beside the first.
        s.click("way-smooth").await?;
        s.until_text("step-combine", "settings changed").await?;
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
        Ok(())
    })
    .await
}
