//! Two pages with the same shoot.

use crate::house::{House, settings};
use jade_plan::{Method as Combine, Plan};
use jade_server::types::{Problem, Shoot};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

#[tokio::test]
async fn changes_of_two_pages_are_merged_setting_by_setting() {
    let house = House::new(0);
    let guest = house.open().await;
    let seen = guest.shoot("Mast").await;
    let path = format!("shoots/{}", seen.id);
    let tag = format!("\"{}\"", seen.revision);
    let answer = guest.ask(Method::GET, &path).send().await.unwrap();
    assert_eq!(answer.headers()["etag"], tag.as_str());
    // Both pages saw the same revision.
    let change = async |change: Value| {
        let request = guest.ask(Method::PATCH, &path).header("if-match", &tag).json(&change);
        request.send().await.unwrap()
    };
    let first = json!({ "combine": { "clip": 2.0 } });
    let was = json!({ "combine": { "clip": seen.plan.combine.clip } });
    let one = change(json!({ "plan": first, "was": { "plan": was } })).await;
    assert_eq!(one.status(), StatusCode::OK);
    let second = json!({ "combine": { "method": "median" }, "prepare": { "gain_ev": 0.5 } });
    let was =
        json!({ "combine": { "method": seen.plan.combine.method }, "prepare": { "gain_ev": 0 } });
    let other = change(json!({ "plan": second, "was": { "plan": was } })).await;
    assert_eq!(other.status(), StatusCode::OK);
    let now: Shoot = guest.get(&path).await;
    let mut both = seen.plan.clone();
    both.combine.clip = 2.0;
    both.combine.method = Combine::Median;
    both.prepare.gain_ev = 0.5;
    assert_eq!(now.plan, both);
    assert!(now.revision > seen.revision);

    // Both pages change one setting: the first change stays, and the second page is refused.
    let was = json!({ "combine": { "clip": seen.plan.combine.clip } });
    let third = json!({ "plan": { "combine": { "clip": 4.0 } }, "was": { "plan": was } });
    let refused = change(third).await;
    assert_eq!(refused.status(), StatusCode::PRECONDITION_FAILED);
    let problem: Problem = refused.json().await.unwrap();
    assert_eq!(problem.clash, ["plan.combine.clip"]);
    assert!(problem.detail.contains("combine clip"), "{}", problem.detail);
    assert_eq!(guest.get::<Shoot>(&path).await.plan, both);
}

#[tokio::test]
async fn a_change_of_an_older_state_that_does_not_say_what_it_was_is_refused() {
    let house = House::new(0);
    let guest = house.open().await;
    let seen = guest.shoot("Mast").await;
    let path = format!("shoots/{}", seen.id);
    let _: Shoot = guest.patch(&path, &json!({ "name": "North" })).await;
    let request = |tag: &str| {
        guest.ask(Method::PATCH, &path).header("if-match", tag).json(&json!({ "name": "South" }))
    };
    let stale = format!("\"{}\"", seen.revision);
    assert_eq!(guest.refused(request(&stale)).await.0, StatusCode::PRECONDITION_FAILED);
    assert_eq!(guest.refused(request("\"soon\"")).await.0, StatusCode::BAD_REQUEST);
    assert_eq!(guest.get::<Shoot>(&path).await.name, "North");
    assert!(request("*").send().await.unwrap().status().is_success());
}

#[tokio::test]
async fn strokes_of_both_pages_are_kept() {
    let house = House::new(0);
    let guest = house.open().await;
    let seen = guest.shoot("Mast").await;
    let path = format!("shoots/{}", seen.id);
    let stroke =
        |x: f64| json!({ "paint": "sky-stroke", "points": [[x, 20.25, 9.0]], "soft": 0.0 });
    // More digits than are kept.
    let before = json!([stroke(10.123_456_789)]);
    let strokes = |strokes: Value| json!({ "skyline": { "strokes": strokes } });
    let _: Shoot = guest.patch(&path, &json!({ "plan": strokes(before.clone()) })).await;
    for x in [30.0, 50.0] {
        let mut added = before.clone();
        added.as_array_mut().unwrap().push(stroke(x));
        let change = json!({ "plan": strokes(added), "was": { "plan": strokes(before.clone()) } });
        let _: Shoot = guest.patch(&path, &change).await;
    }
    let now: Shoot = guest.get(&path).await;
    let places: Vec<f32> =
        now.plan.skyline.strokes.iter().map(|stroke| stroke.points[0][0]).collect();
    assert_eq!(places, [10.123_457, 30.0, 50.0]);
}

#[tokio::test]
async fn settings_that_no_plan_may_have_change_nothing() {
    let house = House::new(0);
    let guest = house.open().await;
    let seen = guest.shoot("Mast").await;
    let path = format!("shoots/{}", seen.id);
    let difference = |ev: f64| json!({ "blake3": "ab", "change": { "gain_ev": ev } });
    for plan in [
        json!({ "combine": { "clip": "wide" } }),
        json!({ "combine": 7 }),
        json!({ "combine": { "clip": 1e39 } }),
        json!({ "version": 2 }),
        // Each alone is out of range, whatever both are together.
        json!({ "differences": [difference(1e39), difference(-1e39)] }),
        json!({ "differences": [difference(9e37), difference(0.0)] }),
    ] {
        let request = guest.ask(Method::PATCH, &path).json(&json!({ "plan": plan }));
        let (status, problem) = guest.refused(request).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{plan}");
        assert!(problem.ends_with('.'), "{problem}");
    }
    let now: Shoot = guest.get(&path).await;
    assert_eq!(now.plan, seen.plan);
    assert_eq!(settings(&now.plan).plan, settings(&Plan::of(now.kind)).plan);
}
