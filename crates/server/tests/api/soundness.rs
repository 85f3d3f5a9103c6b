//! What may be wrong with files, names and the store, and must harm nothing else.

use crate::house::{Guest, House, SIZE};
use jade_pixels::colour::Encoding;
use jade_pixels::write::{Picture, Target, write_picture};
use jade_plan::AlignMode;
use jade_server::types::{
    Added, Histogram, Job, JobState, Measured, PictureInfo, Role, Shoot, ShootCard,
};
use reqwest::{Method, StatusCode};
use serde_json::json;
use sqlx::sqlite::SqliteConnectOptions;
use sqlx::{Connection, SqliteConnection};
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::time::{Duration, Instant};

async fn store(house: &House) -> SqliteConnection {
    let path = house.data().join("jade-stack.sqlite");
    SqliteConnection::connect_with(&SqliteConnectOptions::new().filename(path)).await.unwrap()
}

async fn add(guest: &Guest, shoot: i64, folder: &Path) -> Vec<Added> {
    let wish = json!({ "path": folder, "role": Role::Light });
    guest.post(&format!("shoots/{shoot}/folder"), &wish).await
}

/// A run whose end cannot be written: it ends all the same, and goes on once it can be.
#[tokio::test]
async fn a_run_ends_also_while_the_store_cannot_be_written() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await.id;
    guest.measured(shoot).await;
    let mut other = store(&house).await;
    let job: Job = guest.post(&format!("shoots/{shoot}/runs"), &()).await;
    while guest.get::<Job>(&format!("jobs/{}", job.id)).await.state == JobState::Queued {
        tokio::time::sleep(Duration::from_millis(2)).await;
    }
    // As a full disk would, somebody else keeps it from being written.
    sqlx::query("BEGIN IMMEDIATE").execute(&mut other).await.unwrap();
    let path = format!("shoots/{shoot}");
    let failed = guest.ended(job.id).await;
    assert_eq!(failed.state, JobState::Failed);
    assert!(failed.problem.unwrap().ends_with('.'));
    let resume = format!("jobs/{}/resume", job.id);
    let (_, problem) = guest.refused(guest.ask(Method::POST, &resume).json(&())).await;
    assert!(problem.contains("cannot be noted yet"), "{problem}");
    sqlx::query("ROLLBACK").execute(&mut other).await.unwrap();
    let begun = Instant::now();
    while !guest.ask(Method::POST, &resume).json(&()).send().await.unwrap().status().is_success() {
        assert!(begun.elapsed() < Duration::from_secs(60), "the end is never noted");
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    assert_eq!(guest.ended(job.id).await.state, JobState::Done);
    assert_eq!(guest.get::<Shoot>(&path).await.results.len(), 1);
}

