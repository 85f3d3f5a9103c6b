//! Mending an alignment by hand, and choosing between methods by what they reject.

use browser_tests::{Session, in_browser};
use jade_pixels::colour::Encoding;
use jade_pixels::write::{Picture, Target, write_picture};
use jade_scenes::frame_name;
use jade_scenes::kiln_yard::{self, KilnYard};
use jade_scenes::night_sky::{NightSky, Options};
use std::path::{Path, PathBuf};
use std::time::Duration;
use thirtyfour::prelude::*;

const WIDTH: u32 = 900;
const HEIGHT: u32 = 600;

fn sky() -> NightSky {
    let options =
        Options { frames: 6, darks: 0, width: WIDTH, height: HEIGHT, seed: 61, deflate: false };
    NightSky::new(options).unwrap()
}

/// Frames of the sky in a folder; in one of them clouds leave a small window.
fn clouded(folder: &Path, which: u32) {
    let scene = sky();
    scene.write(folder, |_, _| true).unwrap();
    let mut samples = scene.frame(which);
    for (i, pixel) in samples.chunks_exact_mut(3).enumerate() {
        let (x, y) = (i % WIDTH as usize, i / WIDTH as usize);
        if !(400..480).contains(&x) || !(100..170).contains(&y) {
            pixel.fill(9000);
        }
    }
    let encoding = Encoding::srgb();
    let picture =
        Picture { width: WIDTH, height: HEIGHT, channels: 3, encoding: &encoding, taken: None };
    let target = Target::Tiff { sixteen_bit: true, deflate: true };
    let row = WIDTH as usize * 3;
    write_picture(&folder.join(frame_name(which, 6)), target, &picture, &mut |y, out| {
        let from = y as usize * row;
        out.copy_from_slice(&samples[from..from + out.len()]);
        Ok(())
    })
    .unwrap();
}

async fn run(s: &Session, result: &str) -> anyhow::Result<()> {
    s.click("step-combine").await?;
    s.click("run").await?;
    s.until_text("results", result).await?;
    s.until("no run is under way", || async {
        Ok(s.browser.find_all(By::Css("[data-test='running']")).await?.is_empty())
    })
    .await
}

/// Clicks a place of the picture that fills a pane, and holds the button down as a careful hand does.
async fn click_at(s: &Session, pane: &str, [x, y]: [f64; 2]) -> anyhow::Result<()> {
    let rect = s.part(pane).await?.rect().await?;
    let view = s.part("view").await?;
    let whole = view.rect().await?;
    let scale = (rect.width / f64::from(WIDTH)).min(rect.height / f64::from(HEIGHT));
    let middle = [rect.x + rect.width / 2.0, rect.y + rect.height / 2.0];
    let at = [
        middle[0] + (x - f64::from(WIDTH) / 2.0) * scale,
        middle[1] + (y - f64::from(HEIGHT) / 2.0) * scale,
    ];
    let offset = [at[0] - whole.x - whole.width / 2.0, at[1] - whole.y - whole.height / 2.0];
    s.browser
        .action_chain_with_delay(None, Some(Duration::from_millis(400)))
        .move_to_element_with_offset(&view, offset[0] as i64, offset[1] as i64)
        .click_and_hold()
        .move_by_offset(0, 0)
        .release()
        .perform()
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_frame_that_fails_is_placed_by_pairs_set_by_hand() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let card = folder.path().join("card");
    clouded(&card, 1);
    in_browser(&folder.path().join("data"), &[card], false, |session| async move {
        let s = &*session;
        s.shoot_from_card("Clouds", "night-sky", 6).await?;
        run(s, "lipped mean of 5").await?;
        s.until_text("left-out", "f02.tif").await?;
        s.click("step-align").await?;
        s.until_text("verdict-f02.tif", "stars").await?;
        s.click("verdict-f02.tif").await?;
        // Wherever one looks, pairs begin with all of both pictures.
        s.click("mode-difference").await?;
        s.click("zoom-1").await?;
        s.click("by-hand").await?;
        s.settle().await?;
        let scene = sky();
        for (i, at) in [[410.0, 105.0], [470.0, 110.0], [430.0, 160.0]].into_iter().enumerate() {
            click_at(s, "pane-a", at).await?;
            click_at(s, "pane-b", scene.to_reference(1, at).unwrap()).await?;
            s.until(&format!("pair {} is whole", i + 1), || async {
                let marks = s.browser.find_all(By::Css("[data-test='mark']")).await?;
                Ok(marks.len() == 2 * (i + 1))
            })
            .await?;
        }
        s.until_text("hand-found", "px rms").await?;
        s.click("hand-keep").await?;
        run(s, "lipped mean of 6").await?;
        s.click("step-align").await?;
        s.until_text("verdict-f02.tif", "by hand").await?;
        // Before and after can be seen.
        s.click("verdict-f02.tif").await?;
        s.click("look-after").await?;
        s.until_text("pick-b", "aligned").await?;
        s.click("mode-difference").await?;
        s.click("look-before").await?;
        s.until_text("pick-b", "one exposure").await
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn two_methods_are_compared_and_rejections_shown() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let card: PathBuf = folder.path().join("card");
    let options =
        kiln_yard::Options { frames: 6, width: WIDTH, height: HEIGHT, seed: 62, deflate: false };
    KilnYard::new(options)?.write(&card, |_, _| true)?;
    in_browser(&folder.path().join("data"), &[card], false, |session| async move {
        let s = &*session;
        s.shoot_from_card("Yard", "low-light-burst", 6).await?;
        run(s, "lipped mean of 6").await?;
        s.until_text("step-align", "px rms").await?;
        s.until_text("frames-enough", "6 frames, measured").await?;
        s.click("method-lightest").await?;
        run(s, "ightest of 6").await?;
        // One result against the other.
        s.click("pick-a").await?;
        s.first(By::XPath("//li[@role='option'][contains(., 'clipped mean of 6')]")).await?.click().await?;
        s.until_text("pick-a", "clipped mean of 6").await?;
        s.until_text("pick-b", "lightest of 6").await?;
        // Only the clipped mean has rejections to show.
        s.first(By::XPath("//*[@data-test='results']//button[contains(., 'lipped mean')]"))
            .await?
            .click()
            .await?;
        s.until_text("rejected", "% rejected").await?;
        s.click("overlay-rejected").await?;
        s.until("the map is laid over the result", || async {
            let seen = "return performance.getEntriesByType('resource').filter(e => e.name.includes('/rejected-')).length";
            Ok(s.browser.execute(seen, vec![]).await?.convert::<u64>()? > 1)
        })
        .await
    })
    .await
}
