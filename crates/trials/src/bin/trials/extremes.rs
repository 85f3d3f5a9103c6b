//! Plans that ask for what nobody asks for.

use crate::program::{End, Program};
use crate::scene::Scene;
use crate::server::{self, Server};
use crate::tally::{Book, Tally};
use anyhow::Result;
use jade_trials::light;
use serde_json::{Value, json};
use std::path::Path;

pub fn trial(program: &Program, scene: &Scene, place: &Path, book: &mut Book) -> Result<()> {
    let whole: Value = serde_json::from_slice(&std::fs::read(&scene.plan)?)?;
    book.add(runs(program, scene, place, &whole)?);
    book.add(settings(program, scene, place, &whole["plan"])?);
    Ok(())
}

/// What each value of a plan is replaced with.
fn extremes() -> Vec<Value> {
    let far = [1e-30, 1e30, -1e30, 1e39, 1e300, 0.5];
    let whole = [0, -1, 1, 65_536, 4_294_967_295_i64, i64::MIN];
    let mut all: Vec<Value> = far.into_iter().map(Value::from).collect();
    all.extend(whole.map(Value::from));
    all.extend([json!(null), json!(true), json!("\u{0}../x"), json!([]), json!({})]);
    all.extend([json!("x".repeat(100_000)), json!([[1, 2, 3], 4])]);
    all
}

/// Paths to all values of a plan that are neither lists nor objects, and to empty lists.
fn leaves(value: &Value, at: &str, all: &mut Vec<String>) {
    match value {
        Value::Object(fields) => {
            for (key, inner) in fields {
                leaves(inner, &format!("{at}/{key}"), all);
            }
        }
        Value::Array(list) if !list.is_empty() => {
            // One frame stands for all.
            leaves(&list[0], &format!("{at}/0"), all);
        }
        _ => all.push(at.to_owned()),
    }
}

/// Plans that are carried out by the command line.
fn runs(program: &Program, scene: &Scene, place: &Path, whole: &Value) -> Result<Tally> {
    let mut tally = Tally::of("Plans with an extreme value, carried out");
    let mut places = vec![];
    leaves(whole, "", &mut places);
    let (frames, out) = (scene.folder.display().to_string(), place.join("out"));
    for at in places {
        for extreme in extremes() {
            let mut plan = whole.clone();
            let Some(value) = plan.pointer_mut(&at) else { continue };
            *value = extreme.clone();
            let path = place.join("extreme.plan.json");
            std::fs::write(&path, plan.to_string())?;
            let _ = std::fs::remove_dir_all(&out);
            tally.tried += 1;
            let shown = [path.display().to_string(), out.display().to_string()];
            let end = program.run(&["run", &shown[0], "--out", &shown[1], "--frames", &frames])?;
            let mut shown = extreme.to_string();
            shown.truncate(40);
            let what = format!("{at} = {shown}");
            match end {
                End::Done => match light(&out.join("extreme.tif")) {
                    Ok((_, light)) if light.iter().all(|v| v.is_finite()) => tally.right += 1,
                    Ok(_) => tally.wrong.push(format!("{what}: light that is no number")),
                    Err(error) => tally.wrong.push(format!("{what}: {error}")),
                },
                End::Refused(said) if said.len() > 400 => {
                    tally.wrong.push(format!("{what}: no sentence, but {} letters", said.len()));
                }
                End::Refused(_) => tally.refused += 1,
                End::Crashed(said) => tally.panics.push(format!("{what}: {said}")),
                End::Hung => tally.hangs.push(what),
            }
        }
    }
    tally.lost.extend(scene.changed());
    Ok(tally)
}

/// Settings that are sent to the web application: taken or refused, it answers as before.
fn settings(program: &Program, scene: &Scene, place: &Path, plan: &Value) -> Result<Tally> {
    let mut tally = Tally::of("Extreme settings sent to the web application");
    let log = place.join("log.txt");
    let data = place.join("data");
    let server = Server::start(program, &data, &scene.folder, &log)?;
    let shoot = server::shoot()?;
    let wish = json!({ "path": scene.folder, "role": "light" });
    server::json("POST", &format!("/api/shoots/{shoot}/folder"), &wish)?;
    let path = format!("/api/shoots/{shoot}");
    let mut places = vec![];
    leaves(plan, "", &mut places);
    for at in places {
        for extreme in extremes() {
            let mut change = extreme.clone();
            for key in at.split('/').skip(1).collect::<Vec<_>>().into_iter().rev() {
                // Lists are changed whole.
                change = match key {
                    "0" => json!([change]),
                    key => json!({ key: change }),
                };
            }
            tally.tried += 1;
            let mut shown = extreme.to_string();
            shown.truncate(40);
            let sent = json!({ "plan": change }).to_string();
            let answer = server::ask("PATCH", &path, sent.as_bytes())?;
            let said = answer.problem();
            match answer.status {
                200 => tally.right += 1,
                400..=499 if said.len() < 600 => {
                    program.note(&said);
                    tally.refused += 1;
                }
                status => tally.wrong.push(format!("{at} = {shown}: {status} {said:.300}")),
            }
            let after = server::ask("GET", &path, &[])?;
            if after.status != 200 {
                tally
                    .lost
                    .push(format!("{at} = {shown}: the shoot is locked: {}", after.problem()));
            }
            // From the same plan each time.
            server::json("PATCH", &path, &json!({ "plan": plan }))?;
        }
    }
    server.kill()?;
    server::note_log(&mut tally, program, &log)?;
    Ok(tally)
}
