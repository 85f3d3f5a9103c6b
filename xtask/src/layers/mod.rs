//! The layers of the house: which crate may use which, and that no modules import each other in a circle.

mod circles;
mod source;

use anyhow::{Context, Result, bail};
use circles::circles;
use source::Source;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::process::Command;

/// Every crate of the product and the crates of it that it may use, lowest first. A crate uses only what
/// stands above it here.
const ALLOWED: &[(&str, &[&str])] = &[
    ("jade-allocator", &[]),
    ("jade-pixels", &[]),
    ("jade-optics", &["jade-pixels"]),
    ("jade-plan", &["jade-optics", "jade-pixels"]),
    ("jade-frames", &["jade-optics", "jade-pixels", "jade-plan"]),
    ("jade-align", &["jade-frames", "jade-optics", "jade-pixels", "jade-plan"]),
    ("jade-combine", &["jade-frames", "jade-optics", "jade-pixels", "jade-plan"]),
    ("jade-skyline", &["jade-combine", "jade-optics", "jade-pixels", "jade-plan"]),
    ("jade-focus", &["jade-align", "jade-optics", "jade-pixels", "jade-plan"]),
    (
        "jade-finish",
        &["jade-align", "jade-combine", "jade-frames", "jade-optics", "jade-pixels", "jade-plan"],
    ),
    ("jade-survey", &["jade-align", "jade-frames", "jade-optics", "jade-pixels", "jade-plan"]),
    (
        "jade-engine",
        &[
            "jade-align",
            "jade-combine",
            "jade-finish",
            "jade-focus",
            "jade-frames",
            "jade-optics",
            "jade-pixels",
            "jade-plan",
            "jade-skyline",
            "jade-survey",
        ],
    ),
    ("jade-scenes", &["jade-pixels"]),
    ("jade-server", ABOVE_THE_ENGINE),
    ("jade-stack", ABOVE_THE_ENGINE),
    ("jade-trials", ABOVE_THE_ENGINE),
];

/// What programs may use: everything but each other.
const ABOVE_THE_ENGINE: &[&str] = &[
    "jade-align",
    "jade-allocator",
    "jade-combine",
    "jade-engine",
    "jade-finish",
    "jade-focus",
    "jade-frames",
    "jade-optics",
    "jade-pixels",
    "jade-plan",
    "jade-scenes",
    "jade-server",
    "jade-skyline",
    "jade-survey",
];

/// A crate as Cargo describes it.
struct Package {
    name: String,
    /// Root file of the library, or of the program where there is no library.
    root: PathBuf,
    /// Names of the product's crates that it uses outside its tests.
    uses: Vec<String>,
}

/// Checks that crates use only what they may, and that no modules import each other in a circle.
///
/// # Errors
/// Where either is not so, with every place.
pub fn layers() -> Result<()> {
    let mut faults = vec![];
    let packages = packages()?;
    for package in &packages {
        faults.extend(forbidden(package));
        faults.extend(module_circles(&package.root)?);
    }
    let found = packages.iter().map(|package| package.name.as_str()).collect::<BTreeSet<_>>();
    let gone = ALLOWED.iter().filter(|(name, _)| !found.contains(name));
    faults.extend(gone.map(|(name, _)| format!("{name} is listed, but there is no such crate")));
    if faults.is_empty() {
        println!(
            "{} crates: every arrow is allowed, and no modules import each other in a circle",
            packages.len()
        );
        return Ok(());
    }
    bail!("{}", faults.join("\n"))
}

fn forbidden(package: &Package) -> Vec<String> {
    let Some((_, allowed)) = ALLOWED.iter().find(|(name, _)| *name == package.name) else {
        return vec![format!("{} is not listed in xtask/src/layers", package.name)];
    };
    let forbidden = package.uses.iter().filter(|used| !allowed.contains(&used.as_str()));
    forbidden.map(|used| format!("{} may not use {used}", package.name)).collect()
}

fn module_circles(root: &Path) -> Result<Vec<String>> {
    let source = Source::read(root)?;
    let arrows = arrows(&source);
    let describe = |circle: Vec<usize>| {
        let mut text = format!("{} modules import each other in a circle:", circle.len());
        for &from in &circle {
            let inside = arrows[from].iter().filter(|(to, _)| circle.contains(to));
            for (&to, names) in inside {
                let names: Vec<&str> = names.iter().map(String::as_str).collect();
                let [from, to] = [from, to].map(|id| source.modules[id].file.display());
                text += &format!("\n  {from} -> {to}: {}", names.join(", "));
            }
        }
        text
    };
    let plain: Vec<BTreeSet<usize>> =
        arrows.iter().map(|to| to.keys().copied().collect()).collect();
    Ok(circles(&plain).into_iter().map(describe).collect())
}

/// For each module, the others that define or re-export what it imports or mentions, with the names of
/// that.
fn arrows(source: &Source) -> Vec<BTreeMap<usize, BTreeSet<String>>> {
    let of = |(id, module): (usize, &source::Module)| {
        let mut arrows: BTreeMap<usize, BTreeSet<String>> = BTreeMap::new();
        for path in &module.paths {
            for to in source.modules_of(id, path).into_iter().filter(|&to| to != id) {
                arrows.entry(to).or_default().extend(path.last().cloned());
            }
        }
        arrows
    };
    source.modules.iter().enumerate().map(of).collect()
}

fn packages() -> Result<Vec<Package>> {
    let output = Command::new(env!("CARGO"))
        .args(["metadata", "--no-deps", "--format-version", "1", "--locked"])
        .output()?;
    let metadata: serde_json::Value =
        serde_json::from_slice(&output.stdout).context("cargo metadata")?;
    let folder = std::env::current_dir()?;
    let list = metadata["packages"].as_array().context("cargo metadata has packages")?;
    // The tests in the browser and these commands stand above everything.
    let outside = ["xtask", "browser-tests"];
    let packages: Vec<&serde_json::Value> = list
        .iter()
        .filter(|package| !outside.contains(&package["name"].as_str().unwrap_or_default()))
        .collect();
    let names: BTreeSet<&str> =
        packages.iter().filter_map(|package| package["name"].as_str()).collect();
    packages.iter().map(|package| read_package(package, &names, &folder)).collect()
}

fn read_package(
    package: &serde_json::Value,
    local: &BTreeSet<&str>,
    folder: &Path,
) -> Result<Package> {
    let name = package["name"].as_str().context("a package has a name")?;
    let targets = package["targets"].as_array().context("a package has targets")?;
    let kind = |wanted: &str| targets.iter().find(|target| target["kind"][0] == wanted);
    let target =
        kind("lib").or_else(|| kind("bin")).with_context(|| format!("{name} has no root"))?;
    let root = Path::new(target["src_path"].as_str().context("a target has a path")?);
    let dependencies = package["dependencies"].as_array().context("a package has dependencies")?;
    let uses = dependencies.iter().filter(|used| used["kind"].is_null());
    let uses = uses.filter_map(|used| used["name"].as_str()).filter(|used| local.contains(used));
    Ok(Package {
        name: name.to_owned(),
        root: root.strip_prefix(folder).unwrap_or(root).to_owned(),
        uses: uses.map(str::to_owned).collect(),
    })
}
