use crate::house::{Guest, House, names, wish};
use jade_engine::export::Colours;
use jade_pixels::facts::{GpsEntry, GpsValue};
use jade_pixels::read::PictureFile;
use jade_pixels::write::{Picture, Taken, Target, write_picture};
use jade_plan::PlanRecord;
use jade_server::types::{Export, ExportFormat, JobState, NewExport, Shoot, ShootChange};
use reqwest::{Method, StatusCode};

async fn done(house: &House, guest: &Guest) -> Shoot {
    let shoot = guest.filled(house).await;
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    guest.get(&format!("shoots/{}", shoot.id)).await
}

async fn save(guest: &Guest, shoot: &Shoot, format: ExportFormat) -> Export {
    guest.save(shoot.results[0].id, &wish(format)).await
}

#[tokio::test]
async fn every_form_is_a_picture_of_the_results_size_with_its_plan_beside_it() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = done(&house, &guest).await;
    let [width, height] = shoot.results[0].report.size;
    for (format, ending, kind) in [
        (ExportFormat::Tiff16, ".tif", "image/tiff"),
        (ExportFormat::Png16, ".png", "image/png"),
        (ExportFormat::Jpeg, ".jpg", "image/jpeg"),
    ] {
        let export = save(&guest, &shoot, format).await;
        assert!(export.file.starts_with("Mast ") && export.file.ends_with(ending));
        let answer =
            guest.ask(Method::GET, &format!("exports/{}/file", export.id)).send().await.unwrap();
        let headers = answer.headers().clone();
        assert_eq!(headers["content-type"], kind);
        let disposition = headers["content-disposition"].to_str().unwrap();
        assert!(disposition.contains(&export.file), "{disposition}");
        let bytes = answer.bytes().await.unwrap();
        assert_eq!(bytes.len() as i64, export.bytes);
        let path = house.data().join("exports").join(&export.file);
        assert!(std::fs::read(&path).unwrap() == bytes);
        let file = PictureFile::open(&path).unwrap();
        assert_eq!((file.facts().width, file.facts().height), (width, height));
        if ending == ".tif" {
            assert!(file.facts().exposure_s.is_some(), "it tells how the frames were taken");
        }
    }
    let record: PlanRecord = {
        let export = save(&guest, &shoot, ExportFormat::Jpeg).await;
        guest.get(&format!("exports/{}/plan", export.id)).await
    };
    assert_eq!(record.plan, shoot.results[0].plan);
    assert_eq!(record.frames.len(), 3);
}

#[tokio::test]
async fn a_download_that_broke_off_goes_on_where_it_was() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = done(&house, &guest).await;
    let export = save(&guest, &shoot, ExportFormat::Jpeg).await;
    let address = format!("exports/{}/file", export.id);
    let rest = guest.ask(Method::GET, &address).header("range", "bytes=100-").send().await.unwrap();
    assert_eq!(rest.status(), StatusCode::PARTIAL_CONTENT);
    let whole = std::fs::read(house.data().join("exports").join(&export.file)).unwrap();
    assert!(rest.bytes().await.unwrap() == whole[100..]);
    std::fs::remove_file(house.data().join("exports").join(&export.file)).unwrap();
    let (status, said) = guest.refused(guest.ask(Method::GET, &address)).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
    assert!(said.contains("no longer in the exports folder"), "{said}");
}

