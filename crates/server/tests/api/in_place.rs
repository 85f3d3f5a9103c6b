//! Frames that are read from their own files.

use crate::house::{Guest, House, SIZE};
use jade_pixels::read::PictureFile;
use jade_pixels::write::encode_jpeg;
use jade_scenes::night_sky::{NightSky, Options};
use jade_server::types::{JobState, PictureInfo, Shoot};
use reqwest::Method;
use std::path::Path;

/// A house whose card has plain TIFFs.
fn plain(frames: u32) -> House {
    let mut house = House::new(0);
    let (width, height) = SIZE;
    let options = Options { frames, darks: 0, width, height, seed: 65, deflate: false };
    NightSky::new(options).unwrap().write(&house.card(), |_, _| true).unwrap();
    house.frames =
        (0..frames).map(|i| house.card().join(jade_scenes::frame_name(i, frames))).collect();
    house
}

/// How many frames are stored at full size.
fn kept(house: &House) -> usize {
    let frames = std::fs::read_dir(house.data().join("cache/frames")).unwrap().flatten();
    frames.filter(|frame| frame.path().join("0.tiles").exists()).count()
}

/// What a file shows as 8-bit samples.
fn eight_bit(path: &Path) -> Vec<u8> {
    let mut samples = Vec::new();
    let mut take = |_, codes: &[u16]| {
        samples.extend(codes.iter().map(|code| (code >> 8) as u8));
        Ok(())
    };
    PictureFile::open(path).unwrap().rows(&mut take).unwrap();
    samples
}

/// Saves the frames of a house as JPEG in their place.
fn to_jpegs(house: &mut House) {
    for path in &mut house.frames {
        let jpeg = encode_jpeg(SIZE.0 as u16, SIZE.1 as u16, &eight_bit(path), 92);
        std::fs::remove_file(&*path).unwrap();
        path.set_extension("jpg");
        std::fs::write(path, jpeg).unwrap();
    }
}

async fn tile(guest: &Guest, frame: i64, level: u32) -> Vec<u8> {
    let path = format!("pictures/frame-{frame}/tiles/{level}/0_0.png");
    guest.ask(Method::GET, &path).send().await.unwrap().bytes().await.unwrap().to_vec()
}

#[tokio::test]
async fn plain_files_are_not_copied_and_look_the_same_as_packed_ones() {
    let (house, packed) = (plain(4), House::new(4));
    let (guest, other) = (house.open().await, packed.open().await);
    let shoot = guest.filled(&house).await;
    let same = other.filled(&packed).await;
    for (frame, other_frame) in shoot.frames.iter().zip(&same.frames) {
        let info: PictureInfo = guest.get(&format!("pictures/frame-{}", frame.id)).await;
        assert_eq!((info.width, info.height), SIZE);
        for level in 0..info.levels {
            assert_eq!(
                tile(&guest, frame.id, level).await,
                tile(&other, other_frame.id, level).await
            );
        }
    }
    assert_eq!((kept(&house), kept(&packed)), (0, 4));
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    assert_eq!(kept(&house), 0);
}

#[tokio::test]
async fn a_file_that_became_another_picture_is_told_and_not_stacked() {
    let house = plain(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let mut bytes = std::fs::read(&house.frames[1]).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 0x55;
    std::fs::write(&house.frames[1], &bytes).unwrap();
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    let shoot: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let report = &shoot.results[0].report;
    let reasons: Vec<_> =
        report.frames.iter().filter_map(|frame| frame.reason.as_deref()).collect();
    assert_eq!(report.frames.iter().filter(|frame| frame.used).count(), 3);
    let name = house.frames[1].file_name().unwrap().to_string_lossy();
    let wanted = format!(
        "{name}: the file was changed since it was added; add it again, and leave this one out."
    );
    assert_eq!(reasons, [wanted]);
}

#[tokio::test]
async fn a_card_that_was_taken_out_is_told_by_the_run() {
    let house = plain(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let away = house.card().with_extension("away");
    std::fs::rename(house.card(), &away).unwrap();
    let job = guest.run(shoot.id).await;
    assert_eq!(job.state, JobState::Failed);
    let problem = job.problem.unwrap();
    assert!(
        problem.contains("None of the frames can be read") && problem.contains("f01.tif: "),
        "{problem}"
    );
    std::fs::rename(&away, house.card()).unwrap();
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
}

#[tokio::test]
async fn jpegs_are_kept_at_full_size_once_they_are_looked_at_so() {
    let mut house = House::new(3);
    to_jpegs(&mut house);
    let codes = eight_bit(&house.frames[0]);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let first = shoot.frames[0].id;
    let info: PictureInfo = guest.get(&format!("pictures/frame-{first}")).await;
    assert_eq!((info.width, info.height), SIZE);
    assert!(!tile(&guest, first, info.levels - 1).await.is_empty());
    guest.measured(shoot.id).await;
    assert_eq!(kept(&house), 0);
    // Several tiles at once are what a browser asks for.
    let (one, other) = tokio::join!(tile(&guest, first, 0), tile(&guest, first, 0));
    assert_eq!(kept(&house), 1);
    assert_eq!(one, other);
    let mut reader = png::Decoder::new(std::io::Cursor::new(one)).read_info().unwrap();
    let mut seen = vec![0; reader.output_buffer_size().unwrap()];
    let tile_info = reader.next_frame(&mut seen).unwrap();
    let row = tile_info.width as usize * 3;
    for (y, line) in seen.chunks_exact(row).enumerate() {
        let at = y * SIZE.0 as usize * 3;
        let wanted = &codes[at..at + row];
        assert!(line.iter().zip(wanted).all(|(a, b)| a.abs_diff(*b) <= 1), "row {y}");
    }
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
}

#[tokio::test]
async fn a_jpeg_that_became_another_picture_before_it_was_looked_at_is_told() {
    let mut house = House::new(2);
    to_jpegs(&mut house);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    guest.measured(shoot.id).await;
    std::fs::copy(&house.frames[1], &house.frames[0]).unwrap();
    let path = format!("pictures/frame-{}/tiles/0/0_0.png", shoot.frames[0].id);
    let (_, problem) = guest.refused(guest.ask(Method::GET, &path)).await;
    assert!(problem.contains("the file was changed since it was added"), "{problem}");
    assert_eq!(kept(&house), 0);
}
