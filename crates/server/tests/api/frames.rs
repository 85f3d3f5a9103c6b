use crate::house::{House, SIZE, names};
use jade_pixels::colour::Encoding;
use jade_pixels::write::{Picture, Target, write_picture};
use jade_server::types::{Added, Folder, FramesChange, Role, Shoot};
use reqwest::{Method, StatusCode};

/// As on a disk that is full or may only be read: what is kept of frames cannot be written.
#[tokio::test]
async fn a_frame_that_cannot_be_kept_is_told_and_can_be_added_again() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.shoot("Full").await;
    // A file where the folder of decoded frames should be.
    let frames = house.data().join("cache/frames");
    let _ = std::fs::remove_dir_all(&frames);
    std::fs::write(&frames, "in the way").unwrap();
    let wish = serde_json::json!({ "path": house.card(), "role": "light" });
    let path = format!("shoots/{}/folder", shoot.id);
    let added: Vec<Added> = guest.post(&path, &wish).await;
    assert_eq!(added.len(), 2);
    for one in &added {
        let problem = one.problem.as_deref().unwrap();
        assert!(
            one.frame.is_none() && problem.contains("the data folder cannot be written"),
            "{problem}"
        );
        assert!(problem.starts_with(&one.name) && problem.contains("add it again"), "{problem}");
    }
    let now: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    assert!(now.frames.is_empty(), "nothing is kept of what failed");
    std::fs::remove_file(&frames).unwrap();
    let added: Vec<Added> = guest.post(&path, &wish).await;
    assert!(added.iter().all(|one| one.frame.as_ref().unwrap().problem.is_none()), "{added:?}");
}

#[tokio::test]
async fn an_uploaded_frame_is_kept_by_its_content_and_shown_with_its_facts() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let bytes = std::fs::read(&house.frames[0]).unwrap();
    let added = guest.upload(shoot.id, "card/first \"one\".tif", bytes.clone()).await;
    let frame = added.frame.unwrap();
    assert_eq!((frame.name.as_str(), frame.linked), ("first \"one\".tif", false));
    assert_eq!(frame.bytes, bytes.len() as i64);
    assert_eq!(frame.blake3.as_str(), blake3::hash(&bytes).to_hex().to_string());
    let facts = frame.facts.unwrap();
    assert_eq!((facts.width, facts.height), SIZE);
    assert!(facts.exposure_s.is_some(), "the simulated camera writes how frames were taken");
    let kept = house
        .data()
        .join("originals")
        .join(&frame.blake3.as_str()[..2])
        .join(frame.blake3.as_str());
    assert_eq!(std::fs::read(kept).unwrap(), bytes);
    assert!(names(&house.data().join("incoming")).is_empty());
}

#[tokio::test]
async fn the_same_content_is_taken_once_under_any_name() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let bytes = std::fs::read(&house.frames[0]).unwrap();
    guest.upload(shoot.id, "a.tif", bytes.clone()).await;
    let again = guest.upload(shoot.id, "b.tif", bytes.clone()).await;
    assert!(again.frame.is_none());
    assert_eq!(again.same_as.as_deref(), Some("a.tif"));
    let other = guest.shoot("Other").await;
    assert!(guest.upload(other.id, "a.tif", bytes).await.frame.is_some());
    assert_eq!(guest.get::<Shoot>(&format!("shoots/{}", shoot.id)).await.frames.len(), 1);
}

#[tokio::test]
async fn files_that_are_no_pictures_are_listed_with_the_reason_and_can_be_taken_off() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let mut cut = std::fs::read(&house.frames[0]).unwrap();
    cut.truncate(cut.len() / 3);
    for (name, bytes, says) in [
        ("notes.tif", b"Sun sets at six.".to_vec(), "Sun sets"),
        ("empty.tif", vec![], "empty"),
        ("cut.tif", cut, "cut.tif"),
    ] {
        let frame = guest.upload(shoot.id, name, bytes).await.frame.unwrap();
        let problem = frame.problem.unwrap();
        assert!(problem.starts_with(name) && problem.contains(says), "{problem}");
        assert!(frame.facts.is_none());
        guest.delete(&format!("shoots/{}/frames/{}", shoot.id, frame.id)).await;
    }
    assert!(guest.get::<Shoot>(&format!("shoots/{}", shoot.id)).await.frames.is_empty());
}

#[tokio::test]
async fn a_folder_is_looked_into_and_added_in_natural_order() {
    let house = House::new(11);
    std::fs::write(house.card().join("readme.txt"), "no picture").unwrap();
    let guest = house.open().await;
    let top: Folder = guest.get("folders").await;
    assert_eq!(top.folders.len(), 1);
    let card: Folder = guest.get(&format!("folders?path={}", top.folders[0].path)).await;
    assert_eq!(card.pictures.len(), 11);
    assert!(card.pictures.iter().all(|name| name.ends_with(".tif")));
    assert!(card.folders.iter().any(|f| f.name == "truth"));
    let shoot = guest.filled(&house).await;
    let listed: Vec<&str> = shoot.frames.iter().map(|f| f.name.as_str()).collect();
    assert_eq!(listed, card.pictures.iter().map(String::as_str).collect::<Vec<_>>());
    assert!(shoot.frames.iter().all(|f| f.linked && f.problem.is_none()));
}

