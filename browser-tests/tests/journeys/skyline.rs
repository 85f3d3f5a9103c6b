//! Sky and ground kept apart: found, corrected by strokes and brush, and joined.

use browser_tests::{Session, in_browser};
use jade_scenes::night_sky::{Card, Land, NightSky, Options, Purpose};
use std::path::Path;
use thirtyfour::prelude::*;

const SIZE: (u32, u32) = (900, 600);

fn lamps(folder: &Path) -> NightSky {
    let (width, height) = SIZE;
    let options = Options { frames: 6, darks: 0, width, height, seed: 31, deflate: false };
    let scene = NightSky::over(Land::Lamps, options, None).unwrap();
    scene.write(&folder.join("card"), |_, _| true).unwrap();
    // For a set of its own: the same ground, brighter.
    let ground = folder.join("ground");
    std::fs::create_dir(&ground).unwrap();
    let card = Card { ground: 2, flats: 0, biases: 0, raw: false };
    for frame in scene.card(&card).iter().filter(|one| one.purpose == Purpose::Ground) {
        scene.write_card_frame(&ground, frame, false).unwrap();
    }
    std::fs::remove_dir_all(folder.join("card/darks")).unwrap();
    std::fs::remove_dir_all(folder.join("card/truth")).unwrap();
    scene
}

/// The share of sky that the page's mask has at a pixel, 0 to 255, through its file.
async fn share(s: &Session, shoot: &str, [x, y]: [u32; 2]) -> anyhow::Result<u8> {
    let script = format!(
        "return (async () => {{
            const answer = await fetch('/api/shoots/{shoot}/skyline/mask.png');
            const picture = await createImageBitmap(await answer.blob());
            const board = new OffscreenCanvas(picture.width, picture.height).getContext('2d');
            board.drawImage(picture, 0, 0);
            return board.getImageData({x}, {y}, 1, 1).data[0];
        }})()"
    );
    let said = s.browser.execute(&script, vec![]).await?;
    Ok(said.json().as_u64().unwrap_or(999) as u8)
}

