//! What a person changed is undone and made again, whoever looks and also after a restart.

use crate::house::{Guest, House};
use jade_plan::{Kind, Paint};
use jade_server::types::{History, Role, Shoot, Sort, SortFrames};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

/// A shoot and who asks for it.
struct Bench<'a> {
    guest: &'a Guest,
    path: String,
}

impl Bench<'_> {
    async fn now(&self) -> Shoot {
        self.guest.get(&self.path).await
    }
    async fn change(&self, change: Value) -> Shoot {
        self.guest.patch(&self.path, &change).await
    }
    async fn frames(&self, change: Value) -> Shoot {
        self.guest.post(&format!("{}/frames", self.path), &change).await
    }
    async fn undo(&self) -> Shoot {
        self.guest.post(&format!("{}/undo", self.path), &()).await
    }
    async fn redo(&self) -> Shoot {
        self.guest.post(&format!("{}/redo", self.path), &()).await
    }
}

/// All of a shoot that is changed here; sets that were left empty are not shown.
fn changeable(shoot: &Shoot) -> Value {
    let frames: Vec<Value> = shoot
        .frames
        .iter()
        .map(|frame| json!([frame.id, frame.left_out, frame.role, frame.set_id]))
        .collect();
    json!([
        shoot.name,
        shoot.kind,
        shoot.plan,
        shoot.reference_id,
        shoot.stacked_set,
        frames,
        shoot.sets,
        shoot.probes,
        shoot.watched,
    ])
}

fn titles(history: &History) -> (Option<&str>, Option<&str>) {
    (history.undo.as_deref(), history.redo.as_deref())
}

#[tokio::test]
async fn every_kind_of_change_is_undone_and_made_again_also_after_a_restart() {
    let house = House::new(5);
    let guest = house.open().await;
    let id = guest.filled(&house).await.id;
    let path = format!("shoots/{id}");
    let bench = Bench { guest: &guest, path: path.clone() };
    let ids: Vec<i64> = bench.now().await.frames.iter().map(|frame| frame.id).collect();
    let mut states = vec![changeable(&bench.now().await)];
    let mut done = vec![];
    let mut note = |shoot: Shoot| {
        done.push(shoot.history.undo.clone().unwrap());
        states.push(changeable(&shoot));
    };
    note(bench.change(json!({"plan": {"combine": {"clip": 3.5}}, "title": "the rejection"})).await);
    note(bench.change(json!({"name": "Mast, second try"})).await);
    note(bench.change(json!({"reference_id": ids[1]})).await);
    note(bench.frames(json!({"ids": [ids[0], ids[4]], "left_out": true})).await);
    note(bench.frames(json!({"ids": [ids[3]], "role": Role::Flat})).await);
    let sort = Sort {
        frame_ids: vec![ids[2], ids[3]],
        into: None,
        name: "Ground".to_owned(),
        role: Role::Light,
    };
    let sorted: Shoot = guest.post(&format!("{path}/sets"), &SortFrames { sets: vec![sort] }).await;
    let set = sorted.sets[0].id;
    note(sorted);
    note(guest.patch(&format!("{path}/sets/{set}"), &json!({"name": "Salt pan"})).await);
    let probe = json!({"name": "Probe 1", "x": 40, "y": 30, "size": 48});
    let pinned: Shoot = guest.post(&format!("{path}/probes"), &probe).await;
    let pin = pinned.probes[0].id;
    note(pinned);
    guest.delete(&format!("{path}/probes/{pin}")).await;
    note(bench.now().await);
    note(bench.change(json!({"kind": Kind::StarTrails})).await);
    let stroke = json!({"paint": Paint::SkyStroke, "points": [[9.0, 9.0, 8.0]], "soft": 0.0});
    note(
        bench
            .change(json!({"plan": {"skyline": {"strokes": [stroke]}}, "title": "a sky stroke"}))
            .await,
    );
    assert_eq!(
        done[..4],
        ["the rejection", "the name", "the reference frame", "leaving out 2 frames"]
    );
    assert_eq!(done[7..9], ["pinning Probe 1", "removing a probe"]);
    guest.close().await;

    let guest = house.open().await;
    let bench = Bench { guest: &guest, path };
    for (number, title) in done.iter().enumerate().rev() {
        assert_eq!(bench.now().await.history.undo.as_ref(), Some(title));
        let shoot = bench.undo().await;
        assert_eq!(changeable(&shoot), states[number], "before {title}");
        assert_eq!(shoot.history.redo.as_ref(), Some(title));
    }
    let (status, said) =
        guest.refused(guest.ask(Method::POST, &format!("{}/undo", bench.path))).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(said.contains("nothing to undo"), "{said}");
    for (number, title) in done.iter().enumerate() {
        assert_eq!(changeable(&bench.redo().await), states[number + 1], "after {title}");
    }
    guest.close().await;
}