/// The same light in every file, each telling its own colours, and no file in another's place.
#[tokio::test]
async fn the_person_chooses_the_colours_and_whether_the_place_is_told() {
    let house = House::new(3);
    // Where the frames were taken.
    let gps = vec![
        GpsEntry { tag: 1, value: GpsValue::Text("N".to_owned()) },
        GpsEntry { tag: 2, value: GpsValue::Ratios(vec![[36, 1], [45, 1], [12, 1]]) },
    ];
    for path in &house.frames {
        let file = PictureFile::open(path).unwrap();
        let (mut facts, encoding) = (file.facts().clone(), file.encoding().clone());
        facts.details.gps.clone_from(&gps);
        let mut codes = vec![];
        file.rows(&mut |_, rows| {
            codes.extend_from_slice(rows);
            Ok(())
        })
        .unwrap();
        let (width, height) = (facts.width, facts.height);
        let taken = Some(Taken { facts: &facts, stack: None, place: true });
        let picture = Picture { width, height, channels: 3, encoding: &encoding, taken };
        write_picture(
            path,
            Target::Tiff { sixteen_bit: true, deflate: true },
            &picture,
            &mut |y, out| {
                let from = y as usize * width as usize * 3;
                out.copy_from_slice(&codes[from..from + out.len()]);
                Ok(())
            },
        )
        .unwrap();
    }
    let guest = house.open().await;
    let shoot = done(&house, &guest).await;
    let all = [
        (Colours::Input, true),
        (Colours::Srgb, false),
        (Colours::DisplayP3, true),
        (Colours::A98, true),
        (Colours::Prophoto, true),
        (Colours::Linear, true),
    ];
    let (mut names, mut lights) = (vec![], vec![]);
    for (colours, place) in all {
        let wish = NewExport { format: ExportFormat::Tiff16, colours, place };
        let export = guest.save(shoot.results[0].id, &wish).await;
        let file = PictureFile::open(&house.data().join("exports").join(&export.file)).unwrap();
        assert_eq!(
            file.facts().details.gps.iter().any(|entry| entry.tag == 2),
            place,
            "{colours:?}"
        );
        names.push((file.encoding().name().to_owned(), export.file));
        let mut light = vec![];
        let matrix = file.encoding().to_srgb();
        let in_srgb = |pixel: &[f32; 3]| {
            matrix.map(|row| row.iter().zip(pixel).map(|(weight, v)| weight * v).sum::<f32>())
        };
        file.light(&mut |_, rows| {
            light.extend(rows.as_chunks::<3>().0.iter().flat_map(in_srgb));
            Ok(())
        })
        .unwrap();
        lights.push(light);
    }
    for (i, (profile, file)) in names.iter().enumerate() {
        assert!(names[..i].iter().all(|(_, other)| other != file), "{names:?}");
        // The frames are sRGB themselves.
        let same = names[..i].iter().any(|(other, _)| other == profile);
        assert_eq!(same, i == 1, "{names:?}");
    }
    for light in &lights[1..] {
        // What is brighter than sRGB's white is cut off in sRGB alone.
        let pixels = light.as_chunks::<3>().0.iter().zip(lights[0].as_chunks::<3>().0);
        let within = pixels.filter(|(_, srgb)| srgb.iter().all(|v| *v < 0.999));
        let off = within.flat_map(|(a, b)| [0, 1, 2].map(|c| (a[c] - b[c]).abs()));
        let off = off.fold(0.0, f32::max);
        assert!(off < 1e-4, "{off}");
    }
}

#[tokio::test]
async fn linear_light_is_saved_as_floats() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = done(&house, &guest).await;
    let export = save(&guest, &shoot, ExportFormat::Tiff32f).await;
    assert!(export.file.ends_with(".light.tif"));
    let [width, height] = shoot.results[0].report.size;
    assert!(export.bytes >= (width * height * 12) as i64);
}

#[tokio::test]
async fn an_export_of_the_same_form_replaces_its_file_whole() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = done(&house, &guest).await;
    let first = save(&guest, &shoot, ExportFormat::Png16).await;
    let second = save(&guest, &shoot, ExportFormat::Png16).await;
    assert_eq!((first.file.as_str(), first.bytes), (second.file.as_str(), second.bytes));
    let listed = names(&house.data().join("exports"));
    assert_eq!(listed.len(), 2, "{listed:?}");
    assert!(listed.iter().all(|name| !name.starts_with(".aside")));
}

#[tokio::test]
async fn names_that_no_file_may_have_become_ones_it_may() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = done(&house, &guest).await;
    let name = Some("../Düne: night / \"two\"".to_owned());
    let change = ShootChange { name, ..ShootChange::default() };
    guest.patch::<Shoot>(&format!("shoots/{}", shoot.id), &change).await;
    let export = save(&guest, &shoot, ExportFormat::Jpeg).await;
    assert!(!export.file.contains(['/', '"', ':']), "{}", export.file);
    assert!(house.data().join("exports").join(&export.file).exists());
    let answer =
        guest.ask(Method::GET, &format!("exports/{}/file", export.id)).send().await.unwrap();
    assert!(answer.headers()["content-disposition"].to_str().is_ok());
}

#[tokio::test]
async fn a_file_that_was_taken_away_is_told_missing() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = done(&house, &guest).await;
    let export = save(&guest, &shoot, ExportFormat::Jpeg).await;
    std::fs::remove_file(house.data().join("exports").join(&export.file)).unwrap();
    let request = guest.ask(Method::GET, &format!("exports/{}/file", export.id));
    let (status, problem) = guest.refused(request).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
    assert!(problem.starts_with(&export.file) && problem.contains("save it again"), "{problem}");
    let none = guest.ask(Method::POST, "results/77/exports");
    let none = none.json(&wish(ExportFormat::Jpeg));
    assert_eq!(guest.refused(none).await.0, StatusCode::NOT_FOUND);
}
