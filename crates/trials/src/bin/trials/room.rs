//! Too little room on the disk: a small file system in memory, where the system lets one be mounted.

use crate::program::{End, Program};
use crate::scene::{Scene, inside};
use crate::server::{self, Server};
use crate::tally::{Book, Tally};
use anyhow::Result;
use serde_json::json;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// Sizes that are tried, in KiB, where a result of 2 MiB goes.
const FOR_RESULT: [u32; 12] = [64, 256, 512, 1024, 1536, 1792, 1920, 2048, 2304, 2560, 3072, 4096];
/// The sizes for a run that leaves 64 MiB free.
const FOR_DATA: [u32; 18] = [
    64, 256, 1024, 4096, 16_384, 49_152, 61_440, 65_536, 67_584, 69_632, 71_680, 73_728, 77_824,
    81_920, 98_304, 114_688, 131_072, 196_608,
];
/// Enough for everything, in KiB.
const ENOUGH: u32 = 1 << 20;

/// A small file system, taken off with this.
struct Room(PathBuf);

impl Drop for Room {
    fn drop(&mut self) {
        let _ = quiet(Command::new("umount").arg("--lazy").arg(&self.0));
    }
}

fn quiet(command: &mut Command) -> bool {
    let silent = command.stdout(Stdio::null()).stderr(Stdio::null());
    silent.status().is_ok_and(|status| status.success())
}

impl Room {
    fn of(place: &Path, kib: u32) -> Option<Self> {
        std::fs::create_dir_all(place).ok()?;
        let size = format!("size={kib}k");
        let mut mount = Command::new("mount");
        mount.args(["-t", "tmpfs", "-o", &size, "tmpfs"]).arg(place);
        quiet(&mut mount).then(|| Self(place.to_owned()))
    }

    fn grow(&self) -> bool {
        let size = format!("remount,size={ENOUGH}k");
        quiet(Command::new("mount").args(["-o", &size]).arg(&self.0))
    }
}

/// Takes off what an earlier run of the trials may have left mounted.
pub fn release(folder: &Path) {
    for name in ["out", "scratch", "data"] {
        let place = folder.join("room").join(name);
        while place.is_dir() && quiet(Command::new("umount").arg("--lazy").arg(&place)) {}
    }
}

pub fn trial(program: &Program, scene: &Scene, place: &Path, book: &mut Book) -> Result<()> {
    if Room::of(&place.join("out"), 64).is_none() {
        book.leave_out("too little room, because the system lets no small file system be mounted");
        return Ok(());
    }
    release(place.parent().unwrap_or(place));
    book.add(out(program, scene, place)?);
    book.add(scratch(program, scene, place)?);
    book.add(data(program, scene, place)?);
    Ok(())
}

/// Too little for the result.
fn out(program: &Program, scene: &Scene, place: &Path) -> Result<Tally> {
    let mut tally = Tally::of("Too little room for the result");
    let folder = place.join("out");
    for kib in FOR_RESULT {
        let Some(_room) = Room::of(&folder, kib) else { continue };
        let picture = folder.join("r.tif");
        let end = program.run(&scene.stack(&picture))?;
        judge(&mut tally, scene, end, kib, std::fs::read(&picture).ok());
        let left = inside(&folder)?;
        if left.iter().any(|name| name != "r.tif") {
            tally.lost.push(format!("{kib} KiB: leftovers stay: {left:?}"));
        }
    }
    Ok(tally)
}

/// Too little for what lies aside during a run.
fn scratch(program: &Program, scene: &Scene, place: &Path) -> Result<Tally> {
    let mut tally = Tally::of("Too little room for scratch files");
    let folder = place.join("scratch");
    for (i, kib) in FOR_DATA.into_iter().enumerate() {
        let Some(_room) = Room::of(&folder, kib) else { continue };
        let picture = place.join(format!("r{i}.tif"));
        let mut arguments = scene.stack(&picture);
        arguments.extend(["--scratch".to_owned(), folder.display().to_string()]);
        let end = program.run(&arguments)?;
        judge(&mut tally, scene, end, kib, std::fs::read(&picture).ok());
        let left = inside(&folder)?;
        if !left.is_empty() {
            tally.lost.push(format!("{kib} KiB: leftovers stay: {left:?}"));
        }
    }
    Ok(tally)
}

