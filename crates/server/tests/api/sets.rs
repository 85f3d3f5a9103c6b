use crate::house::{Guest, House, SIZE};
use jade_plan::{Kind, Method};
use jade_scenes::night_sky::{Card, CardFrame, NightSky, Options, Purpose};
use jade_server::types::{
    Added, FramesChange, JobState, Role, SetChange, Shoot, ShootChange, Sort, SortFrames,
};
use reqwest::Method as Verb;
use std::time::Duration;

const CARD: Card = Card { ground: 5, flats: 3, biases: 2, raw: true };

fn role(purpose: Purpose) -> Role {
    match purpose {
        Purpose::Sky | Purpose::Ground => Role::Light,
        Purpose::Dark => Role::Dark,
        Purpose::Flat => Role::Flat,
        Purpose::Bias => Role::Bias,
    }
}

/// A shoot with a whole card, all measured, and what the frames of the card are.
async fn card_shoot(house: &House, guest: &Guest, kind: Kind) -> (Shoot, Vec<CardFrame>) {
    let (width, height) = (SIZE.0 * 3 / 2, SIZE.1 * 3 / 2);
    let options = Options { frames: 8, darks: 3, width, height, seed: 31, deflate: false };
    let scene = NightSky::new(options).unwrap();
    scene.write_card(&house.card(), &CARD, |_, _| true).unwrap();
    let shoot: Shoot =
        guest.post("shoots", &serde_json::json!({ "name": "Card", "kind": kind })).await;
    let wish = serde_json::json!({ "path": house.card(), "role": Role::Light });
    let added: Vec<Added> = guest.post(&format!("shoots/{}/folder", shoot.id), &wish).await;
    assert_eq!(added.len(), 21);
    (measured(guest, shoot.id).await, scene.card(&CARD))
}

