//! The sky finished on the page: evened and smoothed, and the ground left as it is.

use browser_tests::{Session, in_browser};
use jade_scenes::night_sky::{Land, NightSky, Options};
use serde_json::Value;
use thirtyfour::prelude::*;

/// Results of the first shoot, the newest first.
async fn results(s: &Session) -> anyhow::Result<Vec<Value>> {
    let script = "return fetch('/api/shoots/1').then((answer) => answer.json())";
    let shoot = s.browser.execute(script, vec![]).await?;
    Ok(shoot.json()["results"].as_array().cloned().unwrap_or_default())
}

/// The light of a square of a result, as a probe there measures it.
async fn level(s: &Session, result: &Value, [x, y]: [u32; 2]) -> anyhow::Result<f64> {
    let path = format!("/api/pictures/result-{}/measure?x={x}&y={y}&size=32", result["id"]);
    let script = format!("return fetch('{path}').then((answer) => answer.json())");
    let said = s.browser.execute(&script, vec![]).await?;
    let level = said.json()["figures"]["level"].as_f64();
    level.ok_or_else(|| anyhow::anyhow!("no light: {}", said.json()))
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_sky_is_finished_and_the_ground_stays() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let options =
        Options { frames: 6, darks: 0, width: 900, height: 600, seed: 12, deflate: false };
    let scene = NightSky::over(Land::Hills, options, None)?;
    scene.write(&folder.path().join("card"), |_, _| true)?;
    std::fs::remove_dir_all(folder.path().join("card/truth"))?;
    let roots = [folder.path().join("card")];
    in_browser(&folder.path().join("data"), &roots, false, move |session| async move {
        let s = &*session;
        s.shoot_from_card("Hills", "night-sky", 6).await?;
        s.click("step-finish").await?;
        s.until_text("finish-limit", "On the whole picture").await?;
        s.click("step-skyline").await?;
        s.click("skyline-auto").await?;
        s.until_text("skyline-told", "% sky").await?;
        s.click("run").await?;
        s.until_text("step-skyline", "% sky").await?;
        s.until_text("step-finish", "off").await?;

        // All of the glow, and half of the noise.
        s.click("step-finish").await?;
        s.until_text("finish-limit", "On the sky alone").await?;
        s.part("glow").await?.send_keys(Key::End + "").await?;
        s.until_text("glow-value", "100 %").await?;
        let smoothing = s.part("smoothing").await?;
        for _ in 0..10 {
            smoothing.send_keys(Key::Right).await?;
        }
        s.until_text("smoothing-value", "50 %").await?;
        s.until_text("finish-changed", "Press Run").await?;
        s.until_text("step-combine", "noise ÷").await?;
        s.click("run").await?;
        s.until_text("finish-found", "Sky noise reduced").await?;
        s.until_text("step-finish", "uneven ").await?;

        s.click("against-unfinished").await?;
        s.until_text("pick-b", "finished").await?;
        s.until("it is beside the one before", || async {
            let text = s.part("pick-a").await?.text().await?;
            Ok(text.contains("clipped mean of 6") && !text.contains("finished"))
        })
        .await?;

        // What was combined is kept: only the last stage was run.
        let all = results(s).await?;
        let [after, before] = &all[..] else { anyhow::bail!("{} results", all.len()) };
        let stages = after["report"]["stages"].as_array().cloned().unwrap_or_default();
        let mut timed = stages.iter().filter(|stage| !stage["seconds"].is_null());
        assert!(timed.all(|stage| stage["stage"] == "finish"), "{stages:?}");
        let finish = stages.iter().find(|stage| stage["stage"] == "finish").unwrap_or(&Value::Null);
        let uneven = &finish["uneven"];
        let [was, is] = [0, 1].map(|i| uneven[i].as_f64().unwrap_or_default());
        assert!(was > 0.5 && is < 0.7 * was, "{was} {is}");
        assert_eq!(after["plan"]["finish"]["smoothing"], 0.5);

        // The ground has the same light; the lowest sky has lost its glow.
        let sky = scene.sky_mask();
        let column = |x: usize| (0..600).rposition(|y| sky[y * 900 + x] >= 1.0).unwrap_or(0) as u32;
        let low = [100, (0..80).map(|x| column(80 + x)).min().unwrap_or(0) - 60];
        let ground = [100, 520];
        assert_eq!(level(s, before, ground).await?, level(s, after, ground).await?);
        let (lit, dark) = (level(s, before, low).await?, level(s, after, low).await?);
        assert!(dark < 0.8 * lit, "{lit} {dark}");

        // The amount is taken back as any setting: what a held key did as one change.
        s.click("undo").await?;
        s.until("there is no smoothing", || async {
            Ok(s.part("smoothing-value").await?.value().await?.as_deref() == Some("0 %"))
        })
        .await?;
        Ok(())
    })
    .await
}