async fn shoot_number(s: &Session) -> anyhow::Result<String> {
    let address = s.browser.current_url().await?;
    Ok(address.path_segments().and_then(|mut parts| parts.next_back()).unwrap_or("").to_owned())
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_skyline_is_found_corrected_and_joined() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let scene = lamps(folder.path());
    let roots = [folder.path().join("card"), folder.path().join("ground")];
    in_browser(&folder.path().join("data"), &roots, false, move |session| async move {
        let s = &*session;
        s.shoot_from_card("Lamps", "night-sky", 6).await?;
        s.click("step-skyline").await?;
        // It is drawn without a click, and accepted with one.
        s.until_text("skyline-told", "% sky").await?;
        s.click("skyline-auto").await?;
        s.until_text("step-skyline", "not yet run").await?;
        s.part("skyline-strip").await?;
        s.first(By::Css("[data-test='mask-save'][href]")).await?;
        let shoot = shoot_number(s).await?;
        let truth = scene.sky_mask();
        let of = |x: u32, y: u32| truth[(y * SIZE.0 + x) as usize];
        let (sky, ground) = ([450, 60], [450, 590]);
        assert_eq!((share(s, &shoot, sky).await?, share(s, &shoot, ground).await?), (255, 0));

        // A lamp that someone takes for a part of the sky, and the stroke that says otherwise.
        let rows = (0..SIZE.1).rev();
        let lamp = rows
            .flat_map(|y| (20..SIZE.0 - 20).map(move |x| [x, y]))
            .filter(|[x, y]| *y < SIZE.1 / 2 && of(*x, *y) < 0.1)
            .min_by_key(|[_, y]| *y)
            .unwrap_or(ground);
        s.click("mode-one").await?;
        s.click("zoom-fit").await?;
        s.click("ground-stroke").await?;
        s.paint(SIZE, lamp).await?;
        s.until_text("stroke-count", "1 stroke").await?;
        s.until("the lamp is ground", || async { Ok(share(s, &shoot, lamp).await? < 40) }).await?;

        // The brush paints the mask itself; it is taken back, made again and survives a reload.
        s.click("ground-brush").await?;
        s.paint(SIZE, sky).await?;
        s.until_text("stroke-count", "2 strokes").await?;
        s.until("the brush painted", || async { Ok(share(s, &shoot, sky).await? == 0) }).await?;
        s.click("undo").await?;
        s.until_text("stroke-count", "1 stroke").await?;
        s.until("it is taken back", || async { Ok(share(s, &shoot, sky).await? == 255) }).await?;
        s.click("redo").await?;
        s.until_text("stroke-count", "2 strokes").await?;
        s.browser.refresh().await?;
        s.click("step-skyline").await?;
        s.until_text("stroke-count", "2 strokes").await?;
        s.until("it is still there", || async { Ok(share(s, &shoot, sky).await? == 0) }).await?;
        s.click("stroke-back").await?;
        s.until("it goes after a reload too", || async { Ok(share(s, &shoot, sky).await? == 255) })
            .await?;

        s.click("run").await?;
        s.until_text("skyline-report", "Ground noise reduced").await?;
        s.until_text("step-skyline", "% sky").await?;

        // The ground from a set of its own, as bright as the sky's frames.
        s.click("step-frames").await?;
        s.click("add-folder").await?;
        let folder = "//*[@data-test='folders']//button[contains(., 'ground')]";
        s.first(By::XPath(folder)).await?.click().await?;
        s.until_text("add-pictures", "Add 2 frames").await?;
        s.click("add-pictures").await?;
        s.until_text("proposed-sets", "Ground").await?;
        s.click("accept-sets").await?;
        s.until_text("step-frames", "6 of 6 in").await?;
        s.click("step-skyline").await?;
        let source = "//*[@data-test='ground-source']/option[starts-with(., 'Set: ')]";
        s.first(By::XPath(source)).await?.click().await?;
        let matched = s.part("matched").await?;
        for _ in 0..20 {
            matched.send_keys(Key::Right).await?;
        }
        s.until_text("matched-value", "100 %").await?;
        s.click("run").await?;
        s.until_text("skyline-report", "Ground made brighter by").await?;
        Ok(())
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn two_pages_paint_on_one_mask() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    lamps(folder.path());
    let roots = [folder.path().join("card")];
    in_browser(&folder.path().join("data"), &roots, false, move |session| async move {
        let s = &*session;
        s.shoot_from_card("Lamps", "night-sky", 6).await?;
        s.click("step-skyline").await?;
        s.click("skyline-auto").await?;
        s.until_text("skyline-told", "% sky").await?;
        s.click("mode-one").await?;
        s.click("zoom-fit").await?;
        s.click("ground-brush").await?;
        let (first, second) = ([300, 60], [600, 60]);
        s.paint(SIZE, first).await?;
        s.until_text("stroke-count", "1 stroke").await?;
        let shoot = shoot_number(s).await?;
        let address = s.browser.current_url().await?;

        // A second page sees it, and paints too.
        let one = s.browser.window().await?;
        let other = s.browser.new_tab().await?;
        s.browser.switch_to_window(other).await?;
        s.browser.goto(address.as_str()).await?;
        s.click("step-skyline").await?;
        s.until_text("stroke-count", "1 stroke").await?;
        s.click("mode-one").await?;
        s.click("zoom-fit").await?;
        s.click("ground-brush").await?;
        s.paint(SIZE, second).await?;
        s.until_text("stroke-count", "2 strokes").await?;

        // The first page follows; both have one history, in which the last stroke goes first.
        s.browser.switch_to_window(one).await?;
        s.until_text("stroke-count", "2 strokes").await?;
        s.until("both are painted", || async {
            Ok(share(s, &shoot, first).await? == 0 && share(s, &shoot, second).await? == 0)
        })
        .await?;
        s.click("undo").await?;
        s.until_text("stroke-count", "1 stroke").await?;
        s.until("the last stroke is gone", || async {
            Ok(share(s, &shoot, first).await? == 0 && share(s, &shoot, second).await? == 255)
        })
        .await?;
        s.click("redo").await?;
        s.until_text("stroke-count", "2 strokes").await?;
        s.click("undo").await?;
        s.click("undo").await?;
        s.until_text("stroke-count", "0 strokes").await?;
        Ok(())
    })
    .await
}
