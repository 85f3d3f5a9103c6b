//! A mixed card of raw files: sorted, balanced and calibrated.

use browser_tests::{Session, in_browser};
use jade_scenes::night_sky::{NightSky, Options};
use std::path::Path;
use thirtyfour::prelude::*;

/// Lights, darks, flats and biases of a sky in one folder.
fn card(folder: &Path) -> usize {
    let options =
        Options { frames: 6, darks: 4, width: 600, height: 400, seed: 23, deflate: false };
    let apart = folder.with_file_name("apart");
    NightSky::new(options).unwrap().write_raw(&apart, 4, 4, |_, _| true).unwrap();
    std::fs::create_dir(folder).unwrap();
    let mut count = 0;
    for from in [apart.clone(), apart.join("darks"), apart.join("flats"), apart.join("biases")] {
        for file in std::fs::read_dir(from).unwrap().flatten() {
            if file.file_type().unwrap().is_file() {
                std::fs::rename(file.path(), folder.join(file.file_name())).unwrap();
                count += 1;
            }
        }
    }
    count
}

/// How the viewer asks for a frame now.
async fn version(s: &Session, name: &str) -> anyhow::Result<String> {
    let id = s.column(name).await?.attr("data-frame").await?;
    let address = format!("/api/pictures/frame-{}", id.unwrap_or_default());
    let script = format!("return fetch('{address}').then(r => r.json()).then(i => i.version)");
    let said = s.browser.execute(script, vec![]).await?;
    Ok(said.json().as_str().unwrap_or_default().to_owned())
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_mixed_raw_card_is_sorted_balanced_and_calibrated() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("card");
    let count = card(&path);
    in_browser(&folder.path().join("data"), &[path], false, move |session| async move {
        let s = &*session;
        s.shoot_from_card("Mixed", "night-sky", count).await?;
        s.part("proposed-dark").await?;
        s.click("accept-sets").await?;
        s.until_text("step-frames", "6 of 6 in").await?;
        // One frame is put right by hand.
        s.first(By::Css("[data-frame]")).await?.click().await?;
        s.click("role-dark").await?;
        s.until_text("step-frames", "5 of 5 in").await?;
        s.click("undo").await?;
        s.until_text("step-frames", "6 of 6 in").await?;

        s.click("step-prepare").await?;
        for said in ["4 dark", "4 flat", "4 bias"] {
            s.until_text("calibration", said).await?;
        }
        s.until_text("as-shot", "K, tint").await?;
        // The frame is seen as a run calibrates it, and beside it as it came.
        s.until_text("pick-a", "calibrated").await?;
        s.click("before-after").await?;
        s.until_text("pick-a", "original").await?;
        s.until_text("pick-b", "calibrated").await?;
        s.click("before-after").await?;
        s.until_text("pick-a", "calibrated").await?;
        // The flats tell the shading for other shoots.
        s.click("lens-flats").await?;
        s.until_text("lens-told", "62 % of the light reaches the corners").await?;
        s.click("undo").await?;
        // Clipping is shown, and colours are checked without being changed.
        s.until_text("histogram", "clipped").await?;
        let unchanged = version(s, "f01.dng").await?;
        s.click("colour-check").await?;
        s.until("tiles are asked for with strong colours", || async {
            let script = "return performance.getEntriesByType('resource').some(e => e.name.includes('colours=true'))";
            Ok(s.browser.execute(script, vec![]).await?.json().as_bool() == Some(true))
        })
        .await?;
        assert_eq!(version(s, "f01.dng").await?, unchanged);
        s.click("colour-check").await?;
        let before = version(s, "f01.dng").await?;
        s.click("white balance-light").await?;
        let slider = s.part("kelvin").await?;
        let shot: f64 = slider.prop("value").await?.unwrap_or_default().parse()?;
        for _ in 0..4 {
            slider.send_keys(Key::Right).await?;
        }
        s.until_text("kelvin-value", &format!("{} K", shot + 200.0)).await?;
        s.until("the frame is seen in another light", || async {
            Ok(version(s, "f01.dng").await? != before)
        })
        .await?;

        s.click("run").await?;
        s.click("step-combine").await?;
        s.until_text("results", "lipped mean of 6").await?;
        s.until_text("step-prepare", "calibrated").await?;
        // Grey by a click on the picture.
        s.click("step-prepare").await?;
        s.click("pick-grey").await?;
        s.settle().await?;
        let view = s.part("view").await?;
        s.browser
            .action_chain()
            .move_to_element_with_offset(&view, -150, 120)
            .click()
            .perform()
            .await?;
        s.until("a grey is picked", || async {
            let option = s.part("white balance-neutral").await?;
            Ok(option.attr("aria-checked").await?.as_deref() == Some("true"))
        })
        .await
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_lens_is_found_from_the_stars_and_corrected_by_hand() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("card");
    let options =
        Options { frames: 24, darks: 0, width: 900, height: 600, seed: 17, deflate: false };
    let scene = NightSky::new(options)?.with_fringes([0.0022, -0.0015]);
    scene.write(&path, |_, _| true)?;
    in_browser(&folder.path().join("data"), &[path], false, move |session| async move {
        let s = &*session;
        s.shoot_from_card("Lens", "night-sky", 24).await?;
        let as_drawn = version(s, "f13.tif").await?;
        s.click("step-prepare").await?;
        s.click("lens-stars").await?;
        s.until_text("lens-told", "Corners −").await?;
        s.until_text("lens-told", "Red +1.").await?;
        s.until_text("lens-red-value", "+1.").await?;
        s.until_text("lens-blue-value", "−0.").await?;
        let straight = version(s, "f13.tif").await?;
        assert_ne!(straight, as_drawn, "the frame is seen without the lens's flaws");
        s.part("lens-distortion").await?.send_keys(Key::Right).await?;
        s.until("the frame is seen through another lens", || async {
            Ok(version(s, "f13.tif").await? != straight)
        })
        .await?;
        s.click("run").await?;
        s.click("step-combine").await?;
        s.until_text("results", "lipped mean of 24").await?;
        s.click("step-prepare").await?;
        s.click("lens-none").await?;
        s.until("the frame is seen as it was drawn", || async {
            Ok(version(s, "f13.tif").await? == as_drawn)
        })
        .await
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_setting_is_handed_to_some_frames_only() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("card");
    let options =
        Options { frames: 6, darks: 0, width: 600, height: 400, seed: 24, deflate: false };
    NightSky::new(options)?.write(&path, |_, _| true)?;
    in_browser(&folder.path().join("data"), &[path], false, move |session| async move {
        let s = &*session;
        s.shoot_from_card("Differences", "night-sky", 6).await?;
        let before = [
            version(s, "f01.tif").await?,
            version(s, "f02.tif").await?,
            version(s, "f04.tif").await?,
        ];
        s.column("f01.tif").await?.click().await?;
        let second = s.column("f02.tif").await?;
        let keys = s.browser.action_chain().key_down(Key::Control);
        keys.click_element(&second).key_up(Key::Control).perform().await?;
        s.click("step-prepare").await?;
        s.click("for-chosen").await?;
        let slider = s.part("denoise-colour").await?;
        for _ in 0..10 {
            slider.send_keys(Key::Right).await?;
        }
        s.until_text("denoise-colour-value", "50 %").await?;
        s.until("two frames differ", || async {
            Ok(s.browser.find_all(By::Css("[data-test='differs']")).await?.len() == 2)
        })
        .await?;
        s.until_text("differences", "noise −0 %, colour −50 %").await?;
        // The page shows a change before the server has it.
        s.until("their pictures are others", || async {
            let now = [version(s, "f01.tif").await?, version(s, "f02.tif").await?];
            Ok(now[0] != before[0] && now[1] != before[1])
        })
        .await?;
        assert_eq!(version(s, "f04.tif").await?, before[2], "the others stay as they were");

        // It is handed on to a third frame, and taken back from the first.
        s.column("f04.tif").await?.click().await?;
        s.click("hand-on-f01.tif").await?;
        s.until("three frames differ", || async {
            Ok(s.browser.find_all(By::Css("[data-test='differs']")).await?.len() == 3)
        })
        .await?;
        s.until("the third one too", || async { Ok(version(s, "f04.tif").await? != before[2]) })
            .await?;
        s.first(By::Css("button[aria-label='Reset f01.tif to shared settings']"))
            .await?
            .click()
            .await?;
        s.until("two frames differ again", || async {
            Ok(s.browser.find_all(By::Css("[data-test='differs']")).await?.len() == 2)
        })
        .await?;
        s.until("the first has its picture back", || async {
            Ok(version(s, "f01.tif").await? == before[0])
        })
        .await?;
        s.click("run").await?;
        s.click("step-combine").await?;
        s.until_text("results", "lipped mean of 6").await
    })
    .await
}