#[tokio::test]
async fn rows_that_cannot_be_read_lock_nothing_else() {
    let house = House::new(4);
    let guest = house.open().await;
    let good = guest.filled(&house).await.id;
    assert_eq!(guest.run(good).await.state, JobState::Done);
    guest.measured(good).await;
    let bad = guest.shoot("Salt").await.id;
    add(&guest, bad, &house.card()).await;
    guest.measured(bad).await;
    guest.close().await;
    let mut other = store(&house).await;
    for spoil in [
        format!("UPDATE frames SET measures = '{{\"stars\":null}}' WHERE shoot_id = {bad}"),
        format!(
            "UPDATE frames SET facts = '[]' WHERE id = (SELECT min(id) FROM frames WHERE shoot_id = {bad})"
        ),
        format!("UPDATE shoots SET plan = '{{\"version\":1e999}}' WHERE id = {bad}"),
        "UPDATE results SET report = 'half a rep'".to_owned(),
    ] {
        sqlx::query(sqlx::AssertSqlSafe(spoil)).execute(&mut other).await.unwrap();
    }
    other.close().await.unwrap();
    let guest = house.open().await;
    assert_eq!(guest.get::<Vec<ShootCard>>("shoots").await.len(), 2);
    // Figures are found again; a frame of which nothing is known says what to do.
    for _ in 0..600 {
        let now: Shoot = guest.get(&format!("shoots/{bad}")).await;
        if now.frames.iter().filter(|frame| frame.measures.is_some()).count() == 3 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let now: Shoot = guest.get(&format!("shoots/{bad}")).await;
    let problems: Vec<&str> =
        now.frames.iter().filter_map(|frame| frame.problem.as_deref()).collect();
    assert!(problems.len() == 1 && problems[0].contains("add it again"), "{problems:?}");
    assert_eq!(guest.run(bad).await.state, JobState::Done);
    // The other shoot runs again as well; the damaged result alone is passed over.
    assert_eq!(guest.run(good).await.state, JobState::Done);
    assert_eq!(guest.get::<Shoot>(&format!("shoots/{good}")).await.results.len(), 1);
}

#[tokio::test]
async fn names_that_are_no_text_are_found_again() {
    let house = House::new(3);
    let odd = house.card().join(OsStr::from_bytes(b"n\xe4cht \xff.tif"));
    std::fs::rename(&house.frames[0], &odd).unwrap();
    let folder = house.card().join(OsStr::from_bytes(b"\xfckarte"));
    std::fs::create_dir(&folder).unwrap();
    std::fs::rename(&house.frames[1], folder.join("f.tif")).unwrap();
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await.id;
    assert_eq!(add(&guest, shoot, &house.card()).await.len(), 2);
    // The folder within is opened as it is listed.
    let listed: serde_json::Value =
        guest.get(&format!("folders?path={}", house.card().display()).replace(' ', "%20")).await;
    let folders = listed["folders"].as_array().unwrap();
    let inner = folders.iter().find(|folder| folder["name"].as_str().unwrap().ends_with("karte"));
    let inner = inner.unwrap()["path"].as_str().unwrap().to_owned();
    let wish = json!({ "path": inner, "role": Role::Light });
    let added: Vec<Added> = guest.post(&format!("shoots/{shoot}/folder"), &wish).await;
    assert_eq!(added.len(), 1, "{added:?}");
    let now = guest.measured(shoot).await;
    assert!(now.frames.iter().all(|frame| frame.problem.is_none()), "{:?}", now.frames);
    // Also once what was decoded is gone.
    guest.close().await;
    std::fs::remove_dir_all(house.data().join("cache")).unwrap();
    let guest = house.open().await;
    for frame in &now.frames {
        let info: PictureInfo = guest.get(&format!("pictures/frame-{}", frame.id)).await;
        assert_eq!((info.width, info.height), SIZE);
    }
    assert_eq!(guest.run(shoot).await.state, JobState::Done);
}

#[tokio::test]
async fn a_linked_frame_that_became_a_pipe_holds_nothing_up() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    guest.measured(shoot.id).await;
    std::fs::remove_dir_all(house.data().join("cache")).unwrap();
    let pipe = &house.frames[1];
    std::fs::remove_file(pipe).unwrap();
    assert!(std::process::Command::new("mkfifo").arg(pipe).status().unwrap().success());
    let frame = shoot.frames[1].id;
    let begun = Instant::now();
    for source in ["frame", "original"] {
        let ask = guest.ask(Method::GET, &format!("pictures/{source}-{frame}"));
        let (_, problem) = guest.refused(ask).await;
        assert!(problem.contains("no regular file"), "{problem}");
    }
    let colour = guest.ask(Method::GET, &format!("frames/{frame}/colour"));
    assert!(guest.refused(colour).await.1.contains("no regular file"));
    let done = guest.run(shoot.id).await;
    assert_eq!((done.state, done.problem), (JobState::Done, None));
    assert!(begun.elapsed() < Duration::from_secs(30), "{:?}", begun.elapsed());
    let now: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let said = &now.results[0].report.frames[1];
    assert!(!said.used && said.reason.as_deref().unwrap().contains("no regular file"), "{said:?}");
    assert_eq!(said.content, now.frames[1].blake3);
}

