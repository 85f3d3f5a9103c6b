use crate::house::{Guest, House, settings};
use jade_combine::mask::Mask;
use jade_pixels::write::Target;
use jade_plan::{GroundFrom, NamedFile, Paint, Plan, SkylineMode, Stroke};
use jade_server::types::{JobState, PictureInfo, Shoot, SkylineSeen};
use reqwest::{Method, StatusCode};

pub async fn plan(guest: &Guest, shoot: i64, change: impl FnOnce(&mut Plan)) -> Shoot {
    let path = format!("shoots/{shoot}");
    let mut plan = guest.get::<Shoot>(&path).await.plan;
    change(&mut plan);
    guest.patch(&path, &settings(&plan)).await
}

async fn mask(guest: &Guest, shoot: i64) -> Mask {
    let answer = guest.ask(Method::GET, &format!("shoots/{shoot}/skyline/mask.tif"));
    let bytes = answer.send().await.unwrap().bytes().await.unwrap();
    let file = tempfile::Builder::new().suffix(".tif").tempfile().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    let size = jade_pixels::read::PictureFile::open(file.path()).unwrap();
    Mask::read(file.path(), (size.facts().width, size.facts().height)).unwrap()
}

fn dab(paint: Paint, x: f32, y: f32) -> Stroke {
    Stroke { paint, points: vec![[x, y, 8.0]], soft: 0.0 }
}

#[tokio::test]
async fn painted_work_is_followed_and_is_there_after_a_restart() {
    let house = House::new(5);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await.id;
    // The reference frame is proposed once all are measured.
    guest.measured(shoot).await;
    let path = format!("shoots/{shoot}/skyline");
    let found: SkylineSeen = guest.find(&path).await;
    assert!((0.1..0.99).contains(&found.sky) && !found.places.is_empty(), "{found:?}");
    let before = mask(&guest, shoot).await;
    let (width, _) = before.size();
    assert_eq!(before.at(i64::from(width) / 2, 10), 255);
    plan(&guest, shoot, |plan| {
        plan.skyline.strokes.push(dab(Paint::GroundBrush, width as f32 / 2.0, 10.0));
    })
    .await;
    let painted: SkylineSeen = guest.find(&path).await;
    assert_ne!(painted.version, found.version);
    let info: PictureInfo = guest.get(&format!("pictures/skyline-{shoot}")).await;
    assert_eq!((info.version.as_str(), info.width), (painted.version.as_str(), width));
    for laid in ["hatching", "mask", "sky", "ground", "doubt"] {
        let tile = format!("pictures/skyline-{shoot}/tiles/0/0_0.png?laid={laid}");
        let tile = guest.ask(Method::GET, &tile).send().await.unwrap();
        assert_eq!(tile.status(), StatusCode::OK, "{laid}");
    }
    let now = mask(&guest, shoot).await;
    assert_eq!(now.at(i64::from(width) / 2, 10), 0);
    guest.close().await;
    let guest = house.open().await;
    // Looking at it computes nothing.
    let not_yet = guest.refused(guest.ask(Method::GET, &path)).await;
    assert_eq!(not_yet.0, StatusCode::NOT_FOUND, "{}", not_yet.1);
    let _: SkylineSeen = guest.find(&path).await;
    assert_eq!(mask(&guest, shoot).await, now);
    plan(&guest, shoot, |plan| plan.skyline.strokes.clear()).await;
    let _: SkylineSeen = guest.find(&path).await;
    assert_eq!(mask(&guest, shoot).await, before);
}

#[tokio::test]
async fn a_mask_is_loaded_and_its_layers_are_kept() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let facts = shoot.frames[0].facts.clone().unwrap();
    let (width, height) = (facts.width, facts.height);
    let file = |width: u32, height: u32| {
        let share = |i: u32| if i / width < height * 2 / 3 { 255 } else { 0 };
        let file = tempfile::Builder::new().suffix(".png").tempfile().unwrap();
        let mask = Mask::new((width, height), (0..width * height).map(share).collect());
        mask.write(file.path(), Target::Png { sixteen_bit: true }).unwrap();
        std::fs::read(file.path()).unwrap()
    };
    let address = format!("shoots/{}/skyline/mask?name=mine.png", shoot.id);
    let small = guest.ask(Method::POST, &address).body(file(30, 20));
    let (status, said) = guest.refused(small).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(said.contains("mine.png: this mask has 30 x 20 pixels"), "{said}");
    let whole = guest.ask(Method::POST, &address).body(file(width, height)).send().await.unwrap();
    let kept: NamedFile = whole.json().await.unwrap();
    plan(&guest, shoot.id, |plan| {
        plan.skyline.mask = Some(kept);
        plan.skyline.mode = SkylineMode::Mask;
    })
    .await;
    let path = format!("shoots/{}/skyline", shoot.id);
    let seen: SkylineSeen = guest.find(&path).await;
    assert!((seen.sky - 2.0 / 3.0).abs() < 0.01 && seen.unsure == 0.0);
    let job = guest.run(shoot.id).await;
    assert_eq!((job.state, job.problem), (JobState::Done, None));
    let result = guest.get::<Shoot>(&format!("shoots/{}", shoot.id)).await.results[0].clone();
    assert!(result.report.skyline().is_some());
    for layer in ["sky", "ground"] {
        let info: PictureInfo = guest.get(&format!("pictures/{layer}-{}", result.id)).await;
        assert_eq!([info.width, info.height], result.report.size);
    }
}

#[tokio::test]
async fn why_there_is_no_skyline_is_said() {
    let house = House::new(5);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await.id;
    plan(&guest, shoot, |plan| plan.align.mode = jade_plan::AlignMode::None).await;
    let path = format!("shoots/{shoot}/skyline");
    let said = guest.carry_out(&path, &()).await.problem.unwrap();
    assert!(said.contains("aligned on the stars"), "{said}");
    plan(&guest, shoot, |plan| {
        plan.align.mode = jade_plan::AlignMode::Stars;
        plan.skyline.mode = SkylineMode::Auto;
        plan.skyline.ground.from = GroundFrom::Set { set: 99 };
    })
    .await;
    let job = guest.run(shoot).await;
    assert_eq!(job.state, JobState::Failed);
    let problem = job.problem.unwrap();
    assert!(problem.contains("add a ground set"), "{problem}");
}

#[tokio::test]
async fn one_frame_alone_has_a_skyline_that_is_told_as_such() {
    let house = House::new(1);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await.id;
    let seen: SkylineSeen = guest.find(&format!("shoots/{shoot}/skyline")).await;
    assert_eq!(seen.frames, 1, "{seen:?}");
    assert!((0.1..0.99).contains(&seen.sky) && !seen.places.is_empty(), "{seen:?}");
}
