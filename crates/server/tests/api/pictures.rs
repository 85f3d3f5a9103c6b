use crate::house::{Guest, House};
use jade_core::plan::{Edges, Method as Combine};
use jade_server::types::{JobState, Measured, PictureInfo, Shoot, ShootChange};
use reqwest::{Method, StatusCode};

pub async fn png(guest: &Guest, path: &str) -> (u32, u32, Vec<u8>) {
    let answer = guest.ask(Method::GET, path).send().await.unwrap();
    assert_eq!(answer.status(), StatusCode::OK, "{path}");
    assert_eq!(answer.headers()["content-type"], "image/png");
    assert!(answer.headers()["cache-control"].to_str().unwrap().contains("immutable"));
    let bytes = answer.bytes().await.unwrap();
    let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
    let mut out = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut out).unwrap();
    out.truncate(info.buffer_size());
    (info.width, info.height, out)
}

fn mean(samples: &[u8]) -> f64 {
    samples.iter().map(|&v| v as f64).sum::<f64>() / samples.len() as f64
}

/// A shoot with a result whose edges are kept, by the clipped mean.
async fn done(house: &House, guest: &Guest) -> Shoot {
    let shoot = guest.filled(house).await;
    let mut plan = shoot.plan.clone();
    plan.combine.edges = Edges::Keep;
    plan.combine.method = Combine::Clipped;
    let change = ShootChange { plan: Some(plan), ..ShootChange::default() };
    guest.patch::<Shoot>(&format!("shoots/{}", shoot.id), &change).await;
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    guest.get(&format!("shoots/{}", shoot.id)).await
}

#[tokio::test]
async fn frames_are_shown_in_tiles_of_every_size_and_brighter_when_asked() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let source = format!("pictures/frame-{}", shoot.frames[0].id);
    let info: PictureInfo = guest.get(&source).await;
    assert_eq!((info.width, info.height, info.origin), (420, 300, [0, 0]));
    assert!(info.levels >= 2);
    let (wide, tall, whole) = png(&guest, &format!("{source}/tiles/0/0_0.png")).await;
    assert!(wide <= 420 && tall <= 300 && wide >= 128);
    let (_, _, brighter) = png(&guest, &format!("{source}/tiles/0/0_0.png?stops=2")).await;
    assert!(mean(&brighter) > 1.3 * mean(&whole), "{} {}", mean(&brighter), mean(&whole));
    let last = info.levels - 1;
    let (small, _, coarse) = png(&guest, &format!("{source}/tiles/{last}/0_0.png")).await;
    assert!(small < 420 && mean(&coarse) > 0.0);
    for place in ["0/9_9.png", "77/0_0.png", "0/a_b.png", "0/0_0.jpg"] {
        let tile = guest.ask(Method::GET, &format!("{source}/tiles/{place}"));
        let (status, problem) = guest.refused(tile).await;
        assert_eq!(status, StatusCode::NOT_FOUND, "{place}");
        assert!(problem.contains("This tile"), "{problem}");
    }
}

#[tokio::test]
async fn thumbnails_are_small_pictures() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let path = format!("pictures/frame-{}/thumbnail.jpg", shoot.frames[1].id);
    let answer = guest.ask(Method::GET, &path).send().await.unwrap();
    assert_eq!(answer.headers()["content-type"], "image/jpeg");
    let bytes = answer.bytes().await.unwrap();
    assert!(bytes.starts_with(&[0xff, 0xd8, 0xff]) && bytes.len() < 60_000, "{}", bytes.len());
}

#[tokio::test]
async fn a_result_its_maps_and_a_placed_frame_can_be_looked_at() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = done(&house, &guest).await;
    let result = shoot.results[0].id;
    let [width, height] = shoot.results[0].report.size;
    let frame = shoot.frames[0].id;
    for source in [
        format!("result-{result}"),
        format!("placed-{result}-{frame}"),
        format!("rejected-{result}"),
        format!("coverage-{result}"),
    ] {
        let info: PictureInfo = guest.get(&format!("pictures/{source}")).await;
        assert_eq!((info.width, info.height), (width, height), "{source}");
        assert_eq!(info.source, source);
        let (_, _, tile) = png(&guest, &format!("pictures/{source}/tiles/0/0_0.png")).await;
        assert!(!tile.is_empty(), "{source}");
    }
}

#[tokio::test]
async fn a_patch_of_the_result_is_less_noisy_than_of_a_frame() {
    let house = House::new(5);
    let guest = house.open().await;
    let shoot = done(&house, &guest).await;
    let (result, reference) = (shoot.results[0].id, shoot.results[0].reference_id);
    let measure = async |source: String| -> f32 {
        let path = format!("pictures/{source}/measure?x=200&y=40&size=48");
        guest.get::<Measured>(&path).await.figures.unwrap().noise
    };
    let single = measure(format!("frame-{reference}")).await;
    let stacked = measure(format!("result-{result}")).await;
    assert!(single > 1.7 * stacked, "{single} {stacked}");
    let (wide, tall, _) =
        png(&guest, &format!("pictures/result-{result}/patch.png?x=200&y=40&size=48")).await;
    assert_eq!((wide, tall), (48, 48));
}

#[tokio::test]
async fn patches_out_of_range_are_refused_and_outside_the_picture_there_are_none() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let source = format!("pictures/frame-{}", shoot.frames[0].id);
    for size in [0, 7, 513] {
        let path = format!("{source}/patch.png?x=0&y=0&size={size}");
        let (status, problem) = guest.refused(guest.ask(Method::GET, &path)).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
        assert_eq!(problem, "A patch is 8 to 512 pixels wide.");
    }
    let far = guest.ask(Method::GET, &format!("{source}/patch.png?x=5000&y=0&size=16"));
    assert_eq!(guest.refused(far).await.0, StatusCode::NOT_FOUND);
    let far: Measured = guest.get(&format!("{source}/measure?x=5000&y=0&size=16")).await;
    assert!(far.figures.is_none());
}

#[tokio::test]
async fn names_that_are_no_pictures_are_told_so() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let none = format!("frame-{}", shoot.frames[1].id + 99);
    for source in ["frame-", "frame-x", "picture-1", none.as_str(), "result-1", "rejected-1"] {
        let (status, problem) =
            guest.refused(guest.ask(Method::GET, &format!("pictures/{source}"))).await;
        assert!(status.is_client_error(), "{source}: {status}");
        assert!(problem.ends_with('.'), "{problem}");
    }
}
