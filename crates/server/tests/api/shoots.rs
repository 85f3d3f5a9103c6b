use crate::house::{Events, House, settings};
use jade_plan::{AlignMode, Kind, Method as Combine, Plan};
use jade_server::types::{Event, NewProbe, Shoot, ShootCard, ShootChange, ShootState};
use reqwest::{Method, StatusCode};

#[tokio::test]
async fn a_new_shoot_is_empty_and_stands_on_the_first_page() {
    let house = House::new(0);
    let guest = house.open().await;
    assert!(guest.get::<Vec<ShootCard>>("shoots").await.is_empty());
    let made = guest.shoot("Salt pan").await;
    assert_eq!((made.name.as_str(), made.kind), ("Salt pan", Kind::NightSky));
    assert_eq!(made.plan, Plan::of(Kind::NightSky));
    let cards: Vec<ShootCard> = guest.get("shoots").await;
    assert_eq!(cards.len(), 1);
    assert_eq!((cards[0].id, cards[0].state), (made.id, ShootState::Empty));
    assert!(cards[0].picture.is_none());
}

#[tokio::test]
async fn changes_are_kept_and_what_is_absent_stays() {
    let house = House::new(0);
    let guest = house.open().await;
    let made = guest.shoot("Mast").await;
    let mut plan = made.plan.clone();
    plan.combine.method = Combine::Median;
    plan.align.mode = AlignMode::None;
    let path = format!("shoots/{}", made.id);
    let change = settings(&plan);
    let changed: Shoot = guest.patch(&path, &change).await;
    assert_eq!((changed.name.as_str(), &changed.plan), ("Mast", &plan));
    let change = ShootChange { name: Some("Mast, north".to_owned()), ..ShootChange::default() };
    guest.patch::<Shoot>(&path, &change).await;
    let shoot: Shoot = guest.get(&path).await;
    assert_eq!((shoot.name.as_str(), shoot.plan), ("Mast, north", plan));
}

#[tokio::test]
async fn a_plan_out_of_range_is_refused_with_the_setting_and_changes_nothing() {
    let house = House::new(0);
    let guest = house.open().await;
    let made = guest.shoot("Mast").await;
    let mut plan = made.plan.clone();
    plan.combine.clip = 0.0;
    let path = format!("shoots/{}", made.id);
    let change = settings(&plan);
    let (status, problem) = guest.refused(guest.ask(Method::PATCH, &path).json(&change)).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem.contains("clip") && problem.ends_with('.'), "{problem}");
    assert_eq!(guest.get::<Shoot>(&path).await.plan, made.plan);
}

#[tokio::test]
async fn a_removed_shoot_is_gone_and_comes_back_whole() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let path = format!("shoots/{}", shoot.id);
    guest.delete(&path).await;
    let (status, problem) = guest.refused(guest.ask(Method::GET, &path)).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
    assert!(problem.contains("no longer there"), "{problem}");
    assert!(guest.get::<Vec<ShootCard>>("shoots").await.is_empty());
    let back: Shoot = guest.post(&format!("{path}/restore"), &()).await;
    assert_eq!(back.frames.len(), 2);
    assert_eq!(guest.get::<Vec<ShootCard>>("shoots").await.len(), 1);
}

#[tokio::test]
async fn the_reference_frame_is_one_of_the_shoot_or_none() {
    let house = House::new(3);
    let guest = house.open().await;
    let (shoot, other) = (guest.filled(&house).await, guest.shoot("Other").await);
    let frame = shoot.frames[2].id;
    let choose = |frame: i64| ShootChange { reference_id: Some(frame), ..ShootChange::default() };
    let path = format!("shoots/{}", shoot.id);
    let chosen: Shoot = guest.patch(&path, &choose(frame)).await;
    assert_eq!(chosen.reference_id, Some(frame));
    let of_other = guest.ask(Method::PATCH, &format!("shoots/{}", other.id)).json(&choose(frame));
    let (status, problem) = guest.refused(of_other).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(problem, "This frame belongs to another shoot.");
    let none: Shoot = guest.patch(&path, &choose(0)).await;
    assert_eq!(none.reference_id, None);
}

#[tokio::test]
async fn probes_are_pinned_and_unpinned() {
    let house = House::new(0);
    let guest = house.open().await;
    let shoot = guest.shoot("Mast").await;
    let path = format!("shoots/{}/probes", shoot.id);
    let probe = NewProbe { name: "dark sky".to_owned(), x: 20, y: 30, size: 48 };
    let pinned: Shoot = guest.post(&path, &probe).await;
    let probes = &pinned.probes;
    assert_eq!((probes.len(), probes[0].x, probes[0].y, probes[0].size), (1, 20, 30, 48));
    let tiny = guest.ask(Method::POST, &path).json(&NewProbe { size: 2, ..probe });
    assert_eq!(guest.refused(tiny).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    guest.delete(&format!("{path}/{}", probes[0].id)).await;
    assert!(guest.get::<Shoot>(&format!("shoots/{}", shoot.id)).await.probes.is_empty());
}

#[tokio::test]
async fn listeners_hear_the_present_first_and_then_what_changes() {
    let house = House::new(0);
    let guest = house.open().await;
    let mut events = Events::of(&guest).await;
    assert!(matches!(events.next().await, Event::Present { jobs } if jobs.is_empty()));
    let made = guest.shoot("Mast").await;
    assert!(matches!(events.next().await, Event::Shoot { id } if id == made.id));
}

#[tokio::test]
async fn bodies_that_are_none_and_numbers_that_are_none_are_refused() {
    let house = House::new(0);
    let guest = house.open().await;
    for body in ["", "{", "{\"name\": 3}", "{\"name\":\"a\",\"kind\":\"mushroom\"}"] {
        let request = guest.ask(Method::POST, "shoots").body(body);
        let request = request.header("content-type", "application/json");
        assert!(request.send().await.unwrap().status().is_client_error(), "{body}");
    }
    for path in ["shoots/one", "shoots/9999999999999999999", "nothing", "shoots/7"] {
        let answer = guest.ask(Method::GET, path).send().await.unwrap();
        assert!(answer.status().is_client_error(), "{path}: {}", answer.status());
    }
    assert!(guest.get::<Vec<ShootCard>>("shoots").await.is_empty());
}
