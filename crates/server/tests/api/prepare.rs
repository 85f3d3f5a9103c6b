use crate::house::{Guest, House, SIZE, settings};
use jade_engine::LensFound;
use jade_plan::WhiteBalance;
use jade_scenes::night_sky::{NightSky, Options};
use jade_server::types::{
    Added, FrameColour, Grey, Histogram, JobState, LensFrom, LensWish, Measured, PictureInfo, Role,
    Shoot,
};
use reqwest::Method;

/// A shoot of raw frames with darks and flats, all from the card.
async fn raw_shoot(house: &House, guest: &Guest) -> Shoot {
    let (width, height) = SIZE;
    let options = Options { frames: 4, darks: 3, width, height, seed: 65, deflate: false };
    NightSky::new(options).unwrap().write_raw(&house.card(), 3, 0, |_, _| true).unwrap();
    let shoot = guest.shoot("Mast").await;
    for (folder, role) in [("", Role::Light), ("darks", Role::Dark), ("flats", Role::Flat)] {
        let wish = serde_json::json!({ "path": house.card().join(folder), "role": role });
        let added: Vec<Added> = guest.post(&format!("shoots/{}/folder", shoot.id), &wish).await;
        assert!(added.iter().all(|a| a.frame.as_ref().unwrap().problem.is_none()), "{added:?}");
    }
    guest.get(&format!("shoots/{}", shoot.id)).await
}

async fn with_balance(guest: &Guest, shoot: &Shoot, balance: WhiteBalance) -> Shoot {
    let mut plan = shoot.plan.clone();
    plan.prepare.white_balance = balance;
    let change = settings(&plan);
    guest.patch(&format!("shoots/{}", shoot.id), &change).await
}

#[tokio::test]
async fn a_raw_frame_tells_its_light_and_is_seen_under_another_at_once() {
    let house = House::new(0);
    let guest = house.open().await;
    let shoot = raw_shoot(&house, &guest).await;
    let frame = shoot.frames[0].id;
    let colour: FrameColour = guest.get(&format!("frames/{frame}/colour")).await;
    let light = colour.light.unwrap();
    assert!(colour.raw && (2500.0..8000.0).contains(&light.kelvin), "{light:?}");

    let source = format!("pictures/frame-{frame}");
    let before: PictureInfo = guest.get(&source).await;
    let patch = format!("{source}/measure?x=150&y=40&size=64");
    let level = async |guest: &Guest| {
        let measured: Measured = guest.get(&patch).await;
        measured.figures.unwrap().level
    };
    let as_shot = level(&guest).await;
    let blue = WhiteBalance::Light { kelvin: 2600.0, tint: 0.0 };
    with_balance(&guest, &shoot, blue).await;
    let after: PictureInfo = guest.get(&source).await;
    assert_ne!(before.version, after.version);
    assert!((level(&guest).await / as_shot - 1.0).abs() > 0.02, "the patch looks otherwise");

    // A patch of ground is picked; its colours are equal then.
    let grey: Grey = guest.get(&format!("frames/{frame}/grey?x=200&y=270")).await;
    let balanced = with_balance(&guest, &shoot, WhiteBalance::Neutral { grey: grey.grey }).await;
    assert_eq!(balanced.plan.prepare.white_balance, WhiteBalance::Neutral { grey: grey.grey });
}

#[tokio::test]
async fn a_run_is_calibrated_with_the_darks_and_flats_that_are_in() {
    let house = House::new(0);
    let guest = house.open().await;
    let shoot = raw_shoot(&house, &guest).await;
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    let corner = async |result: i64| {
        let (width, height) = (SIZE.0 - 60, SIZE.1 - 60);
        let path = format!("pictures/result-{result}/measure?x={width}&y={height}&size=32");
        let measured: Measured = guest.get(&path).await;
        measured.figures.unwrap().level
    };
    let with: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let calibrated = corner(with.results[0].id).await;
    // Left out, they are not used.
    let others: Vec<i64> =
        shoot.frames.iter().filter(|f| f.role != Role::Light).map(|f| f.id).collect();
    assert_eq!(others.len(), 6);
    let change = serde_json::json!({ "ids": others, "left_out": true });
    guest.post::<Shoot>(&format!("shoots/{}/frames", shoot.id), &change).await;
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    let without: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    assert_eq!(without.results.len(), 2);
    let glowing = corner(without.results[0].id).await;
    assert!(glowing > calibrated + 0.01, "the corner: {calibrated} with darks, {glowing} without");
}

