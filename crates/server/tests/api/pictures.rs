use crate::house::{Guest, House, SIZE, settings};
use jade_plan::{Edges, Method as Combine};
use jade_server::types::{JobState, Measured, PictureInfo, Shoot, ShootCard};
use reqwest::{Method, StatusCode};

pub async fn png(guest: &Guest, path: &str) -> (u32, u32, Vec<u8>) {
    let answer = guest.ask(Method::GET, path).send().await.unwrap();
    assert_eq!(answer.status(), StatusCode::OK, "{path}");
    assert_eq!(answer.headers()["content-type"], "image/png");
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
    let change = settings(&plan);
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
    let (width, height, whole) = png(&guest, &format!("{source}/tiles/0/0_0.png")).await;
    assert!(width <= 420 && height <= 300 && width >= 128);
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
    let (width, height, _) =
        png(&guest, &format!("pictures/result-{result}/patch.png?x=200&y=40&size=48")).await;
    assert_eq!((width, height), (48, 48));
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

/// Means of red, green and blue of a PNG of the server, in linear light.
async fn light(guest: &Guest, path: &str) -> [f64; 3] {
    let linear = |code: u8| match f64::from(code) / 255.0 {
        dark if dark <= 0.04045 => dark / 12.92,
        v => ((v + 0.055) / 1.055).powf(2.4),
    };
    let (_, _, pixels) = png(guest, path).await;
    let pixels = pixels.as_chunks::<3>().0;
    let sum = pixels
        .iter()
        .fold([0.0; 3], |sum: [f64; 3], pixel| [0, 1, 2].map(|c| sum[c] + linear(pixel[c])));
    sum.map(|sum| sum / pixels.len() as f64)
}

#[tokio::test]
async fn a_difference_is_made_in_linear_light_at_any_size() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let mut plan = shoot.plan.clone();
    plan.prepare.gain_ev = 1.0;
    let _: Shoot = guest.patch(&format!("shoots/{}", shoot.id), &settings(&plan)).await;
    let id = shoot.frames[0].id;
    // One step brighter less itself is itself, and is shown six times as bright.
    for level in [0, 1] {
        let tile = format!("tiles/{level}/0_0.png?stops=0");
        let original = light(&guest, &format!("pictures/original-{id}/{tile}")).await;
        let apart = light(&guest, &format!("pictures/original-{id}~frame-{id}/{tile}")).await;
        for (value, apart) in original.iter().zip(apart) {
            assert!((apart / (6.0 * value) - 1.0).abs() < 0.1, "{level}: {value} {apart}");
        }
        let none = light(&guest, &format!("pictures/frame-{id}~frame-{id}/{tile}")).await;
        assert_eq!(none, [0.0; 3]);
    }
    let info: PictureInfo = guest.get(&format!("pictures/original-{id}~frame-{id}")).await;
    assert_eq!((info.width, info.height), SIZE);
    let (status, _) =
        guest.refused(guest.ask(Method::GET, &format!("pictures/frame-{id}~nothing"))).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
}

/// The part that a result and a frame share, which have different left tops.
#[tokio::test]
async fn a_difference_lies_where_both_pictures_do() {
    let house = House::new(5);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await.id;
    assert_eq!(guest.run(shoot).await.state, JobState::Done);
    let shoot: Shoot = guest.get(&format!("shoots/{shoot}")).await;
    let result = &shoot.results[0];
    assert_ne!(result.report.origin, [0, 0], "edges are trimmed");
    let source = format!("frame-{}~result-{}", result.reference_id, result.id);
    let info: PictureInfo = guest.get(&format!("pictures/{source}")).await;
    assert_eq!(
        (info.origin, [info.width, info.height]),
        (result.report.origin, result.report.size)
    );
    let noise = async |shoot: &str| light(&guest, &format!("pictures/{shoot}")).await[1];
    let tile = "tiles/0/0_0.png?stops=0";
    let apart = noise(&format!("{source}/{tile}")).await;
    // Stars lie on each other, so that noise alone is left, and with the next frame stars as well.
    let next = shoot.frames.iter().find(|f| f.id != result.reference_id).unwrap().id;
    let aside = noise(&format!("frame-{next}~result-{}/{tile}", result.id)).await;
    assert!(apart > 0.0 && aside > apart, "{apart} {aside}");
    assert!(info.levels > 1);
    let small = noise(&format!("{source}/tiles/1/0_0.png?stops=0")).await;
    assert!(small > 0.0 && small < apart, "noise is less in means of pixels: {small} {apart}");
}

#[tokio::test]
async fn pictures_are_kept_for_good_in_their_own_version_alone() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = done(&house, &guest).await;
    let (frame, result) = (&shoot.frames[0], &shoot.results[0]);
    let keep = async |path: String| {
        let answer = guest.ask(Method::GET, &format!("pictures/{path}")).send().await.unwrap();
        assert!(answer.status().is_success(), "{path}");
        answer.headers()["cache-control"].to_str().unwrap().to_owned()
    };
    for (source, version) in [
        (format!("frame-{}", frame.id), &frame.version),
        (format!("result-{}", result.id), &result.version),
    ] {
        let info: PictureInfo = guest.get(&format!("pictures/{source}")).await;
        assert_eq!(info.version, *version);
        for address in ["tiles/0/0_0.png", "thumbnail.jpg", "patch.png?x=50&y=50&size=48"] {
            let with = if address.contains('?') { '&' } else { '?' };
            let address = format!("{source}/{address}");
            assert!(keep(format!("{address}{with}v={version}")).await.contains("immutable"));
            assert_eq!(keep(address.clone()).await, "no-store");
            assert_eq!(keep(format!("{address}{with}v=before")).await, "no-store");
        }
    }
    let cards: Vec<ShootCard> = guest.get("shoots").await;
    assert_eq!(cards[0].version, result.version);
    // Another treatment makes other pixels.
    let mut plan = shoot.plan.clone();
    plan.prepare.gain_ev = 0.5;
    let now: Shoot = guest.patch(&format!("shoots/{}", shoot.id), &settings(&plan)).await;
    assert_ne!(now.frames[0].version, frame.version);
    assert_eq!(now.results[0].version, result.version);
}
