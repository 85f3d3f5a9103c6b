//! The job as a person does it, from a folder of files to a saved picture.

use browser_tests::{Session, in_browser};
use jade_pixels::read::PictureFile;
use jade_scenes::night_sky::{NightSky, Options};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use thirtyfour::prelude::*;

/// A hand moves slowly enough for the page to follow.
const SLOWLY: std::time::Duration = std::time::Duration::from_millis(50);

/// Frames of the simulated camera in a folder, as a card holds them.
pub fn card(folder: &Path, frames: u32, (width, height): (u32, u32)) -> Vec<PathBuf> {
    let scene =
        NightSky::new(Options { frames, darks: 1, width, height, seed: 31, deflate: false })
            .unwrap();
    scene.write(folder, |_, _| true).unwrap();
    (1..=frames).map(|i| folder.join(format!("f{i:02}.tif"))).collect()
}

/// Gives files to the page's file input, as the system's dialog would.
pub async fn choose(s: &Session, files: &[PathBuf]) -> anyhow::Result<()> {
    let paths: Vec<&str> = files.iter().map(|f| f.to_str().unwrap()).collect();
    Ok(s.browser.find(By::Css("[data-test='files']")).await?.send_keys(paths.join("\n")).await?)
}

pub async fn make_shoot(s: &Session, name: &str) -> anyhow::Result<()> {
    s.button("New shoot").await?.click().await?;
    s.first(By::Name("name")).await?.send_keys(name).await?;
    s.click("kind-night-sky").await?;
    s.button("Make shoot").await?.click().await?;
    s.click("step-frames").await
}

