use crate::house::{House, SIZE, names};
use jade_server::types::{Added, Folder, FramesChange, Role, Shoot};
use reqwest::{Method, StatusCode};

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
    assert_eq!(frame.blake3, blake3::hash(&bytes).to_hex().to_string());
    let facts = frame.facts.unwrap();
    assert_eq!((facts.width, facts.height), SIZE);
    assert!(facts.exposure_s.is_some(), "the simulated camera writes how frames were taken");
    let kept = house.data().join("originals").join(&frame.blake3[..2]).join(&frame.blake3);
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