#[tokio::test]
async fn folders_that_were_not_opened_stay_closed() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let above = house.card().join("..").display().to_string();
    for path in ["/etc", above.as_str(), "card", "/nowhere/at/all"] {
        let wish = serde_json::json!({ "path": path, "role": Role::Light });
        let add = guest.ask(Method::POST, &format!("shoots/{}/folder", shoot.id)).json(&wish);
        let (status, problem) = guest.refused(add).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
        assert!(problem.starts_with(path), "{problem}");
        let look = guest.ask(Method::GET, "folders").query(&[("path", path)]);
        assert_eq!(guest.refused(look).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    }
    let empty = house.card().join("empty");
    std::fs::create_dir(&empty).unwrap();
    let wish = serde_json::json!({ "path": empty, "role": Role::Light });
    let add = guest.ask(Method::POST, &format!("shoots/{}/folder", shoot.id)).json(&wish);
    let (_, problem) = guest.refused(add).await;
    assert!(problem.contains("no raw, TIFF, PNG or JPEG"), "{problem}");
}

#[tokio::test]
async fn roles_and_leaving_out_change_for_several_frames_at_once() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let path = format!("shoots/{}/frames", shoot.id);
    let ids = vec![shoot.frames[0].id, shoot.frames[2].id];
    let change = FramesChange {
        ids: ids.clone(),
        left_out: Some(true),
        role: None,
        set_id: None,
        kept: None,
    };
    let changed: Shoot = guest.post(&path, &change).await;
    let out: Vec<bool> = changed.frames.iter().map(|f| f.left_out).collect();
    assert_eq!(out, [true, false, true, false]);
    let change = FramesChange {
        ids,
        left_out: Some(false),
        role: Some(Role::Dark),
        set_id: None,
        kept: None,
    };
    let changed: Shoot = guest.post(&path, &change).await;
    assert!(changed.frames.iter().all(|f| !f.left_out));
    assert_eq!(changed.frames.iter().filter(|f| f.role == Role::Dark).count(), 2);
}

#[tokio::test]
async fn originals_on_the_card_are_never_touched() {
    let house = House::new(3);
    let before: Vec<Vec<u8>> = house.frames.iter().map(|f| std::fs::read(f).unwrap()).collect();
    let listed = names(&house.card());
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    guest.run(shoot.id).await;
    guest.delete(&format!("shoots/{}", shoot.id)).await;
    let after: Vec<Vec<u8>> = house.frames.iter().map(|f| std::fs::read(f).unwrap()).collect();
    assert!(before == after);
    assert_eq!(names(&house.card()), listed);
}

#[tokio::test]
async fn many_frames_may_come_at_the_same_time() {
    let house = House::new(6);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let files: Vec<Vec<u8>> = house.frames.iter().map(|f| std::fs::read(f).unwrap()).collect();
    let uploads = files.into_iter().enumerate().map(|(i, bytes)| {
        let name = format!("u{i}.tif");
        let request = guest.ask(Method::POST, &format!("shoots/{}/upload", shoot.id));
        let request = request.query(&[("name", &name)]).body(bytes);
        tokio::spawn(async move { request.send().await.unwrap().json::<Added>().await.unwrap() })
    });
    for upload in uploads.collect::<Vec<_>>() {
        assert!(upload.await.unwrap().frame.unwrap().problem.is_none());
    }
    assert_eq!(guest.get::<Shoot>(&format!("shoots/{}", shoot.id)).await.frames.len(), 6);
}

/// The card is taken out while its frames are added: some are there by then, the others say why they
/// are not, and whatever is listed is whole.
#[tokio::test]
async fn a_folder_that_goes_in_the_middle_leaves_what_was_added() {
    let house = House::new(40);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let away = house.card().with_extension("away");
    let (from, to) = (house.card(), away.clone());
    let path = format!("shoots/{}", shoot.id);
    let taken_out = async {
        while guest.get::<Shoot>(&path).await.frames.is_empty() {}
        std::fs::rename(from, to).unwrap();
    };
    let wish = serde_json::json!({ "path": house.card(), "role": Role::Light });
    let folder = format!("{path}/folder");
    let (added, ()) = tokio::join!(guest.post::<Vec<Added>>(&folder, &wish), taken_out);
    assert_eq!(added.len(), 40);
    let now: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    for one in &added {
        match (&one.frame, &one.problem) {
            (Some(frame), None) => {
                assert!(now.frames.iter().any(|f| f.id == frame.id), "{}", one.name);
            }
            (None, Some(problem)) => {
                assert!(problem.contains("there is no such file"), "{problem}")
            }
            other => panic!("{}: {other:?}", one.name),
        }
    }
    // Put in again, all the others come too.
    std::fs::rename(&away, house.card()).unwrap();
    for broken in now.frames.iter().filter(|f| f.problem.is_some()) {
        guest.delete(&format!("shoots/{}/frames/{}", shoot.id, broken.id)).await;
    }
    guest.post::<Vec<Added>>(&format!("shoots/{}/folder", shoot.id), &wish).await;
    let whole: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let names: Vec<&str> = whole.frames.iter().map(|f| f.name.as_str()).collect();
    assert_eq!(names.len(), 40, "{names:?}");
    assert!(whole.frames.iter().all(|f| f.problem.is_none()));
}

#[tokio::test]
async fn the_smallest_picture_is_measured_like_any_other() {
    let house = House::new(0);
    let guest = house.open().await;
    let shoot = guest.shoot("Speck").await;
    let encoding = Encoding::srgb();
    let picture = Picture { width: 1, height: 1, channels: 3, encoding: &encoding, taken: None };
    let path = house.card().join("speck.png");
    write_picture(&path, Target::Png { sixteen_bit: false }, &picture, &mut |_, row| {
        row.fill(30_000);
        Ok(())
    })
    .unwrap();
    let speck = guest.upload(shoot.id, "speck.png", std::fs::read(&path).unwrap()).await;
    assert_eq!(speck.frame.unwrap().problem, None);
    for _ in 0..200 {
        let now: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
        if let Some(measures) = &now.frames[0].measures {
            assert_eq!((measures.stars, measures.star_width_px), (0, None));
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    panic!("it is not measured");
}