async fn no_run_is_under_way(s: &Session) -> anyhow::Result<()> {
    s.until("no run is under way", || async {
        Ok(s.browser.find_all(By::Css("[data-test='running']")).await?.is_empty())
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn from_files_to_a_saved_picture() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let frames = card(&folder.path().join("card"), 7, (900, 600));
    let data = folder.path().join("data");
    let kept = data.clone();
    in_browser(&data, &[], false, move |session| whole_job(session, frames, kept)).await?;
    // Somebody deletes the pictures while the server is down. The shoot's card says so, and another
    // run makes them again.
    for folder in ["cache", "results"] {
        std::fs::remove_dir_all(data.join(folder))?;
    }
    in_browser(&data, &[], false, |session| async move {
        let s = &*session;
        s.until_text("shoot", "picture not kept; run again").await?;
        s.first(By::Css("[data-test='shoot'] a")).await?.click().await?;
        s.click("step-combine").await?;
        s.click("run").await?;
        s.until_text("results", "ean of 6").await?;
        no_run_is_under_way(s).await?;
        s.goto("/").await?;
        const DRAWN: &str =
            "return document.querySelector('[data-test=shoot] img')?.naturalWidth > 0";
        s.until("the card shows the new picture", || async {
            Ok(s.browser.execute(DRAWN, vec![]).await?.json() == true)
        })
        .await
    })
    .await
}

async fn whole_job(
    session: Arc<Session>,
    frames: Vec<PathBuf>,
    data: PathBuf,
) -> anyhow::Result<()> {
    let s = &*session;
    // An empty first page says what to do.
    s.button("Name the first shoot").await?;
    make_shoot(s, "Salt pan \"one\" / north").await?;

    choose(s, &frames).await?;
    s.until_text("step-frames", "7 of 7 in").await?;
    s.until_text("frame-facts", "900 × 600 px").await?;
    for said in ["16 bit TIFF", "8 s", "6400", "f/2", "2026-03-14"] {
        s.until_text("frame-facts", said).await?;
    }
    // Adding the same file again is noticed.
    choose(s, &frames[..1]).await?;
    s.until_text("notice", "f01.tif is there already").await?;

    // Leave one out, see it, and take it back by undo; then leave it out by key.
    s.column("f02.tif").await?.click().await?;
    s.until_text("told", "900 × 600 · 16 bit · 8 s · ISO 6400").await?;
    s.click("leave-out").await?;
    s.until_text("step-frames", "6 of 7 in").await?;
    s.click("undo").await?;
    s.until_text("step-frames", "7 of 7 in").await?;
    s.column("f02.tif").await?.send_keys("l").await?;
    s.until_text("step-frames", "6 of 7 in").await?;
    // Dragging across columns leaves out several at once.
    let (from, to) = (s.column("f06.tif").await?, s.column("f07.tif").await?);
    s.browser
        .action_chain_with_delay(Some(SLOWLY), Some(SLOWLY))
        .drag_and_drop_element(&from, &to)
        .perform()
        .await?;
    s.until_text("step-frames", "4 of 7 in").await?;
    s.click("undo").await?;
    s.until_text("step-frames", "6 of 7 in").await?;
    // Another reference frame.
    s.column("f03.tif").await?.click().await?;
    s.click("make-reference").await?;
    s.until_text("frame-facts", "reference").await?;

    // Choose, run, and run again with another method.
    s.click("step-align").await?;
    s.click("align-stars").await?;
    s.click("step-combine").await?;
    s.click("method-median").await?;
    s.click("run").await?;
    s.until_text("results", "edian of 6").await?;
    no_run_is_under_way(s).await?;
    s.click("method-mean").await?;
    s.until_text("step-combine", "changed").await?;
    s.click("run").await?;
    s.until_text("results", "ean of 6").await?;
    no_run_is_under_way(s).await?;
    let results = s.browser.find_all(By::Css("[data-test='results'] li")).await?;
    assert_eq!(results.len(), 2, "both results are kept");

    // Compare: drag the split, look beside, blink, one to one.
    let handle = s.part("split-handle").await?;
    assert_eq!(handle.attr("aria-valuenow").await?.as_deref(), Some("50"));
    s.browser
        .action_chain_with_delay(Some(SLOWLY), Some(SLOWLY))
        .drag_and_drop_element_by_offset(&handle, 180, 0)
        .perform()
        .await?;
    let cut: i32 = handle.attr("aria-valuenow").await?.unwrap_or_default().parse()?;
    let width = s.part("view").await?.rect().await?.width;
    let off = f64::from(cut) - (50.0 + 180.0 / width * 100.0);
    assert!(off.abs() < 2.0, "the split follows the hand: {cut} % of {width}");
    let clip = s.part("pane-b").await?.css_value("clip-path").await?;
    let begins = clip.rsplit(' ').next().and_then(|c| c.trim_end_matches("%)").parse::<f64>().ok());
    let off = begins.map(|b| (b - f64::from(cut)).abs());
    assert!(off.is_some_and(|off| off < 0.6), "side B begins at the split: {clip}");
    s.click("zoom-1").await?;
    s.until_text("scale", "100 %").await?;
    s.click("mode-beside").await?;
    s.settle().await?;
    let [a, b] = [s.part("pane-a").await?.rect().await?, s.part("pane-b").await?.rect().await?];
    assert!((a.width - b.width).abs() < 1.0 && b.x >= a.x + a.width - 1.0, "side by side");
    s.click("mode-blink").await?;
    s.until("blink shows side B now and then", || async {
        Ok(s.part("pane-b").await?.css_value("visibility").await? == "visible")
    })
    .await?;
    s.click("mode-split").await?;
    let tiles = "return performance.getEntriesByType('resource').filter(e => e.name.includes('/tiles/')).length";
    let count: u64 = s.browser.execute(tiles, vec![]).await?.convert()?;
    assert!(count > 4, "the picture comes as tiles: {count}");

    // A probe on the sky shows both sides and the gain.
    s.click("pin").await?;
    let view = s.part("view").await?;
    s.browser
        .action_chain()
        .move_to_element_with_offset(&view, -60, -120)
        .click()
        .perform()
        .await?;
    s.until_text("gain", "noise ÷").await?;
    let gain: f64 = s.part("gain").await?.text().await?.trim_start_matches("noise ÷ ").parse()?;
    assert!((1.8..4.0).contains(&gain), "gain of six frames: {gain}");
    s.until_text("ideal", "√6 = 2.45").await?;
    assert_eq!(s.browser.find_all(By::Css("[data-test='probe'] img")).await?.len(), 2);

    // Save in each format; the files are there, with the plan beside them.
    s.click("step-export").await?;
    for (format, ending) in [("tiff16", "tif"), ("png16", "png"), ("jpeg", "jpg")] {
        s.click(&format!("format-{format}")).await?;
        s.click("save").await?;
        s.until_text("saved", &format!(".{ending}")).await?;
    }
    let exports: Vec<PathBuf> = std::fs::read_dir(data.join("exports"))?
        .map(|e| e.map(|e| e.path()))
        .collect::<Result<_, _>>()?;
    assert_eq!(exports.len(), 4, "{exports:?}");
    for path in exports {
        if path.extension().is_some_and(|e| e == "json") {
            let record: serde_json::Value = serde_json::from_slice(&std::fs::read(path)?)?;
            assert_eq!(record["plan"]["combine"]["method"], "mean");
            assert_eq!(record["reference"], "f03.tif");
        } else {
            let picture = PictureFile::open(&path)?;
            assert_eq!(picture.facts().profile.as_deref(), Some("sRGB"), "{}", path.display());
        }
    }

    // The first page shows the shoot; rename it, delete it, and take both back.
    s.goto("/").await?;
    s.until_text("shoot", "result ready").await?;
    s.first(By::Css("[aria-label^='More for']")).await?.click().await?;
    s.button("Rename").await?.click().await?;
    let field = s.first(By::Css("[data-test='shoot'] input")).await?;
    field.send_keys(Key::Control + "a").await?;
    field.send_keys("Salt pan south").await?;
    field.send_keys(Key::Enter + "").await?;
    s.until_text("shoot", "Salt pan south").await?;
    s.first(By::Css("[aria-label^='More for']")).await?.click().await?;
    s.button("Delete").await?.click().await?;
    s.until_text("notice", "Deleted “Salt pan south”").await?;
    s.until("the shoot is gone", || async {
        Ok(s.browser.find_all(By::Css("[data-test='shoot']")).await?.is_empty())
    })
    .await?;
    s.first(By::XPath("//*[@data-test='notice'][contains(., 'Deleted')]//button[.='Undo']"))
        .await?
        .click()
        .await?;
    s.until_text("shoot", "Salt pan south").await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_broken_file_is_listed_and_the_others_go_on() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let mut files = card(&folder.path().join("card"), 3, (600, 400));
    let cut = folder.path().join("cut.tif");
    let bytes = std::fs::read(&files[0])?;
    std::fs::write(&cut, &bytes[..bytes.len() / 2])?;
    let text = folder.path().join("notes.tif");
    std::fs::write(&text, "the moon sets at four")?;
    let other = card(&folder.path().join("other"), 1, (300, 200)).remove(0);
    let small = folder.path().join("small.tif");
    std::fs::rename(other, &small)?;
    files.extend([cut, text, small]);
    in_browser(&folder.path().join("data"), &[], false, move |session| async move {
        let s = &*session;
        make_shoot(s, "Spoiled").await?;
        choose(s, &files).await?;
        s.until_text("unreadable", "2 files cannot be read").await?;
        s.until_text("unreadable", "cut.tif: the file is cut short").await?;
        s.until_text("unreadable", "notes.tif: this is not a camera raw").await?;
        s.until_text("step-frames", "4 of 4 in").await?;
        // The frame of another size is left out by the run, with its reason.
        s.click("step-combine").await?;
        s.click("run").await?;
        s.until_text("results", "ean of 3").await?;
        s.until_text("left-out", "small.tif It is 300 x 200 pixels").await?;
        // What cannot be read can be taken off the list.
        s.click("step-frames").await?;
        s.first(By::Css("[aria-label='Dismiss cut.tif']")).await?.click().await?;
        s.until_text("unreadable", "1 file cannot be read").await
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_run_goes_on_while_the_page_is_reloaded_and_after_it_was_stopped() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let card_folder = folder.path().join("card");
    // Large enough that the run outlasts the way to the first page and back.
    card(&card_folder, 14, (3000, 2000));
    in_browser(&folder.path().join("data"), &[card_folder], false, |session| async move {
        let s = &*session;
        make_shoot(s, "Long one").await?;
        s.click("add-folder").await?;
        s.first(By::XPath("//*[@data-test='folders']//button[contains(., 'card')]"))
            .await?
            .click()
            .await?;
        s.until_text("add-pictures", "Add 14 frames").await?;
        s.click("add-pictures").await?;
        s.until_text("step-frames", "14 of 14 in").await?;
        s.until_text("frame-facts", "stays in its folder").await?;
        s.click("run").await?;
        s.until_text("running", " of ").await?;
        s.browser.refresh().await?;
        s.until_text("running", " of ").await?;
        s.goto("/").await?;
        s.until_text("shoot", "running").await?;
        s.first(By::LinkText("Long one")).await?.click().await?;
        s.click("stop").await?;
        s.until_text("stopped", "The last run was stopped.").await?;
        s.click("resume").await?;
        s.click("step-combine").await?;
        s.until_text("results", "ean of 14").await
    })
    .await
}
