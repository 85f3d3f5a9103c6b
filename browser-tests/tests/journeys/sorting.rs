//! A whole card in one folder: sorted as proposed, corrected by hand, stacked.

use browser_tests::{Session, in_browser};
use jade_scenes::night_sky::{Card, NightSky, Options};
use thirtyfour::prelude::*;

/// How many frames a set has, by the list of sets.
async fn set_has(s: &Session, name: &str, count: usize) -> anyhow::Result<()> {
    s.until(&format!("{name} has {count} frames"), || async {
        let set = s.browser.find(By::Css(format!("[data-set='{name}']"))).await?;
        Ok(set.text().await?.lines().any(|line| line == count.to_string()))
    })
    .await
}

async fn drag(s: &Session, from: &WebElement, to: &WebElement) -> anyhow::Result<()> {
    Ok(s.browser
        .action_chain()
        .click_and_hold_element(from)
        .move_by_offset(-6, 2)
        .move_to_element_center(to)
        .release()
        .perform()
        .await?)
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_mixed_folder_is_sorted_corrected_by_hand_and_stacked() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("card");
    std::fs::create_dir(&path)?;
    let options =
        Options { frames: 8, darks: 3, width: 630, height: 450, seed: 31, deflate: false };
    let card = Card { ground: 3, flats: 3, biases: 2, raw: true };
    let scene = NightSky::new(options)?;
    scene.write_card(&path, &card, |_, _| true)?;
    let frames = scene.card(&card);
    let spoiled: Vec<String> =
        frames.iter().filter(|f| f.spoiled.is_some()).map(|f| f.file.clone()).collect();
    in_browser(&folder.path().join("data"), &[path], false, move |session| async move {
        let s = &*session;
        s.shoot_from_card("A whole card", "night-sky", frames.len()).await?;
        for (set, reason) in [
            ("sky", "8 s at ISO 6400"),
            ("ground", "exposed 15 times as long as the sky, ISO 800 instead of 6400"),
            ("dark", "no light came through the lens"),
            ("flat", "evenly lit"),
            ("bias", "hardly any time"),
        ] {
            s.until_text(&format!("proposed-{set}"), reason).await?;
        }
        s.click("accept-sets").await?;
        s.until_text("step-frames", "8 of 8 in").await?;
        for (set, count) in
            [("Sky", 8), ("Ground", 3), ("Darks 8 s", 3), ("Flats", 3), ("Biases", 2)]
        {
            set_has(s, set, count).await?;
        }

        // A frame is dragged to another set, and comes back by undo.
        let ground = frames.iter().find(|f| f.file == "pan2052.dng").unwrap();
        let sky = s.column("pan2050.dng").await?;
        drag(s, &s.column(&ground.file).await?, &sky).await?;
        set_has(s, "Sky", 9).await?;
        set_has(s, "Ground", 2).await?;
        s.click("undo").await?;
        set_has(s, "Ground", 3).await?;
        // Several are chosen and moved by name.
        s.column("pan2044.dng").await?.click().await?;
        let to = s.column("pan2046.dng").await?;
        s.browser
            .action_chain()
            .key_down(Key::Shift)
            .click_element(&to)
            .key_up(Key::Shift)
            .perform()
            .await?;
        s.until_text("chosen", "3 frames chosen").await?;
        let field = s.part("move-to").await?;
        field.find(By::XPath("./option[normalize-space()='Ground']")).await?.click().await?;
        set_has(s, "Ground", 6).await?;
        s.click("undo").await?;
        set_has(s, "Sky", 8).await?;

        // Both spoiled frames are proposed and left out; one comes by the limit on its measure.
        for name in &spoiled {
            s.until_text("doubts", name).await?;
        }
        s.click("frames-plot").await?;
        let limit = s.part("limit").await?;
        for _ in 0..25 {
            limit.send_keys(Key::Up).await?;
        }
        s.click("leave-out-beyond").await?;
        s.until_text("step-frames", "7 of 8 in").await?;
        s.first(By::Css("[data-test='doubts'] button[aria-label^='Leave out']"))
            .await?
            .click()
            .await?;
        s.until_text("step-frames", "6 of 8 in").await?;

        // As a table, sorted by what is measured: the least stars stand first.
        s.click("frames-table").await?;
        s.click("sort-by-exposure").await?;
        let first = s.first(By::Css("[data-test='table'] tbody tr")).await?;
        assert!(first.text().await?.contains("Biases"), "{}", first.text().await?);
        s.click("sort-by-exposure").await?;
        s.until("the longest stand first", || async {
            let first = s.browser.find(By::Css("[data-test='table'] tbody tr")).await?;
            Ok(first.text().await?.contains("Ground"))
        })
        .await?;
        s.click("frames-columns").await?;

        s.click("run").await?;
        s.click("step-combine").await?;
        s.until_text("results", "lipped mean of 6").await?;
        s.until_text("step-prepare", "calibrated").await
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_watched_folder_fills_the_columns_while_the_camera_writes() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("card");
    std::fs::create_dir(&path)?;
    let options =
        Options { frames: 6, darks: 0, width: 480, height: 320, seed: 12, deflate: false };
    let card = Card { ground: 0, flats: 0, biases: 0, raw: true };
    let scene = NightSky::new(options)?;
    let frames = scene.card(&card);
    scene.write_card_frame(&path, &frames[0], true)?;
    let roots = vec![path.clone()];
    in_browser(&folder.path().join("data"), &roots, false, move |session| async move {
        let s = &*session;
        s.button("New shoot").await?.click().await?;
        s.first(By::Name("name")).await?.send_keys("Tonight").await?;
        s.click("kind-night-sky").await?;
        s.button("Make shoot").await?.click().await?;
        s.click("step-frames").await?;
        s.click("add-folder").await?;
        s.first(By::XPath("//*[@data-test='folders']//button[contains(., 'card')]"))
            .await?
            .click()
            .await?;
        s.click("watch").await?;
        s.until_text("add-pictures", "Add one frame").await?;
        s.click("add-pictures").await?;
        s.until_text("step-frames", "1 of 1 in").await?;
        s.until_text("watched", "frames appear as they are written").await?;
        for (i, frame) in frames.iter().enumerate().skip(1) {
            scene.write_card_frame(&path, frame, true)?;
            s.until_text("step-frames", &format!("{0} of {0} in", i + 1)).await?;
        }
        let columns = s.browser.find_all(By::Css("[data-test='columns'] [data-frame]")).await?;
        assert_eq!(columns.len(), frames.len());
        s.click("unwatch").await?;
        s.until("nothing is watched", || async {
            Ok(s.browser.find_all(By::Css("[data-test='watched']")).await?.is_empty())
        })
        .await?;
        s.click("undo").await?;
        s.until_text("watched", "frames appear as they are written").await
    })
    .await
}
