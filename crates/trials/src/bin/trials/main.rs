//! The trials: what the program does when it is killed, when the disk is full, when files are broken
//! and when a plan asks for the extreme.
//!
//! usage: trials PROGRAM [kills|room|broken|extremes]...
//!
//! Everything is made anew in `target/trials`. What came of it is written to docs/reliability.md when
//! all trials were made, and every sentence that the program said to target/trials/messages.txt.

mod broken;
mod extremes;
mod kills;
mod program;
mod room;
mod scene;
mod server;
mod tally;

use anyhow::{Context, Result, bail};
use program::Program;
use std::path::{Path, PathBuf};
use tally::Book;

fn main() -> Result<()> {
    let mut arguments = std::env::args().skip(1);
    let program =
        arguments.next().context("usage: trials PROGRAM [kills|room|broken|extremes]...")?;
    let program = PathBuf::from(&program).canonicalize().with_context(|| program.clone())?;
    let chosen: Vec<String> = arguments.collect();
    let folder = Path::new("target/trials");
    room::release(folder);
    let _ = std::fs::remove_dir_all(folder);
    std::fs::create_dir_all(folder)?;
    let folder = folder.canonicalize()?;
    let program = Program::new(program);
    let scene = scene::Scene::new(&program, &folder)?;
    let mut book = Book::default();
    type Trial = fn(&Program, &scene::Scene, &Path, &mut Book) -> Result<()>;
    let all: [(&str, Trial); 4] = [
        ("kills", kills::trial),
        ("room", room::trial),
        ("broken", broken::trial),
        ("extremes", extremes::trial),
    ];
    if let Some(other) = chosen.iter().find(|one| all.iter().all(|(name, _)| name != one)) {
        bail!("{other}: this is no trial; choose kills, room, broken or extremes");
    }
    for (name, trial) in all {
        if chosen.is_empty() || chosen.iter().any(|one| one == name) {
            let place = folder.join(name);
            std::fs::create_dir_all(&place)?;
            trial(&program, &scene, &place, &mut book).with_context(|| format!("trial {name}"))?;
        }
    }
    std::fs::write(folder.join("messages.txt"), program.messages())?;
    print!("{}", book.table());
    if chosen.is_empty() {
        std::fs::write("docs/reliability.md", book.document(program.messages().lines().count()))?;
    }
    let bad = book.bad();
    if !bad.is_empty() {
        bail!("{} trials went wrong:\n{}", bad.len(), bad.join("\n"));
    }
    Ok(())
}