#[tokio::test]
async fn a_drag_is_one_change_and_one_that_ends_where_it_began_is_none() {
    let house = House::new(0);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let bench = Bench { guest: &guest, path: format!("shoots/{}", shoot.id) };
    let drag = async |value: f64, gesture: &str| {
        let plan = json!({"prepare": {"gain_ev": value}});
        bench.change(json!({"plan": plan, "title": "exposure", "gesture": gesture})).await
    };
    bench.change(json!({"plan": {"combine": {"level": true}}, "title": "levelling"})).await;
    for step in 1..9 {
        drag(f64::from(step) / 8.0, "first").await;
    }
    for value in [0.25, 0.5, 1.0] {
        drag(value, "second").await;
    }
    let undone = bench.undo().await;
    assert_eq!(undone.plan.prepare.gain_ev, 0.0);
    assert_eq!(titles(&undone.history), (Some("levelling"), Some("exposure")));
    assert_eq!(bench.redo().await.plan.prepare.gain_ev, 1.0);
    drag(0.5, "third").await;
    drag(0.75, "fourth").await;
    assert_eq!(bench.undo().await.plan.prepare.gain_ev, 0.5, "each drag by itself");
    // A new change takes the place of those that were undone.
    let now = bench.change(json!({"name": "Kiln"})).await;
    assert_eq!(titles(&now.history), (Some("the name"), None));
}

#[tokio::test]
async fn frames_that_were_added_since_stay_and_changes_made_at_once_are_both_noted() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let bench = Bench { guest: &guest, path: format!("shoots/{}", shoot.id) };
    let first = shoot.frames[0].id;
    bench.frames(json!({"ids": [first], "left_out": true})).await;
    let bytes = std::fs::read(&house.frames[0]).unwrap();
    // The same light with other bytes after it, which readers pass over.
    guest.upload(shoot.id, "late.tif", [bytes.as_slice(), &[0; 64]].concat()).await;
    let undone = bench.undo().await;
    assert_eq!(undone.frames.len(), 4);
    assert!(undone.frames.iter().all(|frame| !frame.left_out));
    // Two at once: both are noted, and undone one after the other.
    let clip = bench.change(json!({"plan": {"combine": {"clip": 4.0}}, "title": "the rejection"}));
    let level = bench.change(json!({"plan": {"combine": {"level": true}}, "title": "levelling"}));
    tokio::join!(clip, level);
    let both = bench.now().await.plan.combine;
    assert!(both.clip == 4.0 && both.level);
    bench.undo().await;
    let none = bench.undo().await;
    assert_eq!(none.plan.combine, shoot.plan.combine);
}

#[tokio::test]
async fn a_title_of_endless_length_is_refused() {
    let house = House::new(0);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let change = json!({"name": "Kiln", "title": "x".repeat(101)});
    let request = guest.ask(Method::PATCH, &format!("shoots/{}", shoot.id)).json(&change);
    assert!(guest.refused(request).await.1.contains("at most 100 letters"));
    assert_eq!(guest.get::<Shoot>(&format!("shoots/{}", shoot.id)).await.name, "Mast");
}
