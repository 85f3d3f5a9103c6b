//! The program is killed at random moments, as by a power cut, and started again.

use crate::program::{End, Program};
use crate::scene::{Scene, inside};
use crate::server::{self, Server};
use crate::tally::{Book, Tally};
use anyhow::Result;
use rand::{Rng, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;
use serde_json::json;
use std::path::Path;
use std::time::{Duration, Instant};

const RUNS: u32 = 40;
const SERVED: u32 = 20;
const ADDED: u32 = 20;

pub fn trial(program: &Program, scene: &Scene, place: &Path, book: &mut Book) -> Result<()> {
    let mut random = Xoshiro256PlusPlus::seed_from_u64(11);
    book.add(runs(program, scene, &place.join("runs"), &mut random)?);
    book.add(served(program, scene, &place.join("served"), &mut random)?);
    book.add(added(program, scene, &place.join("added"), &mut random)?);
    Ok(())
}

/// Runs of the command line.
fn runs(program: &Program, scene: &Scene, place: &Path, random: &mut impl Rng) -> Result<Tally> {
    let mut tally = Tally::of("Command line killed while it stacks, and run again");
    for i in 0..RUNS {
        let (out, scratch) = (place.join(format!("{i}")), place.join(format!("{i}-scratch")));
        std::fs::create_dir_all(&out)?;
        std::fs::create_dir_all(&scratch)?;
        let picture = out.join("r.tif");
        // Every second run replaces an older file.
        let before = i % 2 == 1;
        if before {
            std::fs::write(&picture, "what was there")?;
        }
        let mut arguments = scene.stack(&picture);
        arguments.extend(["--replace", "--scratch"].map(str::to_owned));
        arguments.push(scratch.display().to_string());
        let mut child = program.start(&arguments)?;
        std::thread::sleep(scene.time.mul_f64(random.random_range(0.0..1.05)));
        let _ = child.kill();
        child.wait()?;
        tally.tried += 1;
        tally.lost.extend(scene.changed());
        match std::fs::read(&picture) {
            Ok(bytes) if bytes == scene.result => {}
            Ok(bytes) if before && bytes == b"what was there" => {}
            Ok(_) => tally.wrong.push(format!("run {i}: half a result lies there")),
            Err(_) if before => tally.lost.push(format!("run {i}: what was there is gone")),
            Err(_) => {}
        }
        note(&mut tally, program.run(&arguments)?, i);
        match std::fs::read(&picture) {
            Ok(bytes) if bytes == scene.result => tally.right += 1,
            Ok(_) => tally.wrong.push(format!("run {i}: the next run gave another result")),
            Err(_) => {}
        }
        let left = [inside(&out)?, inside(&scratch)?].concat();
        if left != ["r.tif"] {
            tally.lost.push(format!("run {i}: leftovers stay: {left:?}"));
        }
    }
    Ok(tally)
}

fn note(tally: &mut Tally, end: End, i: u32) {
    match end {
        End::Done => {}
        End::Refused(said) => tally.lost.push(format!("{i}: the next run is refused: {said}")),
        End::Crashed(said) => tally.panics.push(format!("{i}: {said}")),
        End::Hung => tally.hangs.push(format!("{i}")),
    }
}

/// The web application while it stacks.
fn served(program: &Program, scene: &Scene, place: &Path, random: &mut impl Rng) -> Result<Tally> {
    let mut tally = Tally::of("Web application killed while it stacks, and started again");
    std::fs::create_dir_all(place)?;
    let log = place.join("log.txt");
    let data = place.join("data");
    let (shoot, whole, time) = {
        let server = Server::start(program, &data, &scene.folder, &log)?;
        let shoot = server::shoot()?;
        let wish = json!({ "path": scene.folder, "role": "light" });
        server::json("POST", &format!("/api/shoots/{shoot}/folder"), &wish)?;
        server::until(shoot, is_measured)?;
        let begun = Instant::now();
        let whole = server::result(shoot)?;
        let time = begun.elapsed();
        server.kill()?;
        (shoot, whole, time)
    };
    for i in 0..SERVED {
        let server = Server::start(program, &data, &scene.folder, &log)?;
        // Another setting each time, so that nothing of it is kept from before.
        let clip = 2.0 + 0.05 * f64::from(i);
        let change = |clip: f64| json!({ "plan": { "combine": { "clip": clip } } });
        let path = format!("/api/shoots/{shoot}");
        server::json("PATCH", &path, &change(clip))?;
        server::json("POST", &format!("{path}/runs"), &json!(null))?;
        std::thread::sleep(time.mul_f64(random.random_range(0.0..0.8)));
        server.kill()?;
        tally.tried += 1;
        tally.lost.extend(scene.changed());
        let server = Server::start(program, &data, &scene.folder, &log)?;
        let now = server::get(&path)?;
        if !server::is_still(&now) {
            tally.lost.push(format!("{i}: a job seems to run after the restart"));
        }
        if now["frames"].as_array().map(Vec::len) != Some(scene.frames.len()) {
            tally.lost.push(format!("{i}: frames are gone"));
        }
        // The plan has numbers of single precision.
        let kept = now["plan"]["combine"]["clip"].as_f64().unwrap_or_default();
        if (kept - clip).abs() > 1e-6 {
            tally.lost.push(format!("{i}: a setting is gone"));
        }
        server::json("PATCH", &path, &change(2.8))?;
        match server::result(shoot) {
            Ok(bytes) if bytes == whole => tally.right += 1,
            Ok(_) => tally.wrong.push(format!("{i}: the next run gave another result")),
            Err(error) => tally.lost.push(format!("{i}: {error}")),
        }
        server.kill()?;
    }
    server::note_log(&mut tally, program, &log)?;
    Ok(tally)
}

fn is_measured(shoot: &serde_json::Value) -> bool {
    let frames = shoot["frames"].as_array().map(Vec::as_slice).unwrap_or_default();
    !frames.is_empty()
        && frames.iter().all(|frame| frame["measures"].is_object() || frame["problem"].is_string())
}

/// The web application while frames are sent to it.
fn added(program: &Program, scene: &Scene, place: &Path, random: &mut impl Rng) -> Result<Tally> {
    let mut tally = Tally::of("Web application killed while frames are sent to it");
    std::fs::create_dir_all(place)?;
    let log = place.join("log.txt");
    let data = place.join("data");
    for i in 0..ADDED {
        let server = Server::start(program, &data, &scene.folder, &log)?;
        let shoot = server::shoot()?;
        let moment = Duration::from_secs_f64(random.random_range(0.0..0.5));
        let frames = &scene.frames;
        let sent = std::thread::spawn({
            let frames = frames.clone();
            move || {
                let mut kept = vec![];
                for path in &frames {
                    let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
                    let Ok(bytes) = std::fs::read(path) else { break };
                    let to = format!("/api/shoots/{shoot}/upload?name={name}");
                    match server::ask("POST", &to, &bytes) {
                        Ok(answer) if answer.status / 100 == 2 => kept.push(name),
                        _ => break,
                    }
                }
                kept
            }
        });
        std::thread::sleep(moment);
        server.kill()?;
        let kept = sent.join().expect("the sender does not panic");
        tally.tried += 1;
        let server = Server::start(program, &data, &scene.folder, &log)?;
        let now = server::get(&format!("/api/shoots/{shoot}"))?;
        let there = now["frames"].as_array().cloned().unwrap_or_default();
        let names: Vec<&str> = there.iter().filter_map(|frame| frame["name"].as_str()).collect();
        let gone: Vec<&String> = kept.iter().filter(|name| !names.contains(&&***name)).collect();
        if !gone.is_empty() {
            tally.lost.push(format!("{i}: accepted and gone: {gone:?}"));
        }
        let now = server::until(shoot, |now| now["frames"] == json!([]) || is_measured(now))?;
        let problem = |frame: &serde_json::Value| frame["problem"].as_str().map(str::to_owned);
        let bad: Vec<String> =
            now["frames"].as_array().into_iter().flatten().filter_map(problem).collect();
        if bad.is_empty() && gone.is_empty() {
            tally.right += 1;
        } else {
            tally.wrong.extend(bad);
        }
        server.kill()?;
        let half = inside(&data.join("incoming"))?;
        // What came halfway is swept at the next start.
        if i + 1 == ADDED && half.len() > 1 {
            tally.lost.push(format!("half uploads stay: {half:?}"));
        }
    }
    server::note_log(&mut tally, program, &log)?;
    Ok(tally)
}
