//! Judging frames before anything is stacked.

use browser_tests::{Session, in_browser};
use jade_pixels::colour::Encoding;
use jade_pixels::write::{Picture, Taken, Target, write_picture};
use jade_scenes::frame_name;
use jade_scenes::night_sky::{NightSky, Options};
use std::path::Path;
use thirtyfour::prelude::*;

const WIDTH: u32 = 600;
const HEIGHT: u32 = 400;
const FRAMES: u32 = 8;

/// Frames of a sky; over one of them a cloud has come down to the horizon.
fn card(folder: &Path, which: u32) {
    let options = Options {
        frames: FRAMES,
        darks: 0,
        width: WIDTH,
        height: HEIGHT,
        seed: 71,
        deflate: false,
    };
    let scene = NightSky::new(options).unwrap();
    scene.write(folder, |_, _| true).unwrap();
    let mut samples = scene.frame(which);
    let row = WIDTH as usize * 3;
    // As noisy as the sky: a plain surface has no noise that lights could stand out from.
    let mut state = 1u64;
    for sample in &mut samples[..row * 290] {
        let mut sum = 0;
        for _ in 0..6 {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            sum += (state >> 40) as u32 % 1500;
        }
        *sample = 8000 + sum as u16;
    }
    let (encoding, facts) = (Encoding::srgb(), scene.facts(which));
    let picture = Picture {
        width: WIDTH,
        height: HEIGHT,
        channels: 3,
        encoding: &encoding,
        taken: Some(Taken { facts: &facts, stack: None, place: true }),
    };
    let target = Target::Tiff { sixteen_bit: true, deflate: false };
    write_picture(&folder.join(frame_name(which, FRAMES)), target, &picture, &mut |y, out| {
        let from = y as usize * row;
        out.copy_from_slice(&samples[from..from + out.len()]);
        Ok(())
    })
    .unwrap();
}

async fn no_doubts(s: &Session) -> anyhow::Result<()> {
    s.until("nothing is doubted", || async {
        Ok(s.browser.find_all(By::Css("[data-test='doubts']")).await?.is_empty())
    })
    .await
}

async fn labelled(s: &Session, label: &str) -> anyhow::Result<WebElement> {
    s.first(By::Css(format!("button[aria-label='{label}']"))).await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_clouded_frame_is_doubted_and_left_out_or_kept() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("card");
    card(&path, 2);
    in_browser(&folder.path().join("data"), &[path], false, |session| async move {
        let s = &*session;
        s.shoot_from_card("Clouds", "night-sky", FRAMES as usize).await?;
        s.until_text("doubts", "f03.tif").await?;
        s.until_text("doubts", "stars where its neighbours show").await?;
        labelled(s, "Leave out f03.tif").await?.click().await?;
        s.until_text("step-frames", "7 of 8 in").await?;
        no_doubts(s).await?;
        s.click("undo").await?;
        s.until_text("step-frames", "8 of 8 in").await?;
        s.until_text("doubts", "f03.tif").await?;
        labelled(s, "Keep f03.tif").await?.click().await?;
        no_doubts(s).await?;
        s.until_text("step-frames", "8 of 8 in").await?;
        // What was measured stands with the facts.
        s.first(By::Css("[data-frame]")).await?.click().await?;
        s.until_text("frame-facts", "Stars found").await?;
        s.until_text("frame-facts", "of white").await
    })
    .await
}