async fn measured(guest: &Guest, shoot: i64) -> Shoot {
    for _ in 0..600 {
        let now: Shoot = guest.get(&format!("shoots/{shoot}")).await;
        if now.frames.iter().all(|f| f.measures.is_some()) {
            return now;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("the frames are not measured");
}

async fn accept(guest: &Guest, shoot: &Shoot) -> Shoot {
    let sets = shoot
        .proposed_sets
        .iter()
        .map(|set| Sort {
            name: set.name.clone(),
            role: set.role,
            into: set.into,
            frame_ids: set.frame_ids.clone(),
        })
        .collect();
    guest.post(&format!("shoots/{}/sets", shoot.id), &SortFrames { sets }).await
}

#[tokio::test]
async fn a_card_is_sorted_into_sets_and_the_sky_is_stacked() {
    let house = House::new(0);
    let guest = house.open().await;
    let (shoot, truth) = card_shoot(&house, &guest, Kind::NightSky).await;
    let names: Vec<&str> = shoot.proposed_sets.iter().map(|set| set.name.as_str()).collect();
    assert_eq!(names, ["Sky", "Ground", "Darks 8 s", "Flats", "Biases"]);
    assert_eq!((&shoot.sets[..], shoot.stacked_set), (&[][..], None));
    assert_eq!(shoot.proposed_kind, None);

    let sorted = accept(&guest, &shoot).await;
    assert_eq!(sorted.proposed_sets, []);
    assert_eq!(sorted.stacked_set, Some(sorted.sets[0].id));
    for frame in &sorted.frames {
        let wanted = truth.iter().find(|one| one.file == frame.name).unwrap().purpose;
        let set = sorted.sets.iter().find(|set| Some(set.id) == frame.set_id).unwrap();
        let alike = truth.iter().filter(|one| one.purpose == wanted).count();
        let there = sorted.frames.iter().filter(|f| f.set_id == Some(set.id)).count();
        assert_eq!((frame.role, set.role, there), (role(wanted), role(wanted), alike));
    }
    let spoiled: Vec<&str> = sorted
        .doubts
        .iter()
        .map(|doubt| {
            let frame = sorted.frames.iter().find(|f| f.id == doubt.frame_id).unwrap();
            assert_eq!(frame.set_id, sorted.stacked_set);
            frame.name.as_str()
        })
        .collect();
    let really = truth.iter().filter(|one| one.spoiled.is_some()).map(|one| one.file.as_str());
    assert_eq!(spoiled, really.collect::<Vec<_>>());

    // Only the sky is stacked, on the proposed frame, with the darks that fit it.
    let ids: Vec<i64> = sorted.doubts.iter().map(|doubt| doubt.frame_id).collect();
    let change = FramesChange { ids, left_out: Some(true), role: None, set_id: None, kept: None };
    let clean: Shoot = guest.post(&format!("shoots/{}/frames", shoot.id), &change).await;
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    let done: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let report = &done.results[0].report;
    assert_eq!(report.frames.iter().filter(|f| f.used).count(), 6, "{:?}", report.frames);
    assert_eq!(clean.checks, [], "nothing else is wrong with them");
    assert_eq!(done.results[0].reference_id, clean.proposed_reference.unwrap().frame_id);

    // So is the ground, when it is chosen; its darks are scaled by the biases or refused.
    let ground = sorted.sets.iter().find(|set| set.name == "Ground").unwrap().id;
    let change = ShootChange { stacked_set: Some(ground), ..ShootChange::default() };
    let other: Shoot = guest.patch(&format!("shoots/{}", shoot.id), &change).await;
    assert_eq!(other.stacked_set, Some(ground));
    let texts: Vec<&str> = other.checks.iter().map(|check| check.text.as_str()).collect();
    assert!(
        texts.iter().any(|text| text.contains("leave these out")),
        "it is said before: {texts:?}"
    );
    let refused = guest.run(shoot.id).await;
    let problem = refused.problem.unwrap();
    assert!(problem.contains("were exposed 8 s at ISO 6400"), "{problem}");
    assert!(problem.contains("take some at the ISO of the lights, or leave these out"));
}

#[tokio::test]
async fn frames_are_moved_named_and_taken_back() {
    let house = House::new(0);
    let guest = house.open().await;
    let (shoot, _) = card_shoot(&house, &guest, Kind::NightSky).await;
    let sorted = accept(&guest, &shoot).await;
    let path = format!("shoots/{}", shoot.id);
    let set = |name: &str| sorted.sets.iter().find(|set| set.name == name).unwrap().id;
    let (sky, darks) = (set("Sky"), set("Darks 8 s"));
    let one = sorted.frames.iter().find(|f| f.set_id == Some(sky)).unwrap().id;
    let put = |set_id: i64| FramesChange {
        ids: vec![one],
        left_out: None,
        role: None,
        set_id: Some(set_id),
        kept: None,
    };
    let of = |shoot: &Shoot| {
        let frame = shoot.frames.iter().find(|f| f.id == one).unwrap();
        (frame.role, frame.set_id)
    };
    let moved: Shoot = guest.post(&format!("{path}/frames"), &put(darks)).await;
    assert_eq!(of(&moved), (Role::Dark, Some(darks)));
    let back: Shoot = guest.post(&format!("{path}/frames"), &put(sky)).await;
    assert_eq!(of(&back), (Role::Light, Some(sky)));
    let out: Shoot = guest.post(&format!("{path}/frames"), &put(0)).await;
    assert_eq!(of(&out), (Role::Light, None));
    let again = &out.proposed_sets[..];
    assert!(matches!(again, [set] if set.into == Some(sky) && set.frame_ids == [one]), "{again:?}");

    let name = SetChange { name: "North sky".to_owned() };
    let named: Shoot = guest.patch(&format!("{path}/sets/{sky}"), &name).await;
    assert_eq!(named.sets[0].name, "North sky");
    let blank = SetChange { name: " ".to_owned() };
    let request = guest.ask(Verb::PATCH, &format!("{path}/sets/{sky}")).json(&blank);
    assert!(guest.refused(request).await.1.contains("A set needs a name"));
    let request = guest.ask(Verb::POST, &format!("{path}/frames")).json(&put(9999));
    assert!(guest.refused(request).await.1.starts_with("This set"));
    let change = ShootChange { stacked_set: Some(darks), ..ShootChange::default() };
    let request = guest.ask(Verb::PATCH, &path).json(&change);
    assert!(guest.refused(request).await.1.contains("Only a set of lights"));
}

#[tokio::test]
async fn another_kind_is_proposed_and_brings_its_plan() {
    let house = House::new(0);
    let guest = house.open().await;
    let (shoot, _) = card_shoot(&house, &guest, Kind::ClearTheScene).await;
    let proposed = shoot.proposed_kind.unwrap();
    assert_eq!(
        (proposed.kind, proposed.reason.as_str()),
        (Kind::NightSky, "most frames show stars")
    );
    let change = ShootChange { kind: Some(proposed.kind), ..ShootChange::default() };
    let now: Shoot = guest.patch(&format!("shoots/{}", shoot.id), &change).await;
    assert_eq!(
        (now.kind, now.plan.kind, now.proposed_kind),
        (Kind::NightSky, Kind::NightSky, None)
    );
    assert_eq!(now.plan.combine.method, Method::Clipped);
}

/// Tries until a condition holds.
async fn until(guest: &Guest, shoot: i64, what: &str, holds: impl Fn(&Shoot) -> bool) -> Shoot {
    for _ in 0..600 {
        let now: Shoot = guest.get(&format!("shoots/{shoot}")).await;
        if holds(&now) {
            return now;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("still not: {what}");
}

#[tokio::test]
async fn a_watched_folder_fills_the_sets_as_the_camera_writes() {
    let house = House::new(0);
    let guest = house.open().await;
    let (width, height) = (SIZE.0 * 3 / 2, SIZE.1 * 3 / 2);
    let options = Options { frames: 8, darks: 0, width, height, seed: 31, deflate: false };
    let scene = NightSky::new(options).unwrap();
    let card = Card { flats: 0, biases: 0, ..CARD };
    let (sky, ground): (Vec<_>, Vec<_>) =
        scene.card(&card).into_iter().partition(|frame| frame.purpose == Purpose::Sky);
    let shoot = guest.shoot("Tonight").await;
    let path = format!("shoots/{}", shoot.id);
    let wish = serde_json::json!({ "path": house.card(), "role": Role::Light, "watch": true });
    let added: Vec<Added> = guest.post(&format!("{path}/folder"), &wish).await;
    assert_eq!(added.len(), 0, "an empty folder may be watched");
    for frame in sky[..6].iter().chain(&ground[..3]) {
        scene.write_card_frame(&house.card(), frame, true).unwrap();
    }
    let ready = |count: usize| {
        move |s: &Shoot| s.frames.len() == count && s.frames.iter().all(|f| f.measures.is_some())
    };
    let first = until(&guest, shoot.id, "nine frames", ready(9)).await;
    assert!(first.watched.as_ref().unwrap().there);
    let sorted = accept(&guest, &first).await;
    assert_eq!(sorted.sets.len(), 2, "{:?}", sorted.sets);

    // A file that grows is added once it is whole, and each frame goes where its like are.
    let late = sky[6].file.clone();
    scene.write_card_frame(&house.data(), &sky[6], true).unwrap();
    let bytes = std::fs::read(house.data().join(&late)).unwrap();
    std::fs::write(house.card().join(&late), b"").unwrap();
    scene.write_card_frame(&house.card(), &ground[3], true).unwrap();
    // By the time that the other one is added, the empty one was seen twice.
    let ten = until(&guest, shoot.id, "ten frames", |s: &Shoot| s.frames.len() >= 10).await;
    assert!(ten.frames.iter().all(|f| f.name != late), "an empty file is none yet");
    std::fs::write(house.card().join(&late), &bytes).unwrap();
    let in_sets =
        move |s: &Shoot| s.frames.len() == 11 && s.frames.iter().all(|f| f.set_id.is_some());
    let more = until(&guest, shoot.id, "eleven frames in sets", in_sets).await;
    let of = |name: &str| more.frames.iter().find(|f| f.name == name).unwrap();
    assert_eq!(of(&late).set_id, of(&sky[0].file).set_id);
    assert_eq!(of(&ground[3].file).set_id, of(&ground[0].file).set_id);
    assert!(more.frames.iter().all(|f| f.problem.is_none()));

    // The card is taken out: that is said, and nothing is lost; then it is not watched any more.
    let away = house.card().with_extension("away");
    std::fs::rename(house.card(), &away).unwrap();
    let gone = |s: &Shoot| s.watched.as_ref().is_some_and(|watched| !watched.there);
    assert_eq!(until(&guest, shoot.id, "the folder is gone", gone).await.frames.len(), 11);
    std::fs::rename(&away, house.card()).unwrap();
    guest.delete(&format!("{path}/watched")).await;
    // Another shoot watches the folder still: once it has the new frame, this one would have it too.
    let other = guest.shoot("The same card").await;
    let _: Vec<Added> = guest.post(&format!("shoots/{}/folder", other.id), &wish).await;
    scene.write_card_frame(&house.card(), &sky[7], true).unwrap();
    until(&guest, other.id, "twelve frames", |s: &Shoot| s.frames.len() == 12).await;
    let after: Shoot = guest.get(&path).await;
    assert_eq!((after.frames.len(), after.watched), (11, None));
}