fn judge(tally: &mut Tally, scene: &Scene, end: End, kib: u32, result: Option<Vec<u8>>) {
    tally.tried += 1;
    tally.lost.extend(scene.changed());
    match (end, result) {
        (End::Done, Some(bytes)) if bytes == scene.result => tally.right += 1,
        (End::Done, _) => tally.wrong.push(format!("{kib} KiB: another result")),
        (End::Refused(_), None) => tally.refused += 1,
        (End::Refused(said), Some(_)) => {
            tally.wrong.push(format!("{kib} KiB: half a result lies there: {said}"));
        }
        (End::Crashed(said), _) => tally.panics.push(format!("{kib} KiB: {said}")),
        (End::Hung, _) => tally.hangs.push(format!("{kib} KiB")),
    }
}

/// Too little space for the application's data; later there is enough, and it continues.
fn data(program: &Program, scene: &Scene, place: &Path) -> Result<Tally> {
    let mut tally = Tally::of("Too little room for the web application's data, then enough");
    let log = place.join("log.txt");
    for kib in FOR_DATA {
        let Some(room) = Room::of(&place.join("data"), kib) else { continue };
        tally.tried += 1;
        let data = room.0.join("d");
        let server = match Server::start(program, &data, &scene.folder, &log) {
            Ok(server) => server,
            Err(error) => {
                // It says so, and starts once there is room.
                program.note(&error.to_string());
                room.grow();
                match Server::start(program, &data, &scene.folder, &log) {
                    Ok(_) => tally.refused += 1,
                    Err(error) => tally.lost.push(format!("{kib} KiB: {error}")),
                }
                continue;
            }
        };
        match full(program, scene, &room) {
            Ok(true) => tally.right += 1,
            Ok(false) => tally.refused += 1,
            Err(error) => tally.lost.push(format!("{kib} KiB: {error}")),
        }
        tally.lost.extend(scene.changed());
        server.kill()?;
    }
    server::note_log(&mut tally, program, &log)?;
    Ok(tally)
}

/// A shoot on a disk that is full sooner or later: what was accepted is kept, and all goes well once
/// there is room. Whether there was room enough at once.
fn full(program: &Program, scene: &Scene, room: &Room) -> Result<bool> {
    let mut refused = false;
    let mut note = |error: anyhow::Error| {
        program.note(&error.to_string());
        refused = true;
    };
    let mut kept = None;
    let wish = json!({ "path": scene.folder, "role": "light" });
    match server::shoot() {
        Ok(shoot) => kept = Some(shoot),
        Err(error) => note(error),
    }
    if let Some(shoot) = kept {
        let added = server::json("POST", &format!("/api/shoots/{shoot}/folder"), &wish);
        if let Err(error) = added {
            note(error);
        }
        match server::result(shoot) {
            Ok(_) => {}
            Err(error) if error.to_string().contains("it hangs") => return Err(error),
            Err(error) => note(error),
        }
        // It answers all the same.
        server::get(&format!("/api/shoots/{shoot}"))?;
    }
    room.grow();
    let shoot = match kept {
        Some(shoot) => shoot,
        None => server::shoot()?,
    };
    server::json("POST", &format!("/api/shoots/{shoot}/folder"), &wish)?;
    let frames = scene.frames.len();
    let all = |now: &serde_json::Value| {
        let list = now["frames"].as_array().map(Vec::as_slice).unwrap_or_default();
        list.len() == frames && list.iter().all(|frame| frame["measures"].is_object())
    };
    server::until(shoot, |now| server::is_still(now) && all(now))?;
    server::result(shoot)?;
    Ok(!refused)
}
