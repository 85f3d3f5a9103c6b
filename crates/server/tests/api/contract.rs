//! What all operations have in common: the document, errors, events that go on, and the example.

use crate::house::{Guest, House};
use jade_server::types::{Event, Problem, ProblemCode};
use reqwest::{Method, RequestBuilder, StatusCode};
use serde_json::{Value, json};

async fn problem(request: RequestBuilder) -> Problem {
    let answer = request.send().await.unwrap();
    let status = answer.status();
    assert_eq!(answer.headers()["content-type"], "application/problem+json");
    let problem: Problem = answer.json().await.unwrap();
    assert_eq!(problem.status, status.as_u16());
    assert_eq!(problem.title, status.canonical_reason().unwrap());
    let code = serde_json::to_value(problem.code).unwrap();
    assert_eq!(problem.urn, format!("urn:jade-stack:problem:{}", code.as_str().unwrap()));
    assert!(problem.detail.ends_with('.'), "{}", problem.detail);
    problem
}

#[tokio::test]
async fn every_error_is_a_problem_with_a_code() {
    let house = House::new(0);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let patch = |body: &Value| guest.ask(Method::PATCH, &format!("shoots/{}", shoot.id)).json(body);
    let text = |body: &'static str| {
        guest.ask(Method::POST, "shoots").header("content-type", "application/json").body(body)
    };
    let long = "x".repeat(9 << 20);
    for (request, code) in [
        (guest.ask(Method::GET, "nowhere"), ProblemCode::Missing),
        (guest.ask(Method::GET, "shoots/99"), ProblemCode::Missing),
        (guest.ask(Method::GET, "shoots/mast"), ProblemCode::Unreadable),
        (guest.ask(Method::GET, "frames/1/grey?x=here"), ProblemCode::Unreadable),
        (guest.ask(Method::PUT, "shoots"), ProblemCode::Method),
        (guest.ask(Method::POST, "kinds"), ProblemCode::Method),
        (text("{"), ProblemCode::Unreadable),
        (text(r#"{"name":"Mast","kind":"day-sky"}"#), ProblemCode::Unreadable),
        (guest.ask(Method::POST, "shoots").body("name=Mast"), ProblemCode::MediaType),
        (guest.ask(Method::POST, "shoots").json(&json!({ "name": long })), ProblemCode::TooLarge),
        (patch(&json!({ "plan": { "combine": { "clip": 90 } } })), ProblemCode::Setting),
        (patch(&json!({ "name": "" })), ProblemCode::Setting),
        (patch(&json!({})).header("if-match", "\"mast\""), ProblemCode::Unreadable),
        (guest.ask(Method::POST, &format!("shoots/{}/runs", shoot.id)), ProblemCode::Refused),
        (guest.ask(Method::GET, "shoots").header("host", "salt.example"), ProblemCode::Stranger),
    ] {
        let shown = format!("{request:?}");
        assert_eq!(problem(request).await.code, code, "{shown}");
    }
    let clip = problem(patch(&json!({ "plan": { "combine": { "clip": 90 } } }))).await;
    assert_eq!(clip.field.as_deref(), Some("combine.clip"));
    assert!(clip.detail.contains("90 sigma"), "{}", clip.detail);
}

#[tokio::test]
async fn a_password_and_too_many_guesses_are_problems_too() {
    let house = House::new(0);
    let config = jade_server::Config { password: Some("kiln".to_owned()), ..house.config() };
    let guest = Guest::of(config).await;
    assert_eq!(problem(guest.ask(Method::GET, "shoots")).await.code, ProblemCode::Password);
}

#[tokio::test]
async fn what_is_made_is_answered_with_201_and_what_is_removed_with_204() {
    let house = House::new(2);
    let guest = house.open().await;
    let status = async |request: RequestBuilder| request.send().await.unwrap().status();
    let new = json!({ "name": "Mast", "kind": "night-sky" });
    assert_eq!(status(guest.ask(Method::POST, "shoots").json(&new)).await, StatusCode::CREATED);
    let shoot = guest.shoot("Mast").await.id;
    let upload = || {
        let bytes = std::fs::read(&house.frames[0]).unwrap();
        guest.ask(Method::POST, &format!("shoots/{shoot}/upload?name=f1.tif")).body(bytes)
    };
    assert_eq!(status(upload()).await, StatusCode::CREATED);
    assert_eq!(status(upload()).await, StatusCode::OK, "the same file again");
    let probe = json!({ "name": "", "x": 40, "y": 40, "size": 32 });
    let pin = guest.ask(Method::POST, &format!("shoots/{shoot}/probes")).json(&probe);
    assert_eq!(status(pin).await, StatusCode::CREATED);
    let remove = guest.ask(Method::DELETE, &format!("shoots/{shoot}"));
    assert_eq!(status(remove).await, StatusCode::NO_CONTENT);
}

#[tokio::test]
async fn the_document_names_every_operation_once() {
    let house = House::new(0);
    let guest = house.open().await;
    let document: Value = guest.get("openapi.json").await;
    assert_eq!(document["openapi"], "3.1.0");
    let paths = document["paths"].as_object().unwrap();
    let operations: Vec<&Value> =
        paths.values().flat_map(|path| path.as_object().unwrap().values()).collect();
    let mut ids: Vec<&str> =
        operations.iter().map(|operation| operation["operationId"].as_str().unwrap()).collect();
    assert!(ids.len() > 40, "{} operations", ids.len());
    ids.sort_unstable();
    ids.dedup();
    assert_eq!(ids.len(), operations.len());
    for operation in operations {
        assert!(operation["summary"].is_string(), "{operation}");
        let error = &operation["responses"]["default"]["content"]["application/problem+json"];
        assert_eq!(error["schema"]["$ref"], "#/components/schemas/Problem");
    }
}

/// The ids and events of a stream, until one fulfils a condition.
async fn heard(request: RequestBuilder, last: impl Fn(&Event) -> bool) -> Vec<(String, Event)> {
    let mut answer = request.send().await.unwrap();
    let (mut text, mut all, mut id) = (String::new(), vec![], String::new());
    loop {
        let piece = answer.chunk().await.unwrap().expect("the stream goes on");
        text.push_str(std::str::from_utf8(&piece).unwrap());
        while let Some((line, rest)) = text.split_once('\n') {
            if let Some(given) = line.strip_prefix("id: ") {
                id = given.to_owned();
            }
            if let Some(event) = line.strip_prefix("data: ") {
                all.push((id.clone(), serde_json::from_str(event).unwrap()));
            }
            text = rest.to_owned();
        }
        if all.last().is_some_and(|(_, event)| last(event)) {
            return all;
        }
    }
}

#[tokio::test]
async fn events_go_on_after_the_one_that_was_heard_last() {
    let house = House::new(0);
    let guest = house.open().await;
    let of = |shoot: i64| move |event: &Event| matches!(event, Event::Shoot { id } if *id == shoot);
    let first = guest.shoot("Mast").await.id;
    let present = heard(guest.ask(Method::GET, "events"), |_| true).await;
    assert!(matches!(present[0].1, Event::Present { .. }));
    // Both happen while nobody listens.
    let second = guest.shoot("Kiln").await.id;
    let third = guest.shoot("Moss").await.id;
    let with_header = guest.ask(Method::GET, "events").header("last-event-id", &present[0].0);
    let missed = heard(with_header, of(third)).await;
    let shoots = |events: &[(String, Event)]| -> Vec<i64> {
        let shoot = |event: &Event| match event {
            Event::Shoot { id } => Some(*id),
            _ => None,
        };
        events.iter().filter_map(|(_, event)| shoot(event)).collect()
    };
    assert_eq!(shoots(&missed), [second, third]);
    let after = guest.ask(Method::GET, &format!("events?after={}", missed[0].0));
    assert_eq!(shoots(&heard(after, of(third)).await), [third]);
    // An id of another life of the server leads to the present state.
    let stranger = guest.ask(Method::GET, "events?after=1-1");
    assert!(matches!(heard(stranger, |_| true).await[0].1, Event::Present { .. }));
    assert!(first < second);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_example_client_stacks_a_folder_and_saves_the_result() {
    let house = House::new(4);
    let guest = house.open().await;
    let saved = house.data().join("stacked.tif");
    let example = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/examples/client.py");
    let mut python = tokio::process::Command::new("python3");
    python.arg(example).arg(format!("http://{}", guest.host)).arg(house.card()).arg(&saved);
    let done = python.output().await.expect("python3 runs");
    let text = String::from_utf8_lossy(&done.stdout);
    assert!(done.status.success(), "{text}{}", String::from_utf8_lossy(&done.stderr));
    assert_eq!(text.matches(": added").count(), 4, "{text}");
    let picture = jade_pixels::read::PictureFile::open(&saved).unwrap();
    assert!(picture.facts().width > 200);
}

#[tokio::test]
async fn a_long_list_of_shoots_comes_in_parts() {
    let house = House::new(0);
    let guest = house.open().await;
    for number in 0..7 {
        guest.shoot(&format!("Night {number}")).await;
    }
    let (mut names, mut path, mut parts) = (vec![], "shoots?limit=3".to_owned(), 0);
    loop {
        let answer = guest.ask(Method::GET, &path).send().await.unwrap();
        let next = answer.headers().get("link").map(|link| link.to_str().unwrap().to_owned());
        let shoots: Vec<Value> = answer.json().await.unwrap();
        names.extend(shoots.iter().map(|shoot| shoot["name"].as_str().unwrap().to_owned()));
        parts += 1;
        let Some(next) = next else { break };
        let address = next.strip_suffix(">; rel=\"next\"").unwrap();
        path = address.strip_prefix("</api/").unwrap().to_owned();
    }
    assert_eq!(parts, 3);
    let newest_first: Vec<String> = (0..7).rev().map(|number| format!("Night {number}")).collect();
    assert_eq!(names, newest_first);
    for odd in ["shoots?limit=0", "shoots?limit=900", "shoots?after=now"] {
        assert_eq!(problem(guest.ask(Method::GET, odd)).await.code, ProblemCode::Unreadable);
    }
}
