use crate::house::{House, SIZE, settings};
use jade_pixels::colour::Encoding;
use jade_pixels::read::PictureFile;
use jade_pixels::write::{Picture, Taken, Target, write_mosaic, write_picture};
use jade_plan::WhiteBalance;
use jade_scenes::night_sky::{NightSky, Options};
use jade_server::types::{Added, FramesChange, Role, Shoot};
use std::path::Path;

/// A frame of the shoot whose upper part is behind a cloud.
fn clouded(frame: &Path, path: &Path) -> Vec<u8> {
    let file = PictureFile::open(frame).unwrap();
    let facts = file.facts().clone();
    let mut samples = Vec::new();
    file.rows(&mut |_, rows| {
        samples.extend_from_slice(rows);
        Ok(())
    })
    .unwrap();
    let (width, height) = SIZE;
    let cloud = width as usize * height as usize * 3 * 3 / 5;
    for (i, sample) in samples[..cloud].iter_mut().enumerate() {
        *sample = 13_000 + (i * 7919 % 1201) as u16;
    }
    let encoding = Encoding::srgb();
    let picture = Picture {
        width,
        height,
        channels: 3,
        encoding: &encoding,
        taken: Some(Taken { facts: &facts, stack: None, place: true }),
    };
    let row = width as usize * 3;
    write_picture(
        path,
        Target::Tiff { sixteen_bit: true, deflate: false },
        &picture,
        &mut |y, out| {
            let from = y as usize * row;
            out.copy_from_slice(&samples[from..from + out.len()]);
            Ok(())
        },
    )
    .unwrap();
    std::fs::read(path).unwrap()
}

#[tokio::test]
async fn frames_are_measured_as_they_come_and_a_clouded_one_is_doubted_until_it_is_kept() {
    let house = House::new(8);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let whole = guest.measured(shoot.id).await;
    assert_eq!(whole.doubts, [], "nothing is wrong with these");
    for frame in &whole.frames {
        let measures = frame.measures.as_ref().unwrap();
        assert!(measures.stars > 25, "{}: {} stars", frame.name, measures.stars);
        let width = measures.star_width_px.unwrap();
        assert!((1.5..4.0).contains(&width), "{}: {width} px", frame.name);
        assert!((0.001..0.3).contains(&measures.level), "{}: {}", frame.name, measures.level);
    }
    let bytes = clouded(&house.frames[3], &house.card().join("clouded.tif"));
    let added = guest.upload(shoot.id, "clouded.tif", bytes).await.frame.unwrap();
    let doubted = guest.measured(shoot.id).await;
    let ids: Vec<i64> = doubted.doubts.iter().map(|d| d.frame_id).collect();
    assert_eq!(ids, [added.id]);
    assert!(doubted.doubts[0].reason.contains("stars"), "{}", doubted.doubts[0].reason);

    let path = format!("shoots/{}/frames", shoot.id);
    let mut change = FramesChange {
        ids: vec![added.id],
        left_out: None,
        role: None,
        set_id: None,
        kept: Some(true),
    };
    let kept: Shoot = guest.post(&path, &change).await;
    assert_eq!(kept.doubts, []);
    change.kept = Some(false);
    let again: Shoot = guest.post(&path, &change).await;
    assert_eq!(again.doubts, doubted.doubts);
    change.left_out = Some(true);
    let without: Shoot = guest.post(&path, &change).await;
    assert_eq!(without.doubts, [], "what is left out already needs no doubt");
}

#[tokio::test]
async fn raw_frames_that_the_camera_balanced_otherwise_are_not_doubted_and_get_one_balance() {
    let house = House::new(0);
    let (width, height) = SIZE;
    let options = Options { frames: 7, darks: 0, width, height, seed: 65, deflate: false };
    let sky = NightSky::new(options).unwrap();
    for i in 0..7 {
        let mut mosaic = sky.raw_frame(i);
        if i == 3 {
            mosaic.sensor.neutral = Some([0.62, 1.0, 0.5]);
        }
        let path = house.card().join(format!("f{i}.dng"));
        write_mosaic(&path, &mosaic, &sky.raw_facts(i, 30.0)).unwrap();
    }
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let wish = serde_json::json!({ "path": house.card(), "role": Role::Light });
    let added: Vec<Added> = guest.post(&format!("shoots/{}/folder", shoot.id), &wish).await;
    let odd = added[3].frame.as_ref().unwrap();
    assert_eq!(odd.facts.as_ref().unwrap().neutral.unwrap()[1], 1.0);
    let shoot = guest.measured(shoot.id).await;
    let [usual, tinted] =
        [2, 3].map(|i| shoot.frames[i].measures.as_ref().unwrap().colour.unwrap());
    assert!(tinted[0] < 0.85 * usual[0], "it looks otherwise: {tinted:?} {usual:?}");
    assert_eq!(shoot.doubts, []);
    let check = shoot.checks.iter().find(|check| check.balance).unwrap();
    assert_eq!((&check.frame_ids[..], check.leave_out), (&[odd.id][..], false));
    let mut plan = shoot.plan.clone();
    plan.prepare.white_balance = WhiteBalance::Light { kelvin: 5000.0, tint: 0.0 };
    let change = settings(&plan);
    let alike: Shoot = guest.patch(&format!("shoots/{}", shoot.id), &change).await;
    assert!(alike.checks.iter().all(|check| !check.balance), "{:?}", alike.checks);
}
