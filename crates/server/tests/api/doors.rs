use crate::house::{Guest, House};
use jade_server::Server;
use jade_server::types::ShootCard;
use reqwest::{Method, StatusCode};

#[tokio::test]
async fn other_host_names_and_other_sites_are_turned_away() {
    let house = House::new(0);
    let guest = house.open().await;
    let (status, problem) =
        guest.refused(guest.ask(Method::GET, "shoots").header("host", "salt.example")).await;
    assert_eq!(status, StatusCode::FORBIDDEN);
    assert!(problem.contains("open the address"), "{problem}");
    let new = serde_json::json!({ "name": "Mast", "kind": "night-sky" });
    let own = format!("http://{}", guest.host);
    for (name, value, passes) in [
        ("origin", "http://salt.example", false),
        ("sec-fetch-site", "cross-site", false),
        ("sec-fetch-site", "same-site", false),
        ("origin", own.as_str(), true),
        ("sec-fetch-site", "same-origin", true),
    ] {
        let post = guest.ask(Method::POST, "shoots").json(&new).header(name, value);
        let status = post.send().await.unwrap().status();
        assert_eq!(status.is_success(), passes, "{name}: {value} gives {status}");
        let read = guest.ask(Method::GET, "shoots").header(name, value).send().await.unwrap();
        assert!(read.status().is_success(), "reading changes nothing: {value}");
    }
    assert_eq!(guest.get::<Vec<ShootCard>>("shoots").await.len(), 2);
}

#[tokio::test]
async fn pages_come_with_headers_that_keep_others_out() {
    let house = House::new(0);
    let guest = house.open().await;
    let answer = guest.ask(Method::GET, "shoots").send().await.unwrap();
    let header = |name: &str| answer.headers()[name].to_str().unwrap().to_owned();
    assert_eq!(header("x-content-type-options"), "nosniff");
    assert_eq!(header("x-frame-options"), "DENY");
    assert!(header("content-security-policy").starts_with("default-src 'self'"));
}

#[tokio::test]
async fn a_password_is_asked_for_on_every_path() {
    let house = House::new(0);
    let guest =
        Guest::of(jade_server::Config { password: Some("kiln".to_owned()), ..house.config() })
            .await;
    for path in ["shoots", "events", "pictures/frame-1"] {
        let answer = guest.ask(Method::GET, path).send().await.unwrap();
        assert_eq!(answer.status(), StatusCode::UNAUTHORIZED, "{path}");
        assert!(answer.headers()["www-authenticate"].to_str().unwrap().starts_with("Basic"));
    }
    let basic = |text: &str| format!("Basic {text}");
    // "me:kiln", "me:klin"
    for (given, passes) in [("bWU6a2lsbg==", true), ("bWU6a2xpbg==", false), ("%%%", false)] {
        let request = guest.ask(Method::GET, "shoots").header("authorization", basic(given));
        assert_eq!(request.send().await.unwrap().status().is_success(), passes, "{given}");
    }
}

#[tokio::test]
async fn starts_that_would_let_others_in_or_cannot_work_are_refused_with_what_to_do() {
    let house = House::new(0);
    let problem = async |config| Server::start(config).await.err().unwrap().to_string();
    let open = jade_server::Config { listen: "0.0.0.0:0".parse().unwrap(), ..house.config() };
    assert!(problem(open).await.contains("JADE_STACK_PASSWORD"));
    let guest = house.open().await;
    let taken = jade_server::Config { listen: guest.host.parse().unwrap(), ..house.config() };
    assert!(problem(taken).await.contains("--listen"));
    let nowhere = house.card().join("nowhere");
    let roots = jade_server::Config { roots: vec![nowhere], ..house.config() };
    assert!(problem(roots).await.contains("no such folder"));
    let file = house.card().join("file");
    std::fs::write(&file, "").unwrap();
    let data = jade_server::Config { data: file.join("data"), ..house.config() };
    assert!(problem(data).await.contains("--data"));
}

#[tokio::test]
async fn unknown_routes_and_unknown_ways_to_ask_are_errors() {
    let house = House::new(0);
    let guest = house.open().await;
    let answer = guest.ask(Method::GET, "shoots/1/nothing").send().await.unwrap();
    assert!(answer.status().is_client_error(), "{}", answer.status());
    let put = guest.ask(Method::PUT, "shoots").send().await.unwrap();
    assert_eq!(put.status(), StatusCode::METHOD_NOT_ALLOWED);
}
