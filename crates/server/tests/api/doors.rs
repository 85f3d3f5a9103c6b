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
    let address = format!("http://{}", guest.host);
    for (name, value, passes) in [
        ("origin", "http://salt.example", false),
        ("sec-fetch-site", "cross-site", false),
        ("sec-fetch-site", "same-site", false),
        ("origin", address.as_str(), true),
        ("sec-fetch-site", "same-origin", true),
    ] {
        let post = guest.ask(Method::POST, "shoots").json(&new).header(name, value);
        let status = post.send().await.unwrap().status();
        assert_eq!(status.is_success(), passes, "{name}: {value} gives {status}");
        // Even reading makes the server work; the page itself may be opened from anywhere.
        let read = guest.ask(Method::GET, "shoots").header(name, value).send().await.unwrap();
        assert_eq!(read.status().is_success(), passes, "{name}: {value}");
        let page = guest.client.get(&address).header(name, value).send().await.unwrap();
        assert!(page.status().is_success(), "{name}: {value}");
    }
    let shouted = guest.ask(Method::GET, "shoots").header("host", guest.host.to_uppercase());
    assert!(shouted.send().await.unwrap().status().is_success());
    assert_eq!(guest.get::<Vec<ShootCard>>("shoots").await.len(), 2);
}

#[tokio::test]
async fn pages_come_with_headers_that_keep_others_out() {
    let house = House::new(0);
    let guest = house.open().await;
    let asked = |host: &str| guest.ask(Method::GET, "shoots").header("host", host).send();
    // Refusals carry them too.
    for (host, status) in
        [(guest.host.as_str(), StatusCode::OK), ("salt.example", StatusCode::FORBIDDEN)]
    {
        let answer = asked(host).await.unwrap();
        assert_eq!(answer.status(), status);
        let header = |name: &str| answer.headers()[name].to_str().unwrap().to_owned();
        assert_eq!(header("x-content-type-options"), "nosniff");
        assert_eq!(header("x-frame-options"), "DENY");
        assert_eq!(header("referrer-policy"), "no-referrer");
        assert_eq!(header("cross-origin-resource-policy"), "same-origin");
        let policy = header("content-security-policy");
        assert!(policy.starts_with("default-src 'self'"), "{policy}");
        for rule in ["frame-ancestors 'none'", "base-uri 'none'", "form-action 'self'"] {
            assert!(policy.contains(rule), "{policy}");
        }
    }
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
        let ask = answer.headers()["www-authenticate"].to_str().unwrap().to_owned();
        assert!(ask.starts_with("Basic") && ask.contains("charset=\"UTF-8\""), "{ask}");
        assert_eq!(answer.headers()["x-frame-options"], "DENY");
    }
    let basic = |text: &str| format!("Basic {text}");
    // "me:kiln", "me:klin"
    for (given, passes) in [("bWU6a2lsbg==", true), ("bWU6a2xpbg==", false), ("%%%", false)] {
        let request = guest.ask(Method::GET, "shoots").header("authorization", basic(given));
        assert_eq!(request.send().await.unwrap().status().is_success(), passes, "{given}");
    }
}

#[tokio::test]
async fn many_guesses_at_once_are_not_listened_to() {
    let house = House::new(0);
    let guest =
        Guest::of(jade_server::Config { password: Some("kiln".to_owned()), ..house.config() })
            .await;
    let guess = || guest.ask(Method::GET, "shoots").header("authorization", "Basic bWU6a2xpbg==");
    let begun = std::time::Instant::now();
    let guesses: Vec<_> = (0..12).map(|_| tokio::spawn(guess().send())).collect();
    let mut statuses = vec![];
    for guess in guesses {
        statuses.push(guess.await.unwrap().unwrap().status());
    }
    let wrong = statuses.iter().filter(|s| **s == StatusCode::UNAUTHORIZED).count();
    let deaf = statuses.iter().filter(|s| **s == StatusCode::TOO_MANY_REQUESTS).count();
    assert_eq!((wrong, deaf), (4, 8), "{statuses:?}");
    // The fourth waited eight times as long as the first.
    assert!(begun.elapsed().as_secs() >= 8);
    let right = guest.ask(Method::GET, "shoots").header("authorization", "Basic bWU6a2lsbg==");
    assert!(right.send().await.unwrap().status().is_success());
}

#[tokio::test]
async fn starts_that_would_let_others_in_or_cannot_work_are_refused_with_what_to_do() {
    let house = House::new(0);
    let problem = async |config| Server::start(config).await.err().unwrap().to_string();
    let open = jade_server::Config { listen: "0.0.0.0:0".parse().unwrap(), ..house.config() };
    assert!(problem(open).await.contains("JADE_STACK_PASSWORD"));
    let guest = house.open().await;
    let second = problem(house.config()).await;
    assert!(second.contains(&guest.host) && second.contains("--data"), "{second}");
    let data = house.card().join("data");
    let taken = jade_server::Config { listen: guest.host.parse().unwrap(), data, ..house.config() };
    assert!(problem(taken).await.contains("--listen"));
    let nowhere = house.card().join("nowhere");
    let data = house.card().join("data");
    let roots = jade_server::Config { roots: vec![nowhere], data, ..house.config() };
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
    let page = format!("http://{}/", guest.host);
    for method in [Method::PUT, Method::TRACE, Method::from_bytes(b"GRIND").unwrap()] {
        let api = guest.ask(method.clone(), "shoots").send().await.unwrap();
        assert_eq!(api.status(), StatusCode::METHOD_NOT_ALLOWED, "{method}");
        let page = guest.client.request(method.clone(), &page).send().await.unwrap();
        assert_eq!(page.status(), StatusCode::METHOD_NOT_ALLOWED, "{method}");
    }
}

#[tokio::test]
async fn a_request_that_names_no_end_of_frames_is_refused() {
    let house = House::new(0);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await.id;
    let ids: Vec<i64> = (0..20_000).collect();
    let change = serde_json::json!({ "ids": ids, "left_out": true });
    let change = guest.ask(Method::POST, &format!("shoots/{shoot}/frames")).json(&change);
    let (status, problem) = guest.refused(change).await;
    assert_eq!(status, StatusCode::PAYLOAD_TOO_LARGE);
    assert!(problem.contains("20000 frames"), "{problem}");
}
