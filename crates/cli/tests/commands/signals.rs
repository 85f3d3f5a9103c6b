//! Signals end the program cleanly, and a killed run is cleared away by the next one.

use crate::common::{Scene, ending_signals, program};
use std::path::Path;
use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

/// Starts a run that takes a while, and waits until it combines.
fn long_run(scene: &Scene, scratch: &Path, out: &Path) -> Child {
    let mut command = program();
    command.arg("stack").args(scene.frames()).args(["--combine", "clipped", "--threads", "1"]);
    command.arg("--scratch").arg(scratch).arg("--out").arg(out);
    command.stderr(Stdio::piped()).spawn().unwrap()
}

fn inside(folder: &Path) -> Vec<String> {
    let name = |entry: std::io::Result<std::fs::DirEntry>| {
        entry.unwrap().file_name().to_string_lossy().into_owned()
    };
    std::fs::read_dir(folder).unwrap().map(name).collect()
}

fn until(what: &str, is: impl Fn() -> bool) {
    let begun = Instant::now();
    while !is() {
        assert!(begun.elapsed() < Duration::from_secs(60), "{what}");
        std::thread::sleep(Duration::from_millis(5));
    }
}

#[test]
fn a_signal_stops_a_run_and_leaves_nothing_behind() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 8, (1500, 1000));
    for (signal, status) in ending_signals() {
        let scratch = tempfile::tempdir().unwrap();
        let results = tempfile::tempdir().unwrap();
        let out = results.path().join("r.tif");
        let run = long_run(&scene, scratch.path(), &out);
        until("the run begins", || !inside(scratch.path()).is_empty());
        let id = run.id().to_string();
        assert!(
            std::process::Command::new("kill")
                .args(["-s", signal, &id])
                .status()
                .unwrap()
                .success()
        );
        let ended = run.wait_with_output().unwrap();
        let said = String::from_utf8_lossy(&ended.stderr);
        assert_eq!(ended.status.code(), Some(status), "{signal}: {said}");
        assert!(said.contains("The run was stopped."), "{said}");
        assert_eq!(inside(scratch.path()), Vec::<String>::new(), "{signal}");
        assert_eq!(inside(results.path()), Vec::<String>::new(), "{signal}");
    }
}

#[test]
fn what_a_killed_run_left_is_cleared_away_by_the_next_one() {
    let folder = tempfile::tempdir().unwrap();
    let scene = Scene::new(folder.path(), 8, (1500, 1000));
    let scratch = tempfile::tempdir().unwrap();
    let results = tempfile::tempdir().unwrap();
    let out = results.path().join("r.tif");
    let mut run = long_run(&scene, scratch.path(), &out);
    until("the run begins", || !inside(scratch.path()).is_empty());
    run.kill().unwrap();
    let dead = run.id();
    run.wait().unwrap();
    // As it would have left it while it was writing the result.
    std::fs::write(results.path().join(format!(".aside-{dead}-x1")), "half").unwrap();
    assert!(!inside(scratch.path()).is_empty());
    let mut next = long_run(&scene, scratch.path(), &out);
    assert!(next.wait().unwrap().success());
    assert_eq!(inside(scratch.path()), Vec::<String>::new());
    assert_eq!(inside(results.path()), ["r.tif"]);
}