#[tokio::test]
async fn a_frame_is_shown_as_it_came_and_as_a_run_calibrates_it() {
    let house = House::new(0);
    let guest = house.open().await;
    let shoot = raw_shoot(&house, &guest).await;
    let frame = shoot.frames[0].id;
    let corner = async |source: &str| {
        let (x, y) = (SIZE.0 - 60, SIZE.1 - 60);
        let path = format!("pictures/{source}-{frame}/measure?x={x}&y={y}&size=32");
        let measured: Measured = guest.get(&path).await;
        measured.figures.unwrap().level
    };
    let (original, calibrated) = (corner("original").await, corner("calibrated").await);
    assert_eq!(original, corner("frame").await, "nothing is set yet");
    assert!(original > calibrated + 0.01, "the glow in the corner: {original}, {calibrated}");
    // Without those that are left out there is nothing to calibrate with but the lights.
    let others: Vec<i64> =
        shoot.frames.iter().filter(|f| f.role != Role::Light).map(|f| f.id).collect();
    let change = serde_json::json!({ "ids": others, "left_out": true });
    guest.post::<Shoot>(&format!("shoots/{}/frames", shoot.id), &change).await;
    assert!(corner("calibrated").await > calibrated + 0.01);
}

#[tokio::test]
async fn the_lens_is_found_from_flats_and_not_from_a_sky_that_hardly_turned() {
    let house = House::new(0);
    let guest = house.open().await;
    let shoot = raw_shoot(&house, &guest).await;
    let path = format!("shoots/{}/lens", shoot.id);
    let found: LensFound = guest.post(&path, &LensWish { from: LensFrom::Flats }).await;
    let corner = found.corner_light.unwrap();
    assert!((corner - 0.62).abs() < 0.02, "{corner}");
    assert_eq!(found.lens.distortion, [0.0; 2]);
    let wish = LensWish { from: LensFrom::Stars };
    let (_, refused) = guest.refused(guest.ask(Method::POST, &path).json(&wish)).await;
    assert!(refused.contains("Distortion: ") && refused.contains("Lateral colour: "), "{refused}");

    // A patch is measured where the lens drew what is seen there.
    let frame = shoot.frames[0].id;
    let version = async || {
        let info: PictureInfo = guest.get(&format!("pictures/frame-{frame}")).await;
        info.version
    };
    let before = version().await;
    let mut plan = shoot.plan.clone();
    plan.prepare.lens.distortion = [0.05, 0.0];
    let change = settings(&plan);
    guest.patch::<Shoot>(&format!("shoots/{}", shoot.id), &change).await;
    assert_ne!(version().await, before);
    let patch = format!("pictures/frame-{frame}/measure?x=20&y=20&size=32");
    let measured: Measured = guest.get(&patch).await;
    assert!(measured.figures.unwrap().noise > 0.0);
    plan.prepare.lens.distortion = [0.5, 0.0];
    let change = settings(&plan);
    let request = guest.ask(Method::PATCH, &format!("shoots/{}", shoot.id)).json(&change);
    let (_, said) = guest.refused(request).await;
    assert!(said.contains("No lens bends a picture"), "{said}");
}

#[tokio::test]
async fn a_treatment_out_of_range_is_refused_with_a_sentence() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let mut plan = shoot.plan.clone();
    plan.prepare.gain_ev = 9.0;
    let change = settings(&plan);
    let request = guest.ask(Method::PATCH, &format!("shoots/{}", shoot.id)).json(&change);
    let (_, problem) = guest.refused(request).await;
    assert!(problem.contains("9 stops; choose from -5 to 5"), "{problem}");
}

#[tokio::test]
async fn a_histogram_tells_what_is_there_and_what_is_clipped() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let source = format!("pictures/frame-{}", shoot.frames[0].id);
    let before: Histogram = guest.get(&format!("{source}/histogram")).await;
    let pixels = |h: &Histogram| h.bins.each_ref().map(|bins| bins.iter().sum::<u32>());
    assert_eq!(pixels(&before), [SIZE.0 * SIZE.1; 3]);
    assert!(before.white < 0.01 && before.black < 0.01, "{} {}", before.white, before.black);
    // Four stops brighter, much of the horizon's glow is white.
    let mut plan = shoot.plan.clone();
    plan.prepare.gain_ev = 4.0;
    let change = settings(&plan);
    guest.patch::<Shoot>(&format!("shoots/{}", shoot.id), &change).await;
    let after: Histogram = guest.get(&format!("{source}/histogram")).await;
    assert!(after.white > before.white + 0.05, "{} {}", after.white, before.white);
    let middle = |h: &Histogram| {
        h.bins[1].iter().enumerate().map(|(i, n)| i as u64 * u64::from(*n)).sum::<u64>()
    };
    assert!(middle(&after) > 2 * middle(&before));
}

#[tokio::test]
async fn colours_are_exaggerated_to_check_them_and_brightness_stays() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let tile = format!("pictures/frame-{}/tiles/1/0_0.png", shoot.frames[0].id);
    let seen = async |query: &str| {
        let answer = guest.ask(Method::GET, &format!("{tile}?{query}")).send().await.unwrap();
        let bytes = answer.bytes().await.unwrap();
        let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
        let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
        reader.next_frame(&mut pixels).unwrap();
        pixels
    };
    let colour = |pixels: &[u8]| -> u64 {
        pixels.chunks_exact(3).map(|p| u64::from(p[0].abs_diff(p[2]))).sum()
    };
    let (plain, strong) = (seen("stops=2").await, seen("stops=2&colours=true").await);
    assert!(colour(&strong) > 2 * colour(&plain), "{} {}", colour(&strong), colour(&plain));
}
