//! Every operation of the API against its document, with made-up requests (Schemathesis).

use crate::application::{Application, ask, shoot};
use crate::run::{cargo, run};
use anyhow::{Result, bail};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

/// Requests to each operation.
const REQUESTS: &str = "10";
/// What answers must keep: no failures of the server, and status, headers and body as the document
/// says. What a request may hold is left out: the document cannot say everything that is refused.
const CHECKS: &str = "not_a_server_error,status_code_conformance,content_type_conformance,response_headers_conformance,response_schema_conformance,unsupported_method";

/// The program as the tests build it.
const PROGRAM: &str = "target/debug/jade-stack";

/// Where the tester and its shoot are.
const FOLDER: &str = "target/contract";

/// Builds the program and checks it.
pub fn contract() -> Result<()> {
    run(&mut cargo(&["build", "-p", "jade-stack"]))?;
    check()
}

/// Checks the built program with a small shoot that has a result.
pub fn check() -> Result<()> {
    let program = Path::new(PROGRAM);
    let folder = Path::new(FOLDER);
    let card = folder.join("card");
    let size = ["--frames", "4", "--darks", "0", "--width", "420", "--height", "300"];
    run(Command::new(program)
        .args(["scene", "night-sky", "--quiet", "--replace", "--out"])
        .arg(&card)
        .args(size))?;
    let tester = install()?;
    let application = Application::of(program, &folder.join("data"), &card)?;
    shoot("Mast", &card)?;
    ask("POST", "/api/shoots/1/runs", None)?;
    while ask("GET", "/api/shoots/1", None)?["results"].as_array().is_none_or(Vec::is_empty) {
        std::thread::sleep(Duration::from_millis(200));
    }
    let done = Command::new(std::fs::canonicalize(tester)?)
        .current_dir(folder)
        .args(["run", &format!("{}/api/openapi.json", application.address())])
        .args(["--phases", "examples,coverage,fuzzing", "--max-examples", REQUESTS, "--seed", "7"])
        .args(["--checks", CHECKS, "--continue-on-failure", "--request-timeout", "60"])
        // Events do not end, and removing the shoot would end all that follows.
        .args(["--exclude-operation-id", "events", "--exclude-operation-id", "removeShoot"])
        .status()?;
    if !done.success() {
        bail!("the API does not keep its document; see above");
    }
    Ok(())
}

/// Installs the tester in a virtual environment of its own, and answers where it is.
pub fn install() -> Result<PathBuf> {
    let environment = Path::new(FOLDER).join("venv");
    if !environment.join("bin/python").exists() {
        run(Command::new("python3").args(["-m", "venv"]).arg(&environment))?;
    }
    run(Command::new(environment.join("bin/python")).args([
        "-m",
        "pip",
        "install",
        "-q",
        "-r",
        "bench/requirements-contract.txt",
    ]))?;
    Ok(environment.join("bin/schemathesis"))
}