#[tokio::test]
async fn pictures_one_pixel_wide_are_shown_and_combined() {
    let house = House::new(0);
    let guest = house.open().await;
    for (width, height) in [(1, 300), (300, 1), (1, 1)] {
        let shoot = guest.shoot(&format!("{width} x {height}")).await;
        let mut id = 0;
        for i in 0..3u16 {
            let file = tempfile::Builder::new().suffix(".tif").tempfile().unwrap();
            let encoding = Encoding::srgb();
            let picture = Picture { width, height, channels: 3, encoding: &encoding, taken: None };
            let target = Target::Tiff { sixteen_bit: true, deflate: false };
            write_picture(file.path(), target, &picture, &mut |y, rows| {
                rows.iter_mut()
                    .enumerate()
                    .for_each(|(x, v)| *v = 900 * i + (y as u16 + x as u16) % 777);
                Ok(())
            })
            .unwrap();
            let bytes = std::fs::read(file.path()).unwrap();
            let added = guest.upload(shoot.id, &format!("f{i}.tif"), bytes).await;
            id = added.frame.unwrap().id;
        }
        let info: PictureInfo = guest.get(&format!("pictures/frame-{id}")).await;
        assert_eq!((info.width, info.height), (width, height));
        let _: Histogram = guest.get(&format!("pictures/frame-{id}/histogram")).await;
        let measured: Measured =
            guest.get(&format!("pictures/frame-{id}/measure?x=0&y=0&size=48")).await;
        assert!(measured.figures.is_none());
        for picture in ["thumbnail.jpg".to_owned(), format!("tiles/{}/0_0.png", info.levels - 1)] {
            let answer =
                guest.ask(Method::GET, &format!("pictures/frame-{id}/{picture}")).send().await;
            assert_eq!(answer.unwrap().status(), StatusCode::OK, "{picture}");
        }
        guest.measured(shoot.id).await;
        // Stars are looked for and not found.
        let none = guest.run(shoot.id).await;
        assert!(none.problem.unwrap().contains("shows 0 stars"));
        let plain = json!({ "plan": { "align": { "mode": AlignMode::None } } });
        let _: Shoot = guest.patch(&format!("shoots/{}", shoot.id), &plain).await;
        assert_eq!(guest.run(shoot.id).await.problem, None);
        let now: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
        assert_eq!(now.results[0].report.size, [width, height]);
    }
}

/// Frames of one name, as two cards of one camera have them, each with its own place in the result: the
/// same as if they had names of their own.
#[tokio::test]
async fn frames_of_one_name_are_told_apart() {
    let house = House::new(5);
    let guest = house.open().await;
    let mut placed: Vec<Vec<Vec<u8>>> = vec![];
    for alike in [false, true] {
        let shoot = guest.shoot("Mast").await.id;
        for (i, frame) in house.frames.iter().enumerate() {
            let name = if alike { "night.tif".to_owned() } else { format!("night {i}.tif") };
            guest.upload(shoot, &name, std::fs::read(frame).unwrap()).await;
        }
        let frames = guest.measured(shoot).await.frames;
        let choose = json!({ "reference_id": frames[2].id });
        let _: Shoot = guest.patch(&format!("shoots/{shoot}"), &choose).await;
        assert_eq!(guest.run(shoot).await.problem, None);
        let result = guest.get::<Shoot>(&format!("shoots/{shoot}")).await.results[0].id;
        let mut pixels = vec![];
        for frame in &frames {
            let tile = format!("pictures/placed-{result}-{}/tiles/0/0_0.png", frame.id);
            pixels.push(crate::pictures::png(&guest, &tile).await.2);
        }
        placed.push(pixels);
    }
    let [codes, alike] = placed.try_into().unwrap();
    assert!(codes == alike, "each frame is placed by its own motion");
    assert!((1..5).all(|i| codes[i] != codes[0]));
}

/// Light near the largest number that there is gives no figures that cannot be stored.
#[tokio::test]
async fn light_without_end_is_refused_by_name_and_locks_no_shoot() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await.id;
    let mut file = vec![];
    // A TIFF of floats: one strip of 4 x 4 pixels.
    let numbers: Vec<u8> =
        (0..16).flat_map(|i: u8| (3e36f32 * f32::from(i)).to_le_bytes()).collect();
    file.extend(b"II*\0\x08\0\0\0");
    let entries: [(u16, u16, u32); 9] = [
        (256, 3, 4),
        (257, 3, 4),
        (258, 3, 32),
        (259, 3, 1),
        (262, 3, 1),
        (273, 4, 122),
        (277, 3, 1),
        (279, 4, 64),
        (339, 3, 3),
    ];
    file.extend((entries.len() as u16).to_le_bytes());
    for (tag, kind, value) in entries {
        file.extend(tag.to_le_bytes());
        file.extend(kind.to_le_bytes());
        file.extend(1u32.to_le_bytes());
        file.extend(value.to_le_bytes());
    }
    file.extend(0u32.to_le_bytes());
    assert_eq!(file.len(), 122);
    file.extend(numbers);
    let added = guest.upload(shoot, "glare.tif", file).await;
    let problem = added.frame.unwrap().problem.unwrap();
    assert!(problem.starts_with("glare.tif: ") && problem.contains("light of"), "{problem}");
    assert_eq!(guest.get::<Shoot>(&format!("shoots/{shoot}")).await.frames.len(), 3);
}
